// More light by hand: luma noise falls by photons alone, half a stop a stop (a quarter for each half).
#include "noise/more_light.h"

#include <gtest/gtest.h>

#include <cmath>

namespace edge {
namespace {

TakeMetrics take(double stops, double luma, double clipped) {
  TakeMetrics t;
  t.name = "p";
  t.planned = stops;
  t.measured = stops;
  t[Criterion::LumaNoise] = luma;
  t[Criterion::ChromaNoise] = 3 * luma;
  t.clippedSkin = {clipped, 0.0, 0.0};
  t.clippedWhere = "forehead";
  return t;
}

LatitudeMeasure bracket() {
  LatitudeMeasure m;
  m.base = take(0, 1, 0);
  m.takes = {take(1, std::exp2(-0.5), 0), take(2, std::exp2(-1.0), 0.5), take(3, std::exp2(-1.5), 20)};
  return m;
}

// EI = ISO/2^n of an exposure n stops over (docs/method.md, "Stops").
TEST(MoreLight, TheRatingIsTheIsoLessTheStopsOver) {
  const auto l = moreLightOf(bracket(), 800, {});
  ASSERT_TRUE(l);
  EXPECT_EQ(l->bestStops, 2) << "half a per cent of the face is exactly what may burn";
  EXPECT_NEAR(l->bestEi, 200, 1e-9);
  EXPECT_NEAR(l->bestGain, 1, 1e-9);
  ASSERT_EQ(l->steps.size(), 4U);
  for (size_t i = 1; i < 4; ++i) EXPECT_NEAR(*l->steps[i].gainPerHalfStop, 0.25, 1e-9);
  EXPECT_FALSE(l->flattensAt);
}

TEST(MoreLight, AnEndThatIsNotKnownIsNoHeadroom) {
  LatitudeMeasure m = bracket();
  m.takes[1].clippedSkin = {};
  m.takes[1].suspectedClip = 4;
  const auto l = moreLightOf(m, 800, {});
  ASSERT_TRUE(l);
  EXPECT_EQ(l->bestStops, 1);
  EXPECT_NEAR(l->bestEi, 400, 1e-9);
}

}  // namespace
}  // namespace edge
