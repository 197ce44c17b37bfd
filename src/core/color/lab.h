// CIE L*a*b* (ISO 11664-4) and CIEDE2000 (ISO 11664-6; Little CMS).
#pragma once
#include "color/primaries.h"

namespace edge {

struct Lab {
  double L = 0, a = 0, b = 0;
};

// XYZ relative to a white of Y = 1. White D65 (2 degree).
[[nodiscard]] Lab labOfXyz(const Vec3& xyz);
// Display light R, G, B (0..1, linear) seen on a display of these primaries.
[[nodiscard]] Lab labOfDisplayLight(const Vec3& rgb, Primaries primaries);
[[nodiscard]] double deltaE2000(const Lab& x, const Lab& y);
// The same as three numbers whose squares add up to its square, smooth through zero: what a least-squares
// solver wants. Lightness, chroma with half of the rotation term, hue with what is left of it.
[[nodiscard]] Vec3 deltaE2000Parts(const Lab& x, const Lab& y);

}  // namespace edge
