#include "report/range_check.h"

#include <algorithm>

namespace edge {

RangeCheck checkAgainstRange(const Finding& f, const LatitudeResult& r) {
  RangeCheck c;
  if (!f.range || !f.range->headline) {
    c.words = "no range measured here";
    return c;
  }
  if (!r.edges.latitude) {
    c.words = "the base itself fails";
    return c;
  }
  const Limit &range = *f.range->headline, &latitude = *r.edges.latitude;
  c.gap = range.stops - latitude.stops;
  const bool open = range.atLeast || latitude.atLeast;
  c.usual = !open && *c.gap >= kLeastGap && *c.gap <= kMostGap;
  c.words = open      ? "one of them ends open"
            : c.usual ? "about four is usual"
                      : "about four is usual: look again";
  if (open || c.usual) return c;
  if (*c.gap > kMostGap) {
    if (r.edges.under.cause.criterion == Criterion::Detail)
      c.causes.emplace_back(
          "the texture of the sitter or cloth is fine or faint: detail decides before noise does");
    if (r.edges.under.cause.criterion == Criterion::ColourShift ||
        r.edges.over.cause.criterion == Criterion::ColourShift)
      c.causes.emplace_back(
          "colour gives way before noise or highlights do: look at the curve and the white balance");
    c.causes.emplace_back("strict criteria, or a raster that hides nothing: compare the profiles");
    c.causes.emplace_back("the face stands well above grey: counted from the face the upper part is shorter");
  } else {
    c.causes.emplace_back("loose criteria, or noise averaged away at the delivery's raster");
    c.causes.emplace_back("noise reduction in the camera: noise is gone, and detail with it");
    c.causes.emplace_back(
        "the wedge read too little: flare, a chart that ends early, steps that are not counted");
  }
  return c;
}

}  // namespace edge
