// A base is judged as any take: where it fails itself there is no edge on that side, and that is said first.
#include <gtest/gtest.h>

#include <algorithm>

#include "recover/latitude.h"

namespace edge {
namespace {

LatitudeMeasure bracket() {
  LatitudeMeasure m;
  for (const double s : {-2.0, -1.0, 1.0, 2.0}) {
    TakeMetrics t;
    t.name = s < 0 ? "m" : "p", t.planned = s, t.measured = s, t.sigma = 0.01;
    t[Criterion::LumaNoise] = s < 0 ? 1 - s : 0.5, t[Criterion::ChromaNoise] = 1,
    t.clippedSkin = {s > 1 ? 40.0 : 0.0, 0.0, 0.0};
    m.takes.push_back(t);
  }
  m.base[Criterion::LumaNoise] = 1, m.base[Criterion::ChromaNoise] = 1, m.base.clippedSkin = {0.0, 0.0, 0.0};
  return m;
}

bool warns(const LatitudeResult& r, const char* code) {
  return std::any_of(r.warnings.begin(), r.warnings.end(), [&](const Warning& w) { return w.code == code; });
}

TEST(BaseFails, ANoisyBaseHasNoLowerEdge) {
  LatitudeMeasure m = bracket();
  EXPECT_TRUE(judgeLatitude(m, {}).edges.under.estimate);
  EXPECT_FALSE(warns(judgeLatitude(m, {}), "base-fails"));
  m.base[Criterion::LumaNoise] = 3;
  const LatitudeResult r = judgeLatitude(m, {});
  EXPECT_FALSE(r.edges.under.estimate);
  EXPECT_TRUE(r.edges.over.estimate);
  EXPECT_FALSE(r.edges.latitude);
  EXPECT_EQ(r.base.verdict, Verdict::Cleanable);
  EXPECT_TRUE(r.cleaned.under.estimate) << "with clean-up it still holds";
  EXPECT_TRUE(warns(r, "base-fails"));
}

TEST(BaseFails, AClippedBaseHasNoUpperEdge) {
  LatitudeMeasure m = bracket();
  m.base.clippedSkin[0] = 20;
  const LatitudeResult r = judgeLatitude(m, {});
  EXPECT_FALSE(r.edges.over.estimate);
  EXPECT_TRUE(r.edges.under.estimate);
}

// What is clipped is not known where no channel's end is: no verdict is built on it.
TEST(BaseFails, UnknownEndsAreNoZero) {
  LatitudeMeasure m = bracket();
  for (auto& t : m.takes) t.clippedSkin = {};
  EXPECT_FALSE(worstClip(m.takes[3]));
  m.takes[3].suspectedClip = 80, m.takes[3].clippedWhere = "forehead";
  const LatitudeResult r = judgeLatitude(m, {});
  EXPECT_TRUE(warns(r, "clip-unknown"));
  EXPECT_TRUE(warns(r, "edge-unknown"));
  EXPECT_EQ(r.judged[3].verdict, Verdict::Unknown);
  EXPECT_EQ(r.edges.over.lastGood, 1);
  EXPECT_FALSE(r.edges.over.firstBad);
  EXPECT_EQ(r.edges.over.firstUnknown, 2);
  ASSERT_TRUE(r.edges.over.estimate);
  EXPECT_TRUE(r.edges.over.estimate->atLeast);
  // A pile smaller than what may burn decides nothing.
  m.takes[3].suspectedClip = 0.4;
  EXPECT_EQ(judgeLatitude(m, {}).judged[3].verdict, Verdict::Clean);
}

// Frames that are all the same say nothing of noise, which is not clean.
TEST(BaseFails, NoiseThatIsNotKnownIsNotClean) {
  LatitudeMeasure m = bracket();
  m.takes[0][Criterion::LumaNoise].reset();
  m.takes[0][Criterion::ChromaNoise].reset();
  const LatitudeResult r = judgeLatitude(m, {});
  EXPECT_EQ(r.judged[0].verdict, Verdict::Unknown);
  EXPECT_EQ(r.edges.under.firstUnknown, -2);
  EXPECT_TRUE(r.edges.under.estimate->atLeast);
  EXPECT_EQ(r.cleaned.under.firstUnknown, -2);
}

// Pixels piled up at the top of a picture, with its other tones far below.
TEST(PileUp, IsFoundAtTheTopAndNowhereElse) {
  CodeDistribution piled, plain;
  for (int i = 0; i < 20000; ++i) {
    const double tone = 0.2 + 0.5 * i / 20000;
    piled.add(tone), plain.add(tone);
  }
  for (int i = 0; i < 2000; ++i) piled.add(0.72);
  ASSERT_TRUE(piled.pileUp(2e-4));
  EXPECT_NEAR(*piled.pileUp(2e-4), 0.72, 2.0 / 1023);
  EXPECT_FALSE(plain.pileUp(2e-4));
}

}  // namespace
}  // namespace edge
