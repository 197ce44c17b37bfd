// Where a channel ends in brackets whose brightest take is the first that burns, filmed by a camera of closed
// form and a real encoder: nothing else in the picture reaches that end.
#include <gtest/gtest.h>

#include "recover/area_top.h"
#include "recover/plain_bracket.h"

namespace edge {
namespace {

using namespace test;

// A gradient of codes with Gaussian noise; those beyond `end` stand on it.
struct Slope {
  double from = 0.5, to = 0.8, end = 1, noise = 0.002;
  int frames = 6;
};
AreaTop topOf(const Slope& s, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  std::vector<float> codes, variances;
  constexpr int kPixels = 12000;
  for (int i = 0; i < kPixels; ++i) {
    const double level = s.from + (s.to - s.from) * i / kPixels;
    double sum = 0, squares = 0;
    for (int f = 0; f < s.frames; ++f) {
      const double v = std::round(1023 * std::min(s.end, level + s.noise * normal(random))) / 1023;
      sum += v;
      squares += v * v;
    }
    codes.push_back(static_cast<float>(sum / s.frames));
    if (s.frames > 1)
      variances.push_back(static_cast<float>(std::max(0.0, squares - sum * sum / s.frames) / (s.frames - 1)));
  }
  return edge::topOf(codes, variances, s.frames);
}

TEST(AreaTop, APileThatStandsStillIsAnEndAndASlopeIsNone) {
  int ends = 0, false_ = 0;
  for (std::uint64_t seed = 1; seed <= 60; ++seed) {
    Slope clipped;
    clipped.end = clipped.to - 0.05 * (clipped.to - clipped.from);  // a twentieth of the area
    const AreaTop top = topOf(clipped, seed);
    ends += top.piled && top.still && std::abs(top.code - clipped.end) < 2.0 / 1023;
    EXPECT_NEAR(top.excess, 0.05, 0.02) << seed;
    const AreaTop open = topOf({}, seed);
    false_ += open.still || (open.piled && open.excess > 0.0025);
  }
  EXPECT_EQ(ends, 60);
  EXPECT_EQ(false_, 0);
}

// One frame says nothing of movement: a pile, but no proof.
TEST(AreaTop, OfOneFrameAPileIsNoProof) {
  Slope clipped;
  clipped.end = 0.785;
  clipped.frames = 1;
  const AreaTop top = topOf(clipped, 3);
  EXPECT_TRUE(top.piled);
  EXPECT_FALSE(top.still);
}

// Ends with its first bad take: red of a twentieth of the face on one value.
TEST(ChannelEnds, ABracketThatEndsWithItsFirstBadTakeClaimsNoMore) {
  const TempFolder folder;
  std::mt19937_64 random(31);
  for (int i = 0; i < 6; ++i) {
    PlainScene s;
    s.raw = i % 2;
    s.camera = randomCamera(random);
    s.camera.frames = 6;
    s.brightest = 0.08;
    s.face = draw(random, 0.15, 0.3);
    // A twentieth of the face gets more light than the channels hold.
    const auto onEnd = [&](double stops) {
      int n = 0;
      for (int x = 0; x < kWide; ++x) n += s.light(x, kSide) * std::exp2(stops) >= 1;
      return 100.0 * n / kWide;
    };
    double burns = 0;
    while (onEnd(burns) < 5) burns += 0.01;
    const double last = burns;
    const Judged j =
        shoot(s, {-1, last - 1, last}, lossless(10, Sampling::Full444), folder.path(), [](Footage&) {});
    double truth = 0;
    while (s.clipped(truth) <= 0.5) truth += 0.001;
    const EdgeLimit& e = j.result.edges.over;
    ASSERT_TRUE(e.estimate) << i;
    EXPECT_NE(j.result.verdicts[2].verdict, Verdict::Clean) << i << " " << s.clipped(last);
    EXPECT_TRUE(e.firstBad) << i;
    EXPECT_NEAR(e.estimate->stops, truth, std::max(0.02, 2 * e.estimate->sigma)) << i;
    EXPECT_FALSE(j.warns("wrong-curve")) << i;
  }
}

// One grey that burns alone says nothing against the curve, and the take keeps its offset.
TEST(ChannelEnds, OneBurntGreyIsNoWrongCurve) {
  const TempFolder folder;
  std::mt19937_64 random(37);
  for (int i = 0; i < 4; ++i) {
    PlainScene s;
    s.camera = randomCamera(random);
    s.camera.frames = 6;
    s.brightest = 0.4;
    s.step = 1.1;
    s.face = 0.05;
    const Judged j = shoot(s, {-1, 1, 2}, lossless(10, Sampling::Half422), folder.path(), [](Footage&) {});
    ASSERT_TRUE(j.measure.takes[2].measured) << i;
    EXPECT_NEAR(*j.measure.takes[2].measured, 2, 0.03) << i;
    EXPECT_FALSE(j.warns("wrong-curve")) << i;
  }
}

}  // namespace
}  // namespace edge
