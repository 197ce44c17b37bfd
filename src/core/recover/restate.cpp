#include "recover/restate.h"

#include "base/error.h"
#include "base/numbers.h"

namespace edge {
namespace {

void fall(EdgeLimit& e, double stops) {
  if (e.lastGood) *e.lastGood -= stops;
  if (e.firstBad) *e.firstBad -= stops;
  if (e.firstUnknown) *e.firstUnknown -= stops;
  if (e.estimate) e.estimate->stops -= stops;
}

}  // namespace

NewBase newBaseOf(const std::string& text, const LatitudeMeasure& m) {
  for (const auto& t : m.takes)
    if (t.name == text) return {"take " + text, t.measured.value_or(t.planned)};
  if (text == "grey" && m.toGrey) return {"grey", *m.toGrey};
  if (text == "skin" && m.toSkin) return {"skin at 60 %", *m.toSkin};
  if (const auto stops = parseNumber(text)) return {formatSigned(*stops, 2) + " stops", *stops};
  throw UsageError(
      "\"" + text + "\" is no base of this bracket", "--rebase", "",
      "name a take, write stops, or grey or skin where the chart has a grey or a face is marked");
}

LatitudeResult restated(LatitudeResult r, double stops) {
  for (Edges* e : {&r.edges, &r.cleaned}) {
    fall(e->over, stops);
    fall(e->under, stops);
  }
  return r;
}

}  // namespace edge
