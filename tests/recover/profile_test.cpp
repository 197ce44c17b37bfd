// Criteria profiles, other bases and re-judging.
#include <gtest/gtest.h>

#include <chrono>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "recover/correction_files.h"
#include "recover/restate.h"
#include "support/support.h"

namespace edge {
namespace {

TakeMetrics take(const std::string& name, double stops, double clip, double noise, double detail) {
  TakeMetrics m;
  m.name = name;
  m.planned = std::round(stops);
  m.measured = stops;
  m.sigma = 0.005;
  m.frames = 8;
  m.clippedSkin = {clip, 0, 0};
  m.clippedWhere = "forehead";
  m[Criterion::LumaNoise] = noise;
  m[Criterion::ChromaNoise] = 2 * noise;
  m[Criterion::Detail] = detail;
  for (const Delivery& d : standardDeliveries()) {
    DeliveredFigures f{d, m.figures};
    // Half the noise at high definition, where nothing else says so.
    if (d.raster->width == 1920) *f.figures[static_cast<size_t>(Criterion::LumaNoise)] /= 2;
    m.delivered.push_back(f);
  }
  return m;
}

LatitudeMeasure bracket() {
  LatitudeMeasure m;
  m.base = take("base", 0, 0, 0.5, 0.99);
  for (int s = -6; s <= 5; ++s)
    if (s != 0)
      m.takes.push_back(take((s < 0 ? "m" : "p") + std::to_string(std::abs(s)), s, s > 3 ? 30 : 0,
                             0.5 * std::exp2(-0.6 * s), s < -4 ? 0.6 : 0.95));
  m.logEncoding = "acescct";
  m.toSkin = 0.8;
  return m;
}

TEST(Profile, SurvivesItsFile) {
  const test::TempFolder folder;
  for (const auto& p : standardProfiles()) {
    test::writeText(folder / "p.json", toJson(p).dump());
    const CriteriaProfile back = readProfile(folder / "p.json");
    EXPECT_EQ(toJson(back), toJson(p)) << p.name;
    EXPECT_EQ(back.delivery.has_value(), p.delivery.has_value());
  }
}

TEST(Profile, WhatIsLeftOutKeepsItsDefaultAndOldProjectsAreRead) {
  const auto p = criteriaProfileFrom(nlohmann::json::parse(
      R"({"format": "edge-test-profile", "version": 1, "limits": {"noise_luma": [1, 2]}})"));
  EXPECT_EQ(p[Criterion::LumaNoise].lost, 2);
  EXPECT_EQ(p[Criterion::ColourShift].lost, 6);
  EXPECT_FALSE(p.delivery);
  const auto old = criteriaProfileFrom(nlohmann::json::parse(R"({"name": "own", "luma_noise": [1.5, 3]})"));
  EXPECT_EQ(old.name, "own");
  EXPECT_EQ(old[Criterion::LumaNoise].clean, 1.5);
}

TEST(Profile, BadFilesAreRefusedWithTheKey) {
  const test::TempFolder folder;
  const std::pair<const char*, const char*> bad[] = {
      {"", ""},
      {"[1]", "format"},
      {R"({"format": "edge-test-profile", "version": 2})", "format"},
      {R"({"format": "edge-test-profile", "version": 1, "limits": {"beauty": [1, 2]}})", "limits.beauty"},
      {R"({"format": "edge-test-profile", "version": 1, "limits": {"noise_luma": [3, 2]}})",
       "limits.noise_luma"},
      {R"({"format": "edge-test-profile", "version": 1, "limits": {"detail": [0.5, 0.8]}})", "limits.detail"},
      {R"({"format": "edge-test-profile", "version": 1, "limits": {"noise_luma": "low"}})",
       "limits.noise_luma"},
      {R"({"format": "edge-test-profile", "version": 1, "chroma": "411"})", "chroma"},
      {R"({"format": "edge-test-profile", "version": 1, "raster": {"width": -3, "height": 2}})", "raster"}};
  for (const auto& [text, place] : bad) {
    test::writeText(folder / "bad.json", text);
    try {
      (void)readProfile(folder / "bad.json");
      ADD_FAILURE() << text;
    } catch (const Error& e) {
      EXPECT_EQ(e.place(), place) << text;
      EXPECT_NE(e.subject().find("bad.json"), std::string::npos) << text;
    }
  }
}

TEST(Profile, NoiseIsJudgedAtItsDelivery) {
  const LatitudeMeasure m = bracket();
  CriteriaProfile hd;
  hd.delivery = Delivery{Raster{1920, 1080}, Chroma::Half422};
  // Half the noise, which falls by 0.6 stop a stop: the edge lies lower.
  EXPECT_LT(judgeLatitude(m, hd).edges.under.estimate->stops,
            judgeLatitude(m, {}).edges.under.estimate->stops - 0.5);
  // A delivery nobody measured is not known to be clean, and that is said.
  CriteriaProfile odd;
  odd.delivery = Delivery{Raster{1000, 500}, Chroma::Full444};
  const auto r = judgeLatitude(m, odd);
  EXPECT_TRUE(std::any_of(r.warnings.begin(), r.warnings.end(),
                          [](const Warning& w) { return w.code == "not-at-delivery"; }));
  for (size_t i = 0; i < r.verdicts.size(); ++i) {
    for (const auto& reason : r.verdicts[i].reasons)
      EXPECT_TRUE(reason.criterion != Criterion::LumaNoise || reason.grade == Verdict::Unknown);
    EXPECT_TRUE(m.takes[i].planned > 0 || r.verdicts[i].verdict != Verdict::Clean) << i;
  }
  ASSERT_TRUE(r.edges.under.estimate);
  EXPECT_TRUE(r.edges.under.estimate->atLeast);
}

TEST(Profile, DetailIsBadWhereItIsSmall) {
  const auto r = judgeLatitude(bracket(), {});
  const auto m5 = r.verdicts[1];
  EXPECT_TRUE(std::any_of(m5.reasons.begin(), m5.reasons.end(), [](const Reason& x) {
    return x.criterion == Criterion::Detail && x.grade == Verdict::Cleanable;
  }));
}

// Needs L4: a change of limits re-judges all takes in under 100 ms.
TEST(Profile, AChangeRejudgesABracketAtOnce) {
  const LatitudeMeasure m = bracket();
  const auto start = std::chrono::steady_clock::now();
  for (const auto& p : standardProfiles()) (void)judgeLatitude(m, p);
  EXPECT_LT(std::chrono::steady_clock::now() - start, std::chrono::milliseconds(100));
}

TEST(Restate, TheSplitMovesAndTheWidthStays) {
  const LatitudeMeasure m = bracket();
  const auto r = judgeLatitude(m, {});
  for (const char* base : {"p1", "m2", "skin", "1.5", "-0,5"}) {
    const NewBase to = newBaseOf(base, m);
    const auto moved = restated(r, to.stops);
    EXPECT_NEAR(moved.edges.over.estimate->stops, r.edges.over.estimate->stops - to.stops, 1e-9) << base;
    EXPECT_NEAR(*moved.edges.under.firstBad, *r.edges.under.firstBad - to.stops, 1e-9) << base;
    EXPECT_EQ(moved.edges.latitude->stops, r.edges.latitude->stops) << base;
  }
  EXPECT_EQ(newBaseOf("m2", m).stops, -2);
  EXPECT_EQ(newBaseOf("skin", m).stops, 0.8);
  for (const char* none : {"grey", "nobody", ""}) EXPECT_THROW((void)newBaseOf(none, m), UsageError) << none;
}

TEST(CorrectionFiles, NamesStayInTheirFolder) {
  EXPECT_EQ(correctionFileName("m3", Branch::Exposure, CorrectionFormat::Clf), "m3-exposure.clf");
  EXPECT_EQ(correctionFileName("m0.33", Branch::Grade, CorrectionFormat::Cube), "m0.33-grade.cube");
  EXPECT_EQ(correctionFileName("../../a b", Branch::LogOffset, CorrectionFormat::Cdl),
            "_._.._a_b-log_offset.cdl");
}

}  // namespace
}  // namespace edge
