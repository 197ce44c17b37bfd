#include "noise/seen.h"

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "measure/noise.h"

namespace edge {
namespace {

constexpr int kGrainReach = 4;     // pixels (docs/method.md, "Noise of a zone")
constexpr double kCoarse = 2;      // pixels of grain from which noise is called coarse
constexpr double kColoured = 1.2;  // chroma noise over luma noise from which it is called chroma
constexpr double kDirected = 3;    // ratio of the axes of a*, b* noise that has a colour of its own

// Frames less their mean.
std::vector<std::vector<float>> changesOf(const LabFrames& lab, size_t plane) {
  std::vector<std::vector<float>> out;
  std::vector<double> mean(static_cast<size_t>(lab.width) * static_cast<size_t>(lab.height));
  for (const auto& f : lab.frames)
    for (size_t i = 0; i < mean.size(); ++i) mean[i] += f[plane][i] / static_cast<double>(lab.frames.size());
  for (const auto& f : lab.frames) {
    auto& change = out.emplace_back(mean.size());
    for (size_t i = 0; i < mean.size(); ++i) change[i] = static_cast<float>(f[plane][i] - mean[i]);
  }
  return out;
}

double productOf(const std::vector<std::vector<float>>& a, const std::vector<std::vector<float>>& b) {
  double sum = 0, count = 0;
  for (size_t f = 0; f < a.size(); ++f)
    for (size_t i = 0; i < a[f].size(); ++i) {
      sum += static_cast<double>(a[f][i]) * b[f][i];
      count += 1;
    }
  return count > 0 ? sum / count : 0;
}

}  // namespace

std::optional<SeenNoise> seenOf(const LabFrames& lab) {
  const auto sums = lab.sums();
  if (sums.empty()) return std::nullopt;
  const auto l = temporalVariance(sums[0]), a = temporalVariance(sums[1]), b = temporalVariance(sums[2]);
  if (!l || !a || !b) return std::nullopt;
  return SeenNoise{std::sqrt(*l), std::sqrt(*a + *b)};
}

Grain grainOf(const LabFrames& lab, const SeenNoise& seen) {
  const auto l = changesOf(lab, 0), a = changesOf(lab, 1), b = changesOf(lab, 2);
  const double va = productOf(a, a), vb = productOf(b, b);
  Grain g{grainOf(l, lab.width, lab.height), grainOf(va > vb ? a : b, lab.width, lab.height), {}};
  const bool chroma = seen.chroma > kColoured * seen.luma;
  const auto& size = chroma ? g.chromaPx : g.lumaPx;
  if (!size) return g;
  g.hue = std::string(chroma ? "chroma" : "luma") + (*size >= kCoarse ? ", coarse" : ", fine");
  if (chroma) g.hue += ", " + hueWords(va, vb, productOf(a, b));
  return g;
}

std::optional<double> grainOf(const std::vector<std::vector<float>>& frames, int width, int height) {
  double power = 0, count = 0;
  for (const auto& f : frames)
    for (float v : f) {
      power += static_cast<double>(v) * v;
      count += 1;
    }
  if (!(power > 0)) return std::nullopt;
  power /= count;
  double sum = 1;
  for (int dy = 0; dy <= kGrainReach; ++dy)
    for (int dx = -kGrainReach; dx <= kGrainReach; ++dx) {
      if (dy == 0 && dx <= 0) continue;  // each pair once, counted twice below
      double product = 0, pairs = 0;
      for (const auto& f : frames)
        for (int y = 0; y + dy < height; ++y)
          for (int x = std::max(0, -dx); x < width - std::max(0, dx); ++x) {
            product += static_cast<double>(f[static_cast<size_t>(y) * width + x]) *
                       f[static_cast<size_t>(y + dy) * width + x + dx];
            pairs += 1;
          }
      if (pairs > 0) sum += 2 * product / pairs / power;
    }
  return std::sqrt(std::max(0.0, sum));
}

std::string hueWords(double varianceA, double varianceB, double covariance) {
  const double middle = (varianceA + varianceB) / 2;
  const double apart = std::hypot((varianceA - varianceB) / 2, covariance);
  if (!(middle > 0) || middle + apart < kDirected * (middle - apart)) return "all hues";
  // Direction of the longer axis, -90..90 degrees.
  const double angle = 0.5 * std::atan2(2 * covariance, varianceA - varianceB) * kDegrees;
  if (std::abs(angle) < 22.5) return "magenta-green";
  if (std::abs(angle) > 67.5) return "yellow-blue";
  return angle > 0 ? "red-cyan" : "purple-green";
}

}  // namespace edge
