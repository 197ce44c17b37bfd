// Moments of transform coefficients against arithmetic, and against quantisers that are not the model's own.
#include "measure/coding.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

namespace edge {
namespace {

// Blocks of a quantised orthonormal transform of white noise, as a codec without prediction leaves them.
class Coded {
 public:
  Coded(int side, double sd, double step, double f) : side_(side) {
    std::mt19937_64 random(7);
    std::normal_distribution<double> normal(0, sd);
    for (int frame = 0; frame < 8; ++frame) {
      auto& out = frames_.emplace_back(kSide * kSide);
      for (int by = 0; by < kSide; by += side)
        for (int bx = 0; bx < kSide; bx += side) {
          std::vector<double> c(static_cast<size_t>(side) * side);
          for (double& v : c) {
            v = normal(random), before_ += v * v;
            if (step > 0) v = std::copysign(step * std::floor(std::abs(v) / step + f), v);
            after_ += v * v;
          }
          backTo(out, bx, by, c);
        }
    }
  }
  [[nodiscard]] double left() const { return after_ / before_; }
  [[nodiscard]] CoefficientMoments moments() const {
    CoefficientShape shape(0, 0, kSide, kSide);
    for (const auto& f : frames_) shape.add(f.data(), f.size());
    return shape.moments();
  }

 private:
  static constexpr int kSide = 64;
  void backTo(std::vector<float>& out, int bx, int by, const std::vector<double>& c) const {
    const auto basis = [&](int k, int i) {
      return std::sqrt((k ? 2.0 : 1.0) / side_) * std::cos(std::numbers::pi * (i + 0.5) * k / side_);
    };
    for (int y = 0; y < side_; ++y)
      for (int x = 0; x < side_; ++x) {
        double v = 500;
        for (int k = 0; k < side_; ++k)
          for (int l = 0; l < side_; ++l)
            v += c[static_cast<size_t>(k) * side_ + l] * basis(k, y) * basis(l, x);
        out[static_cast<size_t>(by + y) * kSide + bx + x] = static_cast<float>(std::round(v));
      }
  }
  int side_;
  double before_ = 0, after_ = 0;
  std::vector<std::vector<float>> frames_;
};

// Kurtosis 3 and E|x| = sqrt(2/pi) sd of a normal distribution (any handbook of statistics).
TEST(Coding, WhiteNoiseHasTheMomentsOfANormalDistribution) {
  const CoefficientMoments m = Coded(8, 4, 0, 0).moments();
  EXPECT_NEAR(m.kurtosis, 3, 0.06);
  EXPECT_NEAR(m.absolute, std::sqrt(2 / std::numbers::pi), 6 * m.sigma);
  EXPECT_NEAR(leftByCoding(m), 0, 0.05);
}

// Rounding adds a twelfth of a step squared to the variance (W. F. Sheppard, 1898, the correction of that
// name); levels 0 to 4 of a normal variable of sd 1 step hold 0.38292, 0.48346, 0.12120, 0.01195, 0.00046
// (tables of the normal distribution). Decoded samples are rounded again, sd 0.1 step.
TEST(Coding, TheModelIsTheArithmeticOfLevels) {
  const Quantised q = quantised(1, 0.5);
  EXPECT_NEAR(q.left, 1 + 1.0 / 12, 1e-4);
  const double first =
      0.38292 * 0.1 * std::sqrt(2 / std::numbers::pi) + 0.48346 + 2 * 0.12120 + 3 * 0.01195 + 4 * 0.00046;
  EXPECT_NEAR(q.absolute, first / std::sqrt(1 + 1.0 / 12 + 0.01), 1e-4);
}

TEST(Coding, WhatAQuantiserTookIsFoundFromWhatItLeft) {
  for (const int side : {4, 8, 16})
    for (const double f : {0.0, 1.0 / 3, 0.5})
      for (const double step : {3.0, 6.0}) {
        const Coded coded(side, 5, step, f);
        const CoefficientMoments m = coded.moments();
        if (m.kurtosis > kCodedKurtosis) continue;  // not believed
        EXPECT_NEAR(leftByCoding(m), std::log(coded.left()), 0.1) << side << " " << f << " " << step;
      }
}

TEST(Coding, WhatIsMostlyGoneShows) {
  EXPECT_GT(Coded(8, 2, 8, 1.0 / 3).moments().kurtosis, 2 * kCodedKurtosis);
}

// A hot pixel is in all coefficients of its block, and no codec's trace.
TEST(Coding, DefectPixelsAreNoTrace) {
  std::mt19937_64 random(9);
  std::normal_distribution<float> normal(500, 5);
  CoefficientShape shape(0, 0, 64, 64);
  for (int frame = 0; frame < 8; ++frame) {
    std::vector<float> v(64 * 64);
    for (float& x : v) x = normal(random);
    for (size_t i = 100; i < v.size(); i += 1700) v[i] += 900;
    shape.add(v.data(), v.size());
  }
  EXPECT_NEAR(shape.moments().kurtosis, 3, 0.06);
}

}  // namespace
}  // namespace edge
