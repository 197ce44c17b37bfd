#include "color/lab.h"

#include <lcms2.h>

#include <cmath>

namespace edge {
namespace {

// XYZ of D65, the sum of a display's primaries at full drive (x 0.3127, y 0.3290).
constexpr Vec3 kWhite = {0.3127 / 0.3290, 1, (1 - 0.3127 - 0.3290) / 0.3290};

// ISO 11664-4: cube root above (6/29)^3, a line below, also for negative values.
double f(double t) {
  constexpr double delta = 6.0 / 29;
  return t > delta * delta * delta ? std::cbrt(t) : t / (3 * delta * delta) + 4.0 / 29;
}

}  // namespace

Lab labOfXyz(const Vec3& xyz) {
  const double x = f(xyz[0] / kWhite[0]), y = f(xyz[1] / kWhite[1]), z = f(xyz[2] / kWhite[2]);
  return {116 * y - 16, 500 * (x - y), 200 * (y - z)};
}

Lab labOfDisplayLight(const Vec3& rgb, Primaries primaries) {
  static const Mat3 bt709 = rgbToXyz(Primaries::Bt709), bt2020 = rgbToXyz(Primaries::Bt2020);
  return labOfXyz(multiply(primaries == Primaries::Bt2020 ? bt2020 : bt709, rgb));
}

double deltaE2000(const Lab& x, const Lab& y) {
  const cmsCIELab p = {x.L, x.a, x.b}, q = {y.L, y.a, y.b};
  return cmsCIE2000DeltaE(&p, &q, 1, 1, 1);
}

}  // namespace edge
