#include "color/lab.h"

#include <lcms2.h>

#include <cmath>
#include <numbers>

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

Vec3 deltaE2000Parts(const Lab& x, const Lab& y) {
  constexpr double kDegree = std::numbers::pi / 180;
  constexpr double k25To7 = 6103515625.0;  // 25^7
  const auto seventh = [](double c) { return std::sqrt(std::pow(c, 7) / (std::pow(c, 7) + k25To7)); };
  const double meanChroma = (std::hypot(x.a, x.b) + std::hypot(y.a, y.b)) / 2;
  const double g = 1 + 0.5 * (1 - seventh(meanChroma));
  const double ax = g * x.a, ay = g * y.a;
  const double cx = std::hypot(ax, x.b), cy = std::hypot(ay, y.b);
  // 2 sqrt(cx cy) sin(dh / 2) without an angle: smooth where a colour is nearly neutral.
  const double cross = ax * y.b - ay * x.b, dot = ax * ay + x.b * y.b;
  const double chord = std::sqrt(std::max(0.0, 2 * (cx * cy - dot)));
  const double dHue = std::copysign(chord, cross), dChroma = cy - cx, dLight = y.L - x.L;
  const auto hueOf = [&](double a, double b) {
    const double h = a == 0 && b == 0 ? 0 : std::atan2(b, a) / kDegree;
    return h < 0 ? h + 360 : h;
  };
  const double hx = hueOf(ax, x.b), hy = hueOf(ay, y.b), sum = hx + hy;
  // The mean of two angles; of the one that there is where the other colour is neutral.
  const double hue = cx * cy == 0               ? sum
                     : std::abs(hx - hy) <= 180 ? sum / 2
                     : sum < 360                ? (sum + 360) / 2
                                                : (sum - 360) / 2;
  const double t = 1 - 0.17 * std::cos((hue - 30) * kDegree) + 0.24 * std::cos(2 * hue * kDegree) +
                   0.32 * std::cos((3 * hue + 6) * kDegree) - 0.20 * std::cos((4 * hue - 63) * kDegree);
  const double light = (x.L + y.L) / 2 - 50, chroma = (cx + cy) / 2;
  const double sl = 1 + 0.015 * light * light / std::sqrt(20 + light * light);
  const double sc = 1 + 0.045 * chroma, sh = 1 + 0.015 * chroma * t;
  const double turn = (hue - 275) / 25;
  const double rt = -2 * seventh(chroma) * std::sin(60 * kDegree * std::exp(-turn * turn));
  const double c = dChroma / sc, h = dHue / sh;
  return {dLight / sl, c + rt / 2 * h, std::sqrt(1 - rt * rt / 4) * h};
}

}  // namespace edge
