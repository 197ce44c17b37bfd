// What changed between two tests: arithmetic written out by hand, then two hundred re-tests of footage whose
// truth is closed form (tests/measure/wedge_camera, tests/recover/plain_bracket; none of src/simulate).
// EDGE_STUDY=200 runs all of them.
#include "library/retest.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <nlohmann/json.hpp>

#include "measure/wedge_camera.h"
#include "recover/plain_bracket.h"

namespace edge {
namespace {

Tested rope(const std::string& date) {
  Tested t;
  t.file = date + ".edgetest", t.title = "Rope works", t.date = date, t.id = 1;
  t.body = "Corvane 35", t.mode = "log", t.iso = 800, t.decode = "c", t.criteria = "default";
  t.protocol = Protocol{1, {{"Lens", "Rope prime 50"}}, "k"};
  t.figures = {Limit{12, 0.04, false}, Limit{8, 0.1, false},  Limit{-4, 0.08, false},
               Limit{4, 0.05, false},  Limit{6, 0.02, false}, Limit{7, 0.05, false}};
  return t;
}
Limit& of(Tested& t, TestedFigure f) {
  return *t.figures[static_cast<size_t>(f)];
}
const Difference& of(const Retest& r, TestedFigure f) {
  return r.figures[static_cast<size_t>(f)];
}

// JCGM 100:2008, 5.1.2: independent errors add in quadrature. By hand: sqrt(0.04² + 0.03² + 2·0.03²) =
// 0.06557; six figures share 1 %: two-sided 0.01/6 = 0.0016667, z = 3.1437 (normal table, interpolated
// between 3.14 -> 0.00169 and 3.15 -> 0.00163).
TEST(Retest, ErrorsAddAndAllFiguresShareTheRisk) {
  Tested a = rope("2025-03-02"), b = rope("2026-11-27");
  of(b, TestedFigure::Range) = {11.9, 0.03, false};
  const Retest r = retest(a, b);
  const Difference& d = of(r, TestedFigure::Range);
  EXPECT_NEAR(*d.stops, -0.1, 1e-12);
  EXPECT_NEAR(*d.sigma, 0.06557, 1e-5);
  EXPECT_NEAR(*d.wouldShow, 3.1437 * 0.06557, 1e-3);
  EXPECT_EQ(d.change, Change::Unchanged);
  EXPECT_EQ(r.change, Change::Unchanged);
  // An edge counts from a base that was metered twice: sqrt(2·0.08² + 2·0.03² + 2·0.1²) = 0.18601.
  EXPECT_NEAR(*of(r, TestedFigure::Under).sigma, 0.18601, 1e-5);
  of(b, TestedFigure::Range) = {11.5, 0.03, false};
  const Retest lost = retest(a, b);
  EXPECT_EQ(of(lost, TestedFigure::Range).change, Change::Changed);
  EXPECT_EQ(of(lost, TestedFigure::Latitude).change, Change::Unchanged);
  EXPECT_EQ(lost.change, Change::Changed);
  EXPECT_NE(lost.sentence.find("dynamic range by −0.50"), std::string::npos) << lost.sentence;
}

TEST(Retest, ABoundSaysWhatItCanAndNoMore) {
  Tested a = rope("2025-03-02"), b = rope("2026-11-27");
  of(a, TestedFigure::Over) = {4, 0, true};  // held to the end of the bracket then
  of(b, TestedFigure::Over) = {4.5, 0.05, false};
  EXPECT_EQ(of(retest(a, b), TestedFigure::Over).change, Change::NotKnown);
  of(b, TestedFigure::Over) = {2.5, 0.05, false};
  EXPECT_EQ(of(retest(a, b), TestedFigure::Over).change, Change::Changed);
  EXPECT_FALSE(of(retest(a, b), TestedFigure::Over).stops) << "a difference to a bound is no figure";
  of(a, TestedFigure::Under) = {-6, 0, true};  // downwards: at least as far
  of(b, TestedFigure::Under) = {-7, 0.1, false};
  EXPECT_EQ(of(retest(a, b), TestedFigure::Under).change, Change::NotKnown);
  of(b, TestedFigure::Under) = {-4, 0.1, false};
  EXPECT_EQ(of(retest(a, b), TestedFigure::Under).change, Change::Changed);
  EXPECT_NE(of(retest(a, b), TestedFigure::Under).why.find("2.00 stops lost"), std::string::npos);
  of(b, TestedFigure::Under) = {-6, 0, true};
  EXPECT_EQ(of(retest(a, b), TestedFigure::Under).why, "both tests ended before it");
}

TEST(Retest, UnlikeIsNotComparedAndSaysWhy) {
  const Tested a = rope("2025-03-02");
  Tested b = rope("2026-11-27");
  b.protocol = Protocol{1, {{"Lens", "Rope prime 35"}}, "other"};
  EXPECT_EQ(of(retest(a, b), TestedFigure::Latitude).change, Change::NotKnown);
  EXPECT_NE(of(retest(a, b), TestedFigure::Latitude).why.find("Rope prime 35"), std::string::npos);
  EXPECT_EQ(of(retest(a, b), TestedFigure::Range).change, Change::Unchanged) << "a wedge has no bracket";
  b = rope("2026-11-27"), b.headlineSnr = 1;
  EXPECT_NE(of(retest(a, b), TestedFigure::Range).why.find("SNR 2 then and 1 now"), std::string::npos);
  b = rope("2026-11-27"), b.criteria = "own limits";
  EXPECT_EQ(of(retest(a, b), TestedFigure::Over).why, "judged by other limits");
  b = rope("2026-11-27"), b.fits = false;
  EXPECT_EQ(retest(a, b).change, Change::NotKnown);
  EXPECT_NE(retest(a, b).sentence.find("measure it again"), std::string::npos);
  b = rope("2026-11-27"), b.decode = "another curve";
  EXPECT_EQ(retest(a, b).change, Change::NotKnown);
  b = rope("2026-11-27"), b.iso = 1600;
  EXPECT_THROW((void)retest(a, b), Error);
  b = rope("2026-11-27"), b.body = " corvane 35";
  EXPECT_EQ(retest(a, b).change, Change::Unchanged) << "a name typed otherwise is the same body";
  b = rope("2026-11-27"), b.protocol.reset();
  EXPECT_EQ(retest(a, b).warnings.at(0).code, "protocol-unknown");
}

TEST(Retest, BothEdgesMovedAlikeAreAnExposure) {
  Tested a = rope("2025-03-02"), b = rope("2026-11-27");
  of(b, TestedFigure::Under).stops += 0.9, of(b, TestedFigure::Over).stops += 0.9;
  a.baseOverCurve = 0, b.baseOverCurve = -0.9;
  const Retest r = retest(a, b);
  EXPECT_NE(r.sentence.find("the base was exposed otherwise"), std::string::npos) << r.sentence;
  ASSERT_FALSE(r.warnings.empty());
  EXPECT_EQ(r.warnings[0].code, "base-moved");
}

// Another raster, sampling or codec is another noise a pixel, whatever the body does.
TEST(Retest, WhatWasRecordedOtherwiseIsNoChangeOfTheBody) {
  Tested a = rope("2025-03-02"), b = rope("2026-11-27");
  a.raster = "3840 x 2160", b.raster = "1920 x 1080";
  of(b, TestedFigure::Range).stops = 13;
  EXPECT_EQ(retest(a, b).change, Change::NotKnown);
  EXPECT_NE(retest(a, b).sentence.find("3840 x 2160 then and 1920 x 1080 now"), std::string::npos);
  b.raster = a.raster, a.said = {"few-frames"}, b.said = {"few-frames", "filtered"};
  const Retest r = retest(a, b);
  EXPECT_EQ(r.change, Change::Changed);
  ASSERT_FALSE(r.warnings.empty());
  EXPECT_NE(r.warnings[0].message.find("filtered"), std::string::npos);
  EXPECT_EQ(r.warnings[0].message.find("few frames"), std::string::npos) << "both said that";
}

TEST(Retest, CopiesOfOneProjectAreNoRetest) {
  Tested a = rope("2025-03-02"), b = rope("2026-11-27");
  a.project = "5A17A0", b.project = "5A17A1";
  EXPECT_TRUE(retest(a, b).warnings.empty());
  b.project = a.project;
  ASSERT_FALSE(retest(a, b).warnings.empty());
  EXPECT_EQ(retest(a, b).warnings[0].code, "copies");
}

TEST(Retest, TestedComesBackFromTheIndexAsItWas) {
  Tested a = rope("2025-03-02");
  a.baseOverCurve = 0.25, a.figures[2].reset(), of(a, TestedFigure::Over).atLeast = true;
  const Tested b = testedFromJson(nlohmann::json::parse(toJson(a).dump()));
  EXPECT_EQ(toJson(a), toJson(b));
  EXPECT_EQ(b.protocol->key, "k");
  EXPECT_FALSE(b[TestedFigure::Under]);
}

// One test of a body: a wedge and a bracket, with their own noise.
Tested shot(double well, std::uint64_t seed, const std::filesystem::path& folder) {
  Finding f;
  Wedge w;
  w.well = well, w.seed = seed, w.recording = Recording::Exr;
  WedgeMeasure wedge;
  f.range = analyse(w, folder / "w", &wedge);
  f.wedge = wedge;
  test::PlainScene s;
  s.camera.well = well, s.camera.seed = seed, s.camera.frames = 6;
  const auto j = test::shoot(s, {-7, -6, -5, -4, -3, 1, 2, 3}, test::lossless(10, test::Sampling::Full444),
                             folder, [](test::Footage&) {});
  f.latitudeMeasure = j.measure, f.latitude = j.result;
  Tested t = testedOf(f, 2, true);
  t.body = "Tarn M1", t.mode = "log", t.iso = 800;
  return t;
}

// A well of 1/sqrt(2) shifts the whole curve of SNR by half a stop: SNR = x F / sqrt(x F + r²) of light x.
TEST(RetestStudy, AnUnchangedBodySaysSoAndHalfAStopIsFound) {
  const char* wanted = std::getenv("EDGE_STUDY");
  const int runs = wanted ? std::atoi(wanted) : 4;
  const test::TempFolder folder;
  int said = 0, found = 0, sure = 0;
  double pull = 0;
  for (int i = 0; i < runs; ++i) {
    const auto seed = static_cast<std::uint64_t>(3 * i + 1);
    const Tested before = shot(20000, seed, folder.path()), same = shot(20000, seed + 1, folder.path()),
                 lost = shot(20000 / std::sqrt(2.0), seed + 2, folder.path());
    const Retest unchanged = retest(before, same), changed = retest(before, lost);
    said += unchanged.change == Change::Unchanged;
    found += of(changed, TestedFigure::Range).change == Change::Changed &&
             *of(changed, TestedFigure::Range).stops < 0;
    for (const auto& d : unchanged.figures)
      if (d.stops) pull = std::max(pull, std::abs(*d.stops) / *d.sigma), sure += 1;
    if (unchanged.change != Change::Unchanged) std::printf("%d: %s\n", i, unchanged.sentence.c_str());
    if (changed.change != Change::Changed) std::printf("%d: %s\n", i, changed.sentence.c_str());
  }
  std::printf(
      "%d re-tests: %d said unchanged, %d half stops found, %d figures compared, largest %.2f sigma\n", runs,
      said, found, sure, pull);
  EXPECT_GE(said, std::ceil(0.95 * runs));
  EXPECT_GE(found, std::ceil(0.95 * runs));
  EXPECT_GE(sure, 4 * runs) << "hardly a figure was compared";
}

}  // namespace
}  // namespace edge
