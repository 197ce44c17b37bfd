// What a viewer sees of a plain camera's noise, written down once more from the formulas: the recorder's
// ten-bit Y'CbCr, the display, CIE L*a*b*. Nothing of src/ is involved.
#pragma once
#include <array>
#include <cmath>

#include "support/spoiled.h"

namespace edge::test {

inline constexpr double kWeights[3] = {0.2126, 0.7152, 0.0722};  // ITU-R BT.709-6
inline constexpr double kBalance[3] = {2, 1, 1.6};               // white balance of PlainCamera's channels

// The test's own log curve, upside down.
inline double linearOf(double code) {
  double low = -0.5, high = 64;
  for (int i = 0; i < 40; ++i) (logCode((low + high) / 2) < code ? low : high) = (low + high) / 2;
  return (low + high) / 2;
}

// Legal ten-bit Y'CbCr 4:4:4 and back.
inline std::array<double, 3> recorded(const std::array<double, 3>& linear) {
  double c[3], y = 0;
  for (size_t k = 0; k < 3; ++k) {
    c[k] = logCode(linear[k]);
    y += kWeights[k] * c[k];
  }
  const double cb = (c[2] - y) / (2 * (1 - kWeights[2])), cr = (c[0] - y) / (2 * (1 - kWeights[0]));
  const double Y = std::round(876 * y) / 876, B = std::round(896 * cb) / 896, R = std::round(896 * cr) / 896;
  const double r = Y + 2 * (1 - kWeights[0]) * R, b = Y + 2 * (1 - kWeights[2]) * B;
  const double g = (Y - kWeights[0] * r - kWeights[2] * b) / kWeights[1];
  return {linearOf(r), linearOf(g), linearOf(b)};
}

// Soft shoulder (docs/method.md, "Latitude"), BT.709 to XYZ (from memory, IEC 61966-2-1), CIE 1976 L*a*b*.
inline std::array<double, 3> seenLab(const std::array<double, 3>& linear) {
  double light[3];
  for (size_t k = 0; k < 3; ++k) {
    const double y = std::pow(std::max(0.0, linear[k]), 1.2);
    light[k] = y / (y + std::pow(0.75, 1.2));
  }
  constexpr double m[3][3] = {{0.4124, 0.3576, 0.1805}, {0.2126, 0.7152, 0.0722}, {0.0193, 0.1192, 0.9505}};
  double f[3];
  for (size_t i = 0; i < 3; ++i) {
    const double white = m[i][0] + m[i][1] + m[i][2];
    const double t = (m[i][0] * light[0] + m[i][1] * light[1] + m[i][2] * light[2]) / white;
    f[i] = t > 216.0 / 24389 ? std::cbrt(t) : (24389.0 / 27 * t + 16) / 116;
  }
  return {116 * f[1] - 16, 500 * (f[0] - f[1]), 200 * (f[1] - f[2])};
}

// Codes of a plain camera's raw, black taken off, as a share of full scale.
inline constexpr double kRawSpan = 15871;  // fourteen bits, black at 512

struct SeenTruth {
  double luma = 0, chroma = 0;
};

// Evenly spread over 0..1 (J. H. Halton, Numer. Math. 2, 1960).
inline double halton(unsigned i, unsigned base) {
  double value = 0, share = 1;
  for (; i > 0; i /= base) {
    share /= base;
    value += share * (i % base);
  }
  return value;
}

// Of a grey at this light (of the clip of green), brought back by its true exposure: an integral over evenly
// spread Gaussian triples (Box and Muller), not a draw, so that the truth has no noise of its own.
inline SeenTruth noiseAt(const PlainCamera& c, double light, double stops, bool raw = false) {
  constexpr int kSamples = 8192;
  unsigned next = 0;
  const auto triple = [&next] {
    ++next;
    const double far1 = std::sqrt(-2 * std::log(halton(next, 2))), turn1 = 2 * M_PI * halton(next, 3);
    const double far2 = std::sqrt(-2 * std::log(halton(next, 5))), turn2 = 2 * M_PI * halton(next, 7);
    return std::array<double, 3>{far1 * std::cos(turn1), far1 * std::sin(turn1), far2 * std::cos(turn2)};
  };
  double sum[3] = {}, squares[3] = {};
  for (int i = 0; i < kSamples; ++i) {
    std::array<double, 3> v{};
    const auto normal = triple();
    for (size_t k = 0; k < 3; ++k) {
      const double e = light * std::exp2(stops) * c.well / kBalance[k];
      double n = (e + std::sqrt(e + c.read * c.read) * normal[k]) / c.well;
      if (raw) n = std::round(n * kRawSpan) / kRawSpan;
      v[k] = std::min(1.0, n * kBalance[k]) * c.scale;
    }
    if (!raw) v = recorded(v);
    for (double& x : v) x /= std::exp2(stops);
    const auto lab = seenLab(v);
    for (size_t k = 0; k < 3; ++k) {
      sum[k] += lab[k] / kSamples;
      squares[k] += lab[k] * lab[k] / kSamples;
    }
  }
  const auto variance = [&](size_t k) { return squares[k] - sum[k] * sum[k]; };
  return {std::sqrt(variance(0)), std::sqrt(variance(1) + variance(2))};
}

}  // namespace edge::test
