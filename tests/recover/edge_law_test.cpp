// Crossings of figures that follow their law exactly, at any spacing of the takes.
#include "recover/edge_law.h"

#include <gtest/gtest.h>

#include <cmath>

namespace edge {
namespace {

template <class F>
std::vector<EdgePoint> every(double spacing, double last, F value) {
  std::vector<EdgePoint> points;
  for (double d = 0; d <= last; d += spacing) points.push_back({d, 0.005, value(d), 0.01 * value(d)});
  return points;
}

size_t lastUnder(const std::vector<EdgePoint>& points, double limit, bool falling = false) {
  size_t i = 0;
  while (i + 1 < points.size() && (falling ? points[i + 1].value > limit : points[i + 1].value < limit)) ++i;
  return i;
}

// Read noise, photons and a fixed part, compressed by the display: the law itself.
TEST(EdgeLaw, NoiseIsFoundWhereItsModelMeetsTheLimit) {
  const auto noise = [](double d) {
    const double light = std::exp2(d), whole = 0.004 * light * light + 0.05 * light + 0.01;
    return std::sqrt(whole / (1 + 0.002 * whole));
  };
  double low = 0, high = 12;
  for (int i = 0; i < 60; ++i) (noise((low + high) / 2) < 2.2 ? low : high) = (low + high) / 2;
  for (const double spacing : {1.0, 2.0, 3.0}) {
    const auto points = every(spacing, 9, noise);
    const auto found = crossingBy(EdgeLaw::Noise, Side::Under, points, lastUnder(points, 2.2), 2.2);
    ASSERT_TRUE(found);
    EXPECT_NEAR(found->stops, low, 0.02) << spacing;
    EXPECT_LT(found->sigma, 0.1) << spacing;
    EXPECT_GT(found->sigma, 0.004) << spacing;
  }
}

// What a black level leaves grows as 2^d - 1: nothing at the base, so that even the base may be the last good
// take.
TEST(EdgeLaw, AShiftIsFoundThoughTheBaseShowsNone) {
  const auto shift = [](double d) { return 0.9 * (std::exp2(d) - 1); };
  const double truth = std::log2(1 + 2 / 0.9);
  for (const double spacing : {1.0, 2.0, 3.0}) {
    const auto points = every(spacing, 9, shift);
    const auto found = crossingBy(EdgeLaw::Power, Side::Under, points, lastUnder(points, 2), 2);
    ASSERT_TRUE(found);
    EXPECT_NEAR(found->stops, truth, std::max(0.01, found->sigma)) << spacing;
    EXPECT_LT(found->sigma, 0.7) << spacing;
  }
}

TEST(EdgeLaw, TowardsTheLightAShiftSettles) {
  const auto shift = [](double d) { return 5 * (1 - std::exp2(-d)); };
  const auto points = every(1, 5, shift);
  const auto found = crossingBy(EdgeLaw::Power, Side::Over, points, lastUnder(points, 2), 2);
  ASSERT_TRUE(found);
  EXPECT_NEAR(found->stops, -std::log2(1 - 2.0 / 5), std::max(0.01, found->sigma));
}

// A correlation under noise: d^2 = 1/(1 + n/s), the noise over the signal doubling its square every half
// stop.
TEST(EdgeLaw, DetailFallsAsALogisticOfStops) {
  const auto detail = [](double d) { return std::sqrt(1 / (1 + 0.001 * std::exp2(2 * d))); };
  double low = 0, high = 12;
  for (int i = 0; i < 60; ++i) (detail((low + high) / 2) > 0.8 ? low : high) = (low + high) / 2;
  for (const double spacing : {1.0, 2.0, 3.0}) {
    auto points = every(spacing, 9, detail);
    for (auto& p : points) p.sigma = 0.003;
    const auto found = crossingBy(EdgeLaw::Logistic, Side::Under, points, lastUnder(points, 0.8, true), 0.8);
    ASSERT_TRUE(found);
    EXPECT_NEAR(found->stops, low, 0.02) << spacing;
  }
}

TEST(EdgeLaw, NothingIsSaidOfWhatTellsNothing) {
  EXPECT_FALSE(crossingBy(EdgeLaw::Noise, Side::Under, {}, 0, 2));
  EXPECT_FALSE(crossingBy(EdgeLaw::Noise, Side::Under, {{0, 0, 1, 0.01}}, 0, 2));
  // One code of banding at the base and none in the take beyond it.
  EXPECT_FALSE(crossingBy(EdgeLaw::Straight, Side::Under, {{0, 0, 0, 0}, {1, 0, 3, 0.1}}, 0, 2));
}

}  // namespace
}  // namespace edge
