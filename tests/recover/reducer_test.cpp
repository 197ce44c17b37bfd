// The reducer's ladder on fields whose truth is known here: flat noise, a texture, a moving one.
#include "recover/reducer.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "measure/noise.h"
#include "recover/latitude.h"

namespace edge {
namespace {

constexpr int kSide = 64;

// A checkerboard of blurred squares under white noise; dx: pixels by which it moves each frame.
CodeFrames field(double contrast, double noise, int frames, std::uint64_t seed = 1) {
  std::mt19937_64 random(seed);
  std::normal_distribution<float> normal(0, static_cast<float>(noise));
  CodeFrames f;
  f.width = f.height = kSide;
  for (int t = 0; t < frames; ++t) {
    auto& planes = f.frames.emplace_back();
    for (auto& p : planes)
      for (int y = 0; y < kSide; ++y)
        for (int x = 0; x < kSide; ++x)
          p.push_back(static_cast<float>(0.4 + contrast * std::sin(x * 0.9) * std::sin(y * 0.8)) +
                      normal(random));
  }
  return f;
}

double noiseOf(const CodeFrames& f) {
  RegionAccumulator sum(f.width, f.height);
  for (const auto& frame : f.frames) sum.add(frame[1].data());
  return std::sqrt(temporalVariance(sum.sums()).value_or(0));
}

TEST(Reducer, EveryRungTakesMoreOfTheNoiseThanTheOneBefore) {
  const CodeFrames f = field(0, 0.02, 16);
  double last = noiseOf(f);
  for (const auto& rung : reducerLadder()) {
    const CodeFrames clean = reduced(f, rung, true);
    ASSERT_GE(clean.frames.size(), 2u) << rung.words;
    EXPECT_LT(noiseOf(clean), last) << rung.words;
    last = noiseOf(clean);
  }
  EXPECT_LT(last, 0.002);
}

TEST(Reducer, ALevelStaysWhereItIs) {
  const CodeFrames f = field(0, 0.02, 16);
  for (const auto& rung : reducerLadder()) {
    const CodeFrames clean = reduced(f, rung, true);
    for (const auto& plane : clean.frames[0]) {
      double mean = 0;
      for (const float v : plane) mean += v / static_cast<double>(plane.size());
      EXPECT_NEAR(mean, 0.4, 0.001) << rung.words;
    }
  }
}

// What frames apart share nothing: averaging N independent frames can't do better than 1/sqrt(N) in what they
// alone give (JCGM 100:2008, 4.2.3); frames that overlap would seem cleaner than they are.
TEST(Reducer, FramesApartAreIndependent) {
  const auto rungs = reducerLadder();
  const CodeFrames f = field(0, 0.02, 16);
  EXPECT_EQ(reduced(f, rungs[1], true).frames.size(), 4u);  // 3 frames each
  EXPECT_EQ(reduced(f, rungs[3], true).frames.size(), 3u);  // 5 frames each
  EXPECT_TRUE(reduced(field(0, 0.02, 4), rungs[3], true).frames.empty());
}

TEST(Reducer, SameInputSameOutput) {
  const CodeFrames f = field(0.05, 0.02, 6);
  for (const auto& rung : reducerLadder())
    EXPECT_EQ(reduced(f, rung, true).frames, reduced(f, rung, true).frames) << rung.words;
}

TEST(Reducer, StrengthCostsWeakDetailFirst) {
  const Rung& strong = reducerLadder()[3];
  const auto contrast = [&](double c) {
    const CodeFrames clean = reduced(field(c, 0.02, 6), strong, true);
    double squares = 0, mean = 0;
    for (const float v : clean.frames[0][1]) mean += v / (kSide * kSide);
    for (const float v : clean.frames[0][1]) squares += (v - mean) * (v - mean) / (kSide * kSide);
    return std::sqrt(squares) / (c / 2);  // a product of sines has a standard deviation of half its height
  };
  EXPECT_LT(contrast(0.02), 0.5);
  EXPECT_LT(contrast(0.02), contrast(0.1));
  EXPECT_LT(contrast(0.1), contrast(0.3));
}

TEST(Reducer, SmearIsZeroForOneFrameAndNotMeasuredOnTooSmallAnArea) {
  EXPECT_NEAR(smearOf(field(0.1, 0.02, 6), reducerLadder()[0]).value_or(-1), 0, 1e-9);
  CodeFrames small = field(0.1, 0.02, 6);
  small.width = small.height = 8;
  EXPECT_FALSE(smearOf(small, reducerLadder()[1]));
}

// A take passes with the first rung that brings its noise under the clean limit while colour stays in order;
// the edge with clean-up follows from the ladder, not from the lost limit.
TEST(Reducer, TheEdgeWithCleanUpFollowsFromTheLadder) {
  const auto take = [](int stops, double noise, std::vector<double> after) {
    TakeMetrics m;
    m.name = "m" + std::to_string(-stops);
    m.planned = stops;
    m.measured = stops;
    m.frames = 8;
    m[Criterion::LumaNoise] = noise;
    m[Criterion::ChromaNoise] = 1;
    for (size_t i = 0; i < after.size(); ++i) {
      RungFigures r;
      r.rung = i;
      r.figures[static_cast<size_t>(Criterion::LumaNoise)] = after[i];
      m.rungs.push_back(r);
    }
    return m;
  };
  LatitudeMeasure m;
  m.base = take(0, 0.5, {});
  // Beyond the lost limit of 5, yet the second rung mends it; the last take nothing mends.
  m.takes = {take(-1, 1, {0.5, 0.2}), take(-2, 6, {3, 1.5}), take(-3, 12, {9, 4})};
  const auto r = judgeLatitude(m, {});
  EXPECT_EQ(r.verdicts[1].verdict, Verdict::Lost);
  EXPECT_EQ(firstGoodRung(m.takes[1], {})->rung, 1u);
  EXPECT_EQ(firstGoodRung(m.takes[2], {}), nullptr);
  EXPECT_EQ(*r.edges.under.firstBad, -2);
  EXPECT_EQ(*r.cleaned.under.lastGood, -2);
  EXPECT_EQ(*r.cleaned.under.firstBad, -3);
  // Noise that was reduced does not bring colour back.
  m.takes[1].shiftA = 9;
  EXPECT_EQ(firstGoodRung(m.takes[1], {}), nullptr);
  EXPECT_EQ(*judgeLatitude(m, {}).cleaned.under.firstBad, -2);
}

}  // namespace
}  // namespace edge
