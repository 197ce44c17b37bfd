#include "measure/second_order.h"

#include <algorithm>
#include <array>
#include <cmath>
#include <random>
#include <vector>

namespace edge {
namespace {

constexpr int kSamples = 4096;                       // groups of pixels; both variances are of the same ones
constexpr double kSmallNoise = 0.05;                 // of the level: below it nothing bends
constexpr double kLeastRatio = 0.2, kMostRatio = 8;  // noise of red and blue over green's

// Share of a chroma sample's variance left after it is averaged over its pixels and interpolated along the
// row.
double chromaLeft(const SecondOrder& p) {
  const double averaged = 1.0 / (p.chromaWide * p.chromaHigh);
  return p.chromaWide > 1 ? 0.75 * averaged : averaged;
}

// Noise of red and blue over green's, from chroma against luma to the first order; rises with it.
double ratioOf(const SecondOrder& p, double slope, const Vec3& w) {
  const double seen = p.chromaVariance / chromaLeft(p) / (slope * slope) / p.lumaVariance;
  const auto expected = [&](double r) {
    const double luma = w[1] * w[1] + r * r * (w[0] * w[0] + w[2] * w[2]);
    const double cb =
        (r * r * ((1 - w[2]) * (1 - w[2]) + w[0] * w[0]) + w[1] * w[1]) / std::pow(2 * (1 - w[2]), 2);
    const double cr =
        (r * r * ((1 - w[0]) * (1 - w[0]) + w[2] * w[2]) + w[1] * w[1]) / std::pow(2 * (1 - w[0]), 2);
    return (cb + cr) / luma;
  };
  double low = kLeastRatio, high = kMostRatio;
  for (int i = 0; i < 40; ++i) {
    const double mid = (low + high) / 2;
    (expected(mid) < seen ? low : high) = mid;
  }
  return (low + high) / 2;
}

// The same Gaussian numbers for every patch: results must not depend on anything else.
const std::vector<std::array<float, 3>>& gaussians() {
  static const std::vector<std::array<float, 3>> kNumbers = [] {
    std::vector<std::array<float, 3>> v(4UL * kSamples);
    std::mt19937_64 random(20261126);
    const auto uniform = [&] { return (static_cast<double>(random() >> 11) + 0.5) * 0x1p-53; };
    for (auto& triple : v)
      for (auto& x : triple)
        x = static_cast<float>(std::sqrt(-2 * std::log(uniform())) * std::cos(6.283185307179586 * uniform()));
    return v;
  }();
  return kNumbers;
}

double varianceOf(const std::vector<double>& v) {
  double mean = 0, squares = 0;
  for (double x : v) mean += x / static_cast<double>(v.size());
  for (double x : v) squares += (x - mean) * (x - mean);
  return squares / static_cast<double>(v.size());
}

}  // namespace

double secondOrderOf(const SecondOrder& p, const Curve& curve, const Vec3& w) {
  const int shared = p.chromaWide * p.chromaHigh;
  if (shared < 2 || !(p.lumaVariance > std::pow(kSmallNoise * p.level, 2)) || !(p.chromaVariance > 0))
    return 0;
  const double h = 1e-4, code = curve.toCode(p.level),
               slope = 2 * h / (curve.toLinear(code + h) - curve.toLinear(code - h));
  if (!(slope > 0) || !std::isfinite(slope)) return 0;
  const double r = ratioOf(p, slope, w);
  const double green = std::sqrt(p.lumaVariance / (w[1] * w[1] + r * r * (w[0] * w[0] + w[2] * w[2])));
  const double sd[3] = {r * green, green, r * green};
  const auto& numbers = gaussians();
  std::vector<double> before, after;
  for (int i = 0; i < kSamples; ++i) {
    double luma = 0, cb = 0, cr = 0, light = 0;
    for (int k = 0; k < shared; ++k) {
      const auto& n = numbers[static_cast<size_t>(shared * i + k)];
      double c[3], x[3];
      for (int ch = 0; ch < 3; ++ch)
        x[ch] = p.level + sd[ch] * n[static_cast<size_t>(ch)], c[ch] = curve.toCode(x[ch]);
      const double y = w[0] * c[0] + w[1] * c[1] + w[2] * c[2];
      cb += (c[2] - y) / shared, cr += (c[0] - y) / shared;
      if (k == 0) luma = y, light = w[0] * x[0] + w[1] * x[1] + w[2] * x[2];
    }
    const double red = luma + cr, blue = luma + cb, g = luma - (w[0] * cr + w[2] * cb) / w[1];
    before.push_back(light);
    after.push_back(w[0] * curve.toLinear(red) + w[1] * curve.toLinear(g) + w[2] * curve.toLinear(blue));
  }
  const double ratio = varianceOf(after) / varianceOf(before);
  return std::isfinite(ratio) && ratio > 0 ? std::clamp(std::log(ratio), -1.0, 1.0) : 0;
}

}  // namespace edge
