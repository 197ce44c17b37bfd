// Two bodies under one grade. Colours, cameras and truth of closed form; CIEDE2000 checked against published
// pairs in tests/color; footage by a real encoder, no src/simulate.
#include "bodies/two_bodies.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "bodies/match_files.h"
#include "recover/look.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge {
namespace {

using namespace test;

// Surfaces of a chart as scene-linear reflectances; made up, spread over hue and lightness.
const std::vector<std::pair<const char*, Vec3>> kSurfaces = {
    {"white", {0.85, 0.85, 0.85}},   {"light", {0.55, 0.55, 0.55}},  {"grey", {0.18, 0.18, 0.18}},
    {"dark", {0.06, 0.06, 0.06}},    {"red", {0.42, 0.07, 0.05}},    {"green", {0.08, 0.30, 0.07}},
    {"blue", {0.04, 0.07, 0.32}},    {"yellow", {0.60, 0.45, 0.04}}, {"cyan", {0.05, 0.28, 0.40}},
    {"magenta", {0.40, 0.08, 0.30}}, {"face", {0.40, 0.27, 0.20}}};

bool isNeutral(const std::string& name) {
  return name == "white" || name == "light" || name == "grey" || name == "dark";
}

// What a body makes of light: colours mixed, and a tint that grows with the stops under the base.
struct Body {
  Mat3 mix{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
  Vec3 tint{0, 0, 0};  // relative, of each channel, a stop below -2
  double noise = 0;
  [[nodiscard]] Vec3 seen(const Vec3& light, double step) const {
    Vec3 v = multiply(mix, light);
    for (size_t c = 0; c < 3; ++c) v[c] *= 1 + tint[c] * std::max(0.0, -2 - step);
    return v;
  }
};

// As measured without noise: a bracket from -5 to +3.
LatitudeMeasure measureOf(const Body& body) {
  LatitudeMeasure m;
  m.display = "soft-shoulder", m.curve = "linear", m.logEncoding = "acescct", m.faceGrey = "grey";
  const auto take = [&](double step) {
    TakeMetrics t;
    t.name = step == 0 ? "base" : std::to_string(step);
    t.planned = step, t.measured = step, t.sigma = 0.01;
    for (const auto& [name, light] : kSurfaces)
      t.colours.push_back({name, std::string(name) == "face" ? "skin" : "", isNeutral(name), true,
                           body.seen(light, step), Vec3{1e-5, 1e-5, 1e-5}});
    return t;
  };
  m.base = take(0);
  for (const double s : {-5.0, -4.0, -3.0, -2.0, -1.0, 1.0, 2.0, 3.0}) m.takes.push_back(take(s));
  return m;
}

const Mat3 kMix{{{1.12, -0.09, -0.02}, {-0.05, 1.02, 0.05}, {0.03, -0.14, 1.10}}};

TEST(TwoBodies, AreAlikeWhenTheyAre) {
  const TwoBodies t = compareBodies(measureOf({}), measureOf({}));
  ASSERT_EQ(t.steps.size(), 9U);
  for (const auto& s : t.steps)
    for (const auto& p : s.patches) EXPECT_NEAR(p.deltaE, 0, 1e-9) << p.name;
  ASSERT_TRUE(t.intercut);
  EXPECT_TRUE(t.intercut->openBelow && t.intercut->openAbove);
  EXPECT_NEAR(t.intercut->from, -5, 1e-9);
  EXPECT_NEAR(t.intercut->to, 3, 1e-9);
  EXPECT_TRUE(t.warnings.empty());
  EXPECT_EQ(wordsOf(t.intercut),
            "can be cut together from at least " + std::string("−5.0 to at least +3.0 stops"));
}

// B is A through a known matrix: its inverse is found, and nothing is left after it.
TEST(TwoBodies, AKnownMatrixIsSolvedBack) {
  Body b;
  b.mix = kMix;
  const TwoBodies t = compareBodies(measureOf({}), measureOf(b), 30);
  const Mat3 truth = *inverse(kMix);
  for (size_t r = 0; r < 3; ++r)
    for (size_t c = 0; c < 3; ++c) EXPECT_NEAR(t.match.matrix[r][c], truth[r][c], 1e-4) << r << c;
  EXPECT_GT(t.match.before, 2);
  EXPECT_LT(t.match.after, 0.01);
  ASSERT_TRUE(t.match.afterCdl);
  EXPECT_LT(*t.match.afterCdl, t.match.before);
  // Equal noise through a row: root of the sum of squares.
  EXPECT_NEAR(t.match.noise[0], std::hypot(truth[0][0], truth[0][1], truth[0][2]), 1e-3);
  EXPECT_FALSE(t.match.diagonal);
}

// The difference of each patch is CIEDE2000 of what was made here, B minus A in a*, b*.
TEST(TwoBodies, DifferencesAreBMinusA) {
  Body warm;
  warm.mix = {{{1.08, 0, 0}, {0, 1, 0}, {0, 0, 0.9}}};
  const TwoBodies t = compareBodies(measureOf({}), measureOf(warm));
  const DisplayTransform display("soft-shoulder");
  const auto lab = [&](const Vec3& v) { return labOfDisplayLight(display.light(v), Primaries::Bt709); };
  for (const auto& s : t.steps)
    for (size_t i = 0; i < s.patches.size(); ++i) {
      const Vec3& light = kSurfaces[i].second;
      const Lab of = lab(light), other = lab(multiply(warm.mix, light));
      EXPECT_NEAR(s.patches[i].deltaE, deltaE2000(of, other), 1e-9);
      EXPECT_NEAR(s.patches[i].b, other.b - of.b, 1e-9);
    }
  EXPECT_GT(t.steps[5].patches[2].b, 1) << "a warm grey is yellower than A's";
}

// A turns magenta from -3 on, B green: said, and the range ends where the mean passes the limit, known here
// by bisection over the bodies themselves.
TEST(TwoBodies, OppositeDriftsAreCalledOutAndEndTheRange) {
  Body a, b;
  a.tint = {0.05, -0.05, 0.05}, b.tint = {-0.05, 0.05, -0.05};
  const TwoBodies t = compareBodies(measureOf(a), measureOf(b));
  std::vector<double> opposite;
  for (const auto& s : t.steps)
    if (s.opposite) opposite.push_back(s.step);
  ASSERT_FALSE(opposite.empty());
  EXPECT_EQ(opposite.front(), -5);
  EXPECT_LT(opposite.back(), -2) << "at -2 and above neither has left its base";
  EXPECT_NE(driftWords(t, "Corvane 35", "Pellam S6").find("Corvane 35 turns towards magenta"),
            std::string::npos);
  EXPECT_NE(driftWords(t, "Corvane 35", "Pellam S6").find("Pellam S6 towards green"), std::string::npos);
  const DisplayTransform display("soft-shoulder");
  const auto meanAt = [&](double step) {
    double sum = 0;
    int n = 0;
    for (const auto& [name, light] : kSurfaces)
      if (isNeutral(name) || std::string(name) == "face")
        sum += deltaE2000(labOfDisplayLight(display.light(a.seen(light, step)), Primaries::Bt709),
                          labOfDisplayLight(display.light(b.seen(light, step)), Primaries::Bt709)),
            ++n;
    return sum / n;
  };
  double low = -5, high = 0;
  for (int i = 0; i < 50; ++i) (meanAt((low + high) / 2) > kIntercutLimit ? low : high) = (low + high) / 2;
  ASSERT_TRUE(t.intercut);
  EXPECT_FALSE(t.intercut->openBelow);
  EXPECT_NEAR(t.intercut->from, high, std::max(0.05, 2 * t.intercut->fromSigma));
  EXPECT_LT(t.intercut->fromSigma, 0.4);
  EXPECT_TRUE(t.intercut->openAbove);
  // A limit that is moved moves the range, nothing is measured again.
  EXPECT_LT(intercutOf(t.steps, 6)->from, t.intercut->from);
  EXPECT_FALSE(intercutOf(compareBodies(measureOf({}), measureOf({kMix, {}, 0}), 0.5).steps, 0.5));
}

TEST(TwoBodies, GreysAloneAreMatchedByGains) {
  LatitudeMeasure a = measureOf({}), b = measureOf({{{{1.1, 0, 0}, {0, 1, 0}, {0, 0, 0.9}}}, {}, 0});
  const auto only = [](LatitudeMeasure& m) {
    const auto strip = [](TakeMetrics& t) {
      std::erase_if(t.colours, [](const AreaColour& c) { return !c.neutral; });
    };
    strip(m.base);
    for (auto& t : m.takes) strip(t);
  };
  only(a), only(b);
  const TwoBodies t = compareBodies(a, b, 30);
  EXPECT_TRUE(t.match.diagonal);
  EXPECT_NEAR(t.match.matrix[0][0], 1 / 1.1, 1e-4);
  EXPECT_NEAR(t.match.matrix[2][2], 1 / 0.9, 1e-4);
  EXPECT_EQ(t.match.matrix[0][1], 0);
  EXPECT_EQ(t.warnings.front().code, "only-greys");
}

TEST(TwoBodies, OfOtherChartsAreRefused) {
  LatitudeMeasure b = measureOf({});
  for (auto& c : b.base.colours) c.name = "x" + c.name;
  EXPECT_THROW((void)compareBodies(measureOf({}), b), Error);
}

TEST(TwoBodies, StepsOfOneAloneAreLeftOutAndSaid) {
  LatitudeMeasure b = measureOf({});
  b.takes.pop_back();
  b.takes.front().measured.reset();
  const TwoBodies t = compareBodies(measureOf({}), b);
  EXPECT_EQ(t.steps.size(), 7U);
  ASSERT_EQ(t.warnings.size(), 2U);
  EXPECT_EQ(t.warnings[0].code, "steps-of-one");
  EXPECT_EQ(t.warnings[1].code, "not-brought-back");
}

// A patch that one of them has clipped is seen as different and steers no match.
TEST(TwoBodies, WhatClipsIsSeenAndDoesNotSteerTheMatch) {
  LatitudeMeasure a = measureOf({}), b = measureOf({kMix, {}, 0});
  for (auto* m : {&b})
    for (auto& t : m->takes)
      if (t.planned > 1)
        for (auto& c : t.colours)
          if (c.name == "white") c.intact = false, c.light = {0.5, 0.5, 0.5};
  const TwoBodies t = compareBodies(a, b, 30);
  EXPECT_LT(t.match.after, 0.01);
  const auto& top = t.steps.back();
  EXPECT_FALSE(top.patches[0].intact);
  EXPECT_GT(top.patches[0].deltaE, 5);
}

// --- footage: two bodies of closed form, one through a matrix, ten-bit log by a real encoder.

std::filesystem::path shootBody(const std::filesystem::path& folder, const Body& body, std::uint64_t seed) {
  constexpr int kSide = 48;
  const int n = static_cast<int>(kSurfaces.size());
  std::filesystem::create_directories(folder);
  writeLogCurve(folder / "log.json");
  std::mt19937_64 random(seed);
  std::normal_distribution<float> normal;
  nlohmann::json series = {
      {"format", "edge-test-series"}, {"version", 1},       {"decode", {{"curve", "log.json"}}},
      {"chart", "chart.json"},        {"base", "base.mkv"}, {"takes", nlohmann::json::array()}};
  nlohmann::json chart = {{"format", "edge-test-chart"},
                          {"version", 1},
                          {"name", "row"},
                          {"kind", "colour"},
                          {"reference", {{"width", kSide * n}, {"height", kSide}}},
                          {"patches", nlohmann::json::array()}};
  for (int i = 0; i < n; ++i) {
    const double x = kSide * i + 4, w = kSide - 8;
    nlohmann::json patch = {{"name", kSurfaces[static_cast<size_t>(i)].first},
                            {"corners", {{x, 4}, {x + w, 4}, {x + w, 4 + w}, {x, 4 + w}}}};
    if (isNeutral(kSurfaces[static_cast<size_t>(i)].first)) patch["role"] = "grey";
    chart["patches"].push_back(patch);
  }
  writeText(folder / "chart.json", chart.dump());
  for (const double step : {0.0, -3.0, -2.0, -1.0, 1.0}) {
    Footage f;
    f.width = kSide * n, f.height = kSide;
    for (int frame = 0; frame < 4; ++frame) {
      auto& pixels = f.frames.emplace_back();
      for (int y = 0; y < f.height; ++y)
        for (int x = 0; x < f.width; ++x) {
          const Vec3 v = body.seen(kSurfaces[static_cast<size_t>(x / kSide)].second, step);
          for (size_t c = 0; c < 3; ++c)
            pixels.push_back(static_cast<float>(v[c] * std::exp2(step)) +
                             static_cast<float>(body.noise) * normal(random));
        }
    }
    const std::string name = step == 0 ? "base.mkv" : std::to_string(static_cast<int>(step)) + ".mkv";
    record(f, folder / name, lossless(10, Sampling::Full444));
    if (step != 0) series["takes"].push_back({{"name", name}, {"clip", name}, {"stops", step}});
  }
  writeText(folder / "series.json", series.dump());
  return folder / "series.json";
}

// What is relied on from outside (the command line's contract), and files that OpenColorIO can read.
TEST(TwoBodies, TheCommandSaysItAndWritesTheMatch) {
  const TempFolder folder;
  Body b;
  b.mix = kMix;
  const auto a = shootBody(folder.path() / "a", {}, 1), other = shootBody(folder.path() / "b", b, 2);
  const Ran ran = runCli("bodies '" + a.string() + "' '" + other.string() + "' --limit 8 --cdl '" +
                         (folder.path() / "out").string() + "'");
  ASSERT_EQ(ran.exit, 0) << ran.err;
  const auto j = nlohmann::json::parse(ran.out);
  EXPECT_EQ(j["schema"], "edge-test/bodies/1");
  ASSERT_EQ(j["patches"].size(), 5 * kSurfaces.size());
  for (const auto& p : j["patches"])
    for (const char* key : {"name", "step", "delta_e00", "a", "b", "measured"})
      EXPECT_TRUE(p.contains(key)) << key;
  EXPECT_EQ(j["match"]["matrix"].size(), 3U);
  EXPECT_LT(j["match"]["after"], j["match"]["before"]);
  EXPECT_EQ(j["match"]["cdl"]["slope"].size(), 3U);
  EXPECT_EQ(j["intercut"]["limit"], 8);
  EXPECT_LT(j["intercut"]["from"], j["intercut"]["to"]);
  EXPECT_GE(j["intercut"]["sigma"], 0);
  EXPECT_TRUE(j["opposite_drift"].is_array());
  const auto& c = j["match"]["cdl"];
  const Cdl cdl{c["slope"], c["offset"], c["power"], c["saturation"]};
  const Vec3 code{0.3, 0.42, 0.55}, read = lookFrom(folder.path() / "out" / "b-to-a.cdl").code(code);
  for (size_t k = 0; k < 3; ++k)
    EXPECT_NEAR(read[k], cdl.apply(code)[k], 1e-3) << "as OpenColorIO reads it back";
  const Ran same = runCli("bodies '" + a.string() + "' '" + (folder.path() / "gone.json").string() + "'");
  EXPECT_EQ(same.exit, 1);
  EXPECT_EQ(std::count(same.err.begin(), same.err.end(), '\n'), 1) << same.err;
}

TEST(TwoBodies, FootageOfTwoBodiesGivesTheMatrixBackWithinItsNoise) {
  const TempFolder folder;
  Body b;
  b.mix = kMix;
  Body a;
  a.noise = b.noise = 0.002;
  const auto measured = [&](const char* name, const Body& body, std::uint64_t seed) {
    return measureLatitude(readSeries(shootBody(folder.path() / name, body, seed)), Progress());
  };
  const TwoBodies t = compareBodies(measured("a", a, 1), measured("b", b, 2), 30);
  const Mat3 truth = *inverse(kMix);
  double worst = 0;
  for (size_t r = 0; r < 3; ++r)
    for (size_t c = 0; c < 3; ++c) worst = std::max(worst, std::abs(t.match.matrix[r][c] - truth[r][c]));
  std::printf("matrix off by at most %.4f; before %.2f, after matrix %.3f, after CDL %.3f\n", worst,
              t.match.before, t.match.after, t.match.afterCdl.value_or(-1));
  EXPECT_LT(worst, 0.01);
  EXPECT_LT(t.match.after, 0.3);
  ASSERT_TRUE(t.intercut);
  const auto files = writeMatch(folder.path() / "out", CorrectionFormat::Cdl, t);
  ASSERT_EQ(files.size(), 1U);
  EXPECT_TRUE(std::filesystem::file_size(files[0]) > 100);
  EXPECT_EQ(writeMatch(folder.path() / "out", CorrectionFormat::Cube, t).size(), 2U);
}

}  // namespace
}  // namespace edge
