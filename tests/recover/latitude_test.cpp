#include "recover/latitude.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "simulate/camera.h"
#include "support/support.h"

namespace edge {
namespace {

// A take of a grey scale without pictures: light levels under exposure k, pedestal q, clip at 1.
TakeStats greyTake(const std::vector<double>& greys, double k, double q, double noise, double frames = 4) {
  TakeStats t;
  t.frames = static_cast<std::int64_t>(frames);
  for (size_t i = 0; i < greys.size(); ++i) {
    AreaStats a;
    a.name = "grey " + std::to_string(i + 1), a.role = "grey";
    const double level = std::min(1.0, k * greys[i] + q);
    a.mean = {level, level, level};
    a.luma = level, a.lumaVariance = noise * noise, a.pixels = 2000;
    for (auto& c : a.codes)
      for (int n = 0; n < 2000; ++n) c.add(level);
    t.patches.push_back(a);
  }
  return t;
}

const std::vector<double> kGreys = {0.8, 0.5, 0.36, 0.18, 0.09, 0.045, 0.02, 0.01};
const std::vector<size_t> kAll = {0, 1, 2, 3, 4, 5, 6, 7};

// Known offsets come back within 0.025 stop from -5 to +4, with a pedestal in the way (docs/method.md,
// "Latitude").
TEST(BringBack, MeasuresKnownOffsets) {
  const TakeStats base = greyTake(kGreys, 0.05, 0.002, 1e-4);
  for (double stops = -5; stops <= 4; stops += 0.75) {
    const TakeStats take = greyTake(kGreys, 0.05 * std::exp2(stops), 0.002, 1e-4);
    const auto plateau = findPlateau({&base, &take}, kAll);
    const auto b = solveOffset(take, base, kAll, plateau);
    ASSERT_TRUE(b) << stops;
    EXPECT_NEAR(b->offsetStops(), stops, 0.025) << stops;
    EXPECT_FALSE(b->byMedian);
  }
}

TEST(BringBack, ClippedPatchesAreLeftOut) {
  const TakeStats base = greyTake(kGreys, 1, 0, 1e-4), take = greyTake(kGreys, 8, 0, 1e-4);
  const auto plateau = findPlateau({&base, &take}, kAll);
  ASSERT_TRUE(plateau[0]);
  EXPECT_NEAR(*plateau[0], 1, 0.01);
  const auto b = solveOffset(take, base, kAll, plateau);
  EXPECT_NEAR(b->offsetStops(), 3, 0.01);
  EXPECT_EQ(b->patchesUsed, 4);
}

TEST(BringBack, NoPlateauWhereNothingClips) {
  const TakeStats base = greyTake(kGreys, 0.2, 0, 1e-4), take = greyTake(kGreys, 0.4, 0, 1e-4);
  EXPECT_FALSE(findPlateau({&base, &take}, kAll)[1]);
}

TEST(BringBack, FewPatchesUseTheMedianAndSaySo) {
  const TakeStats base = greyTake({0.36, 0.18}, 1, 0, 1e-4), take = greyTake({0.36, 0.18}, 0.25, 0, 1e-4);
  const auto b = solveOffset(take, base, {0, 1}, {});
  ASSERT_TRUE(b);
  EXPECT_TRUE(b->byMedian);
  EXPECT_NEAR(b->offsetStops(), -2, 1e-6);
  const TakeStats lost = greyTake({0.36, 0.18}, 1e-4, 0, 1);
  EXPECT_FALSE(solveOffset(lost, base, {0, 1}, {}));
}

TEST(BringBack, WrongCurveShowsAsScatter) {
  const TakeStats base = greyTake(kGreys, 0.5, 0, 1e-5);
  TakeStats take = greyTake(kGreys, 0.25, 0, 1e-5);
  for (auto& p : take.patches) p.luma = std::pow(p.luma, 0.9);
  const auto b = solveOffset(take, base, kAll, {});
  EXPECT_GT(b->scatterStops, 0.03);
}

TEST(CodeDistribution, SharesAndQuantiles) {
  CodeDistribution d;
  for (int i = 0; i < 1000; ++i) d.add(i / 1000.0);
  EXPECT_NEAR(d.shareFrom(0.9), 0.1, 0.003);
  EXPECT_NEAR(d.quantile(0.5), 0.5, 0.003);
  d.add(1e9);
  d.add(-1e9);
  EXPECT_EQ(d.total(), 1002);
}

TakeMetrics metrics(const char* name, double measured, double clip, double shift, double luma,
                    double chroma) {
  TakeMetrics m;
  m.name = name, m.planned = std::round(measured), m.measured = measured, m.sigma = 0.005, m.frames = 4;
  m.clippedSkin = {clip, clip / 4, 0}, m.clippedWhere = "forehead";
  m.shiftA = shift, m[Criterion::LumaNoise] = luma, m[Criterion::ChromaNoise] = chroma;
  return m;
}

LatitudeMeasure bracket() {
  LatitudeMeasure m;
  m.base = metrics("base", 0, 0, 0, 0.5, 2);
  m.takes = {metrics("m3", -3, 0, 1, 6, 24),    metrics("m2", -2, 0, 0.5, 3, 12),
             metrics("m1", -1, 0, 0.2, 1.5, 6), metrics("p1", 1, 0, 0, 0.4, 1.5),
             metrics("p2", 2, 3, 0, 0.3, 1),    metrics("p3", 3, 40, 2, 0.2, 0.8)};
  return m;
}

TEST(Verdict, LimitsGiveCleanCleanableLost) {
  const auto r = judgeLatitude(bracket(), {});
  const Verdict expected[] = {Verdict::Lost,  Verdict::Cleanable, Verdict::Clean,
                              Verdict::Clean, Verdict::Cleanable, Verdict::Lost};
  for (size_t i = 0; i < 6; ++i) EXPECT_EQ(r.verdicts[i].verdict, expected[i]) << i;
  EXPECT_NE(reasonWords(r.verdicts[5].reasons[0]).find("forehead"), std::string::npos);
  EXPECT_NE(reasonWords(r.verdicts[5].reasons[0]).find("red"), std::string::npos);
  EXPECT_EQ(reasonWords(r.verdicts[5].reasons[0]).find("blue"), std::string::npos);
}

// A limit is the last value that still passes, in every criterion.
TEST(Verdict, AFigureExactlyAtItsLimitPasses) {
  const CriteriaProfile p;
  for (const auto& spec : criteria()) {
    if (!p[spec.id].judges() || spec.derived) continue;
    TakeMetrics t = metrics("x", spec.side == JudgedSide::Over ? 1 : -1, 0, 0, 0.1, 0.1);
    t[spec.id] = p[spec.id].clean;
    EXPECT_EQ(judgeTake(t, p).verdict, Verdict::Clean) << spec.key;
    t[spec.id] = p[spec.id].lost;
    EXPECT_EQ(judgeTake(t, p).verdict, Verdict::Cleanable) << spec.key;
  }
  TakeMetrics t = metrics("x", 1, p[Criterion::HighlightGone].clean, 0, 0.1, 0.1);
  EXPECT_EQ(judgeTake(t, p).verdict, Verdict::Clean);
  t.clippedSkin[0] = p[Criterion::HighlightGone].lost;
  EXPECT_EQ(judgeTake(t, p).verdict, Verdict::Cleanable);
}

// A thousandth of an area's pixels within six codes of a channel's end: its level says nothing of its light.
TEST(BringBack, AThousandthOfItsPixelsAtTheEndIsPartlyClipped) {
  const Plateau plateau = {0.9, std::nullopt, std::nullopt};
  const auto area = [](int atEnd) {
    AreaStats a;
    for (int i = 0; i < 10000; ++i) a.codes[0].add(i < atEnd ? 0.9 - 5.0 / 1023 : 0.5);
    return a;
  };
  EXPECT_FALSE(isPartlyClipped(area(9), plateau));
  EXPECT_TRUE(isPartlyClipped(area(10), plateau));
  EXPECT_NEAR(shareAtEnd(area(40), 0, plateau, kPartlyClipped), 0.004, 1e-9);
  EXPECT_EQ(shareAtEnd(area(40), 0, plateau, kAtEnd), 0) << "five codes below it";
}

// Of two greys the middle of their two ratios, in stops.
TEST(BringBack, TwoGreysGiveTheMiddleOfTheirRatios) {
  TakeStats base, take;
  for (const double light : {0.1, 0.2}) {
    AreaStats a;
    a.luma = light;
    a.mean = {light, light, light};
    a.lumaVariance = 1e-8;
    a.pixels = 1000;
    base.patches.push_back(a);
    a.luma *= light < 0.15 ? 2 : 2 * std::exp2(0.1);
    take.patches.push_back(a);
  }
  base.frames = 4;
  take.frames = 4;
  const auto back = solveOffset(take, base, {0, 1}, {});
  ASSERT_TRUE(back);
  EXPECT_TRUE(back->byMedian);
  EXPECT_NEAR(back->offsetStops(), 1.05, 1e-9);
}

TEST(Verdict, EdgesAreBracketsAndNoiseIsInterpolatedInItsLogarithm) {
  const auto r = judgeLatitude(bracket(), {});
  EXPECT_EQ(*r.edges.under.lastGood, -1);
  EXPECT_EQ(*r.edges.under.firstBad, -2);
  // Luma noise goes from 1.5 to 3.0 and meets its limit of 2.2 after log2(2.2/1.5) = 0.553 of the stop,
  // chroma noise from 6 to 12 and its limit of 8.5 after log2(8.5/6) = 0.503: what gives way first is the
  // edge.
  EXPECT_NEAR(r.edges.under.estimate->stops, -1 - std::log2(8.5 / 6), 0.01);
  EXPECT_EQ(r.edges.under.cause.criterion, Criterion::ChromaNoise);
  // Without the face's levels nothing says where between the two takes it burns.
  EXPECT_NEAR(r.edges.over.estimate->stops, 1.5, 1e-9);
  EXPECT_NEAR(r.edges.over.estimate->sigma, 1 / std::sqrt(12.0), 1e-9);
  EXPECT_EQ(r.edges.over.cause.criterion, Criterion::HighlightGone);
  EXPECT_NEAR(r.edges.latitude->stops, r.edges.over.estimate->stops - r.edges.under.estimate->stops, 1e-9);
  EXPECT_EQ(*r.cleaned.under.firstBad, -3);
  EXPECT_GT(r.cleaned.latitude->stops, r.edges.latitude->stops);
}

TEST(Verdict, BracketThatEndsFirstGivesAtLeast) {
  LatitudeMeasure m = bracket();
  m.takes.resize(4);  // nothing over is bad any more
  const auto r = judgeLatitude(m, {});
  EXPECT_TRUE(r.edges.over.estimate->atLeast);
  EXPECT_FALSE(r.edges.over.firstBad);
  EXPECT_TRUE(r.edges.latitude->atLeast);
}

TEST(Verdict, OverIsNotJudgedByNoiseNorUnderByHighlights) {
  LatitudeMeasure m = bracket();
  m.takes[4][Criterion::LumaNoise] = 99;
  m.takes[4].clippedSkin = {};
  m.takes[2].clippedSkin = {90, 90, 90};
  const auto r = judgeLatitude(m, {});
  EXPECT_EQ(r.verdicts[4].verdict, Verdict::Clean);
  EXPECT_EQ(r.verdicts[2].verdict, Verdict::Clean);
}

TEST(Verdict, APersonsVerdictStandsAboveTheToolsAndBothAreKept) {
  const auto r = judgeLatitude(bracket(), {}, {{"m2", Verdict::Clean}});
  EXPECT_EQ(r.judged[1].verdict, Verdict::Clean);
  EXPECT_EQ(r.verdicts[1].verdict, Verdict::Cleanable);
  EXPECT_EQ(*r.edges.under.lastGood, -2);
}

TEST(Verdict, ProfileMovesTheEdges) {
  CriteriaProfile web;
  web[Criterion::LumaNoise] = {4, 9}, web[Criterion::ChromaNoise] = {15, 30};
  EXPECT_LT(judgeLatitude(bracket(), web).edges.under.estimate->stops,
            judgeLatitude(bracket(), {}).edges.under.estimate->stops);
}

TEST(Verdict, MislabelledAndDriftingTakesAreNamed) {
  LatitudeMeasure m = bracket();
  m.takes[4].planned = 3;
  m.takes[0].driftStops = -0.3;
  const auto r = judgeLatitude(m, {});
  const auto has = [&](const char* code, const char* where) {
    return std::any_of(r.warnings.begin(), r.warnings.end(),
                       [&](const Warning& w) { return w.code == code && w.where == where; });
  };
  EXPECT_TRUE(has("exposure-mismatch", "take p2"));
  EXPECT_TRUE(has("drift", "take m3"));
  EXPECT_FALSE(has("exposure-mismatch", "take p1"));
}

TEST(Verdict, ShiftsAreSaidInWords) {
  EXPECT_EQ(shiftWords(0.1, 0.1), "neutral");
  EXPECT_EQ(shiftWords(5, 0), "towards magenta");
  EXPECT_EQ(shiftWords(-5, 4), "towards green and yellow");
  EXPECT_EQ(shiftWords(0, -3), "towards blue");
}

TEST(Verdict, MeasureSurvivesTheProjectFile) {
  const LatitudeMeasure m = bracket(), back = latitudeFromJson(toJson(m));
  EXPECT_EQ(latitudeToJson(m, judgeLatitude(m, {}), {}), latitudeToJson(back, judgeLatitude(back, {}), {}));
}

TEST(Series, BadFilesAreRefusedWithThePlace) {
  const test::TempFolder folder;
  const char* bad[] = {
      "",
      "[]",
      R"({"format":"edge-test-series"})",
      R"({"format":"edge-test-series","version":2,"takes":[]})",
      R"({"format":"edge-test-series","version":1,"kind":"dance","takes":[{"clip":"a","stops":1}]})",
      R"({"format":"edge-test-series","version":1,"kind":"iso-sweep","takes":[]})",
      R"({"format":"edge-test-series","version":1,"kind":"iso-sweep","takes":[{"clip":"a"}]})",
      R"({"format":"edge-test-series","version":1,"kind":"infrared","takes":[{"clip":"a","stops":0}]})",
      R"({"format":"edge-test-series","version":1,"kind":"iso-sweep","takes":[{"clip":"a","stops":1e9}]})",
      R"({"format":"edge-test-series","version":1,"kind":"bracket","takes":[{"clip":"a","stops":1}]})"};
  for (const char* text : bad) {
    test::writeText(folder / "s.json", text);
    EXPECT_THROW((void)readSeries(folder / "s.json"), Error) << text;
  }
}

}  // namespace
}  // namespace edge
