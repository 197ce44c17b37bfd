// Brackets that lie: offsets and clipped faces are right within their error, or said, or absent. Scenes of
// closed form (tests/support/spoiled.cpp), no src/simulate. EDGE_SPOILED=20 runs the full set.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>

#include "recover/plain_bracket.h"

namespace edge {
namespace {

using namespace test;

struct Fault {
  const char* name;
  std::vector<const char*> named;
  std::function<void(PlainScene&, std::mt19937_64&)> scene;
  std::function<void(Footage&)> spoil;
  std::function<Encoder()> encoder;
  bool sound = false;
};

Encoder intra() {
  Encoder e{"libx264", {{"preset", "ultrafast"}, {"crf", "8"}}};
  return e;
}
void asItIs(Footage&) {}

const std::vector<Fault>& faults() {
  const auto same = [](PlainScene&, std::mt19937_64&) {};
  static const std::vector<Fault> kFaults = {
      {"sound", {}, same, asItIs, [] { return test::lossless(); }, true},
      {"face clips where no grey does",
       {"clip-unknown"},
       [](PlainScene& s, std::mt19937_64& r) {
         s.brightest = draw(r, 0.01, 0.02), s.face = draw(r, 0.15, 0.4);
       },
       asItIs,
       [] { return test::lossless(); }},
      {"greys partly clipped",
       {},
       [](PlainScene& s, std::mt19937_64& r) { s.brightest = draw(r, 0.3, 0.9); },
       asItIs,
       [] { return test::lossless(); }},
      {"frames doubled",
       {"repeated-frames"},
       same,
       [](Footage& f) { test::repeat(f, 2); },
       [] { return test::lossless(); }},
      {"H.264 intra", {"lossy-codec"}, same, asItIs, intra},
      {"sharpened", {}, same, [](Footage& f) { test::unsharp(f, 0.8, 1); }, [] { return test::lossless(); }},
  };
  return kFaults;
}

// Clipped shares count pixels by the mean of their frames: those within noise of the end fall on either side.
constexpr double kShareAllowed = 4;  // per cent
// True of a sound bracket as well: it ends before an edge, or its base is dim.
constexpr const char* kTrueOfSound[] = {"base-fails", "clip-unknown", "upper-not-reached",
                                        "lower-not-reached"};

TEST(SpoiledBracket, OffsetsAndClippedFacesAreRightOrSaid) {
  const char* wanted = std::getenv("EDGE_SPOILED");
  const int n = wanted ? std::atoi(wanted) : 1;
  const test::TempFolder folder;
  const std::vector<double> stops = {-4, -2, 1, 2, 3, 4};
  for (const Fault& fault : faults()) {
    std::mt19937_64 random(std::hash<std::string>{}(fault.name));
    int right = 0, open = 0, warned = 0, silent = 0, alarms = 0;
    for (int i = 0; i < n; ++i) {
      PlainScene s;
      s.camera = test::randomCamera(random), s.camera.frames = 6;
      s.brightest = draw(random, 0.1, 0.25), s.step = draw(random, 0.5, 0.9),
      s.face = draw(random, 0.05, 0.3);
      fault.scene(s, random);
      const Judged j = shoot(s, stops, fault.encoder(), folder.path(), fault.spoil);
      const bool named =
          std::any_of(fault.named.begin(), fault.named.end(), [&](const char* c) { return j.warns(c); });
      const auto count = [&](bool good, const char* what, double got, double truth, double at) {
        ++(good ? right : named ? warned : silent);
        if (!good && !named)
          std::printf("%s %d, %+g: %s %.3f (true %.3f)\n", fault.name, i, at, what, got, truth);
      };
      for (size_t t = 0; t < stops.size(); ++t) {
        const TakeMetrics& m = j.measure.takes[t];
        if (m.measured)
          count(std::abs(*m.measured - stops[t]) <= std::max(fault.sound ? 0.03 : 0.1, 2.5 * m.sigma),
                "offset", *m.measured, stops[t], stops[t]);
        else
          ++open;
        const auto share = worstClip(m);
        if (share)
          count(std::abs(*share - s.clipped(stops[t])) <= kShareAllowed, "clipped", *share,
                s.clipped(stops[t]), stops[t]);
        else
          ++open;
      }
      for (const auto& w : j.result.warnings)
        if (fault.sound && std::none_of(std::begin(kTrueOfSound), std::end(kTrueOfSound),
                                        [&](const char* c) { return w.code == c; }))
          ++alarms, std::printf("sound %d: %s: %s\n", i, w.code.c_str(), w.message.c_str());
    }
    std::printf("| %s | %d | %d | %d | %d | %d |\n", fault.name, n, right, open, warned, silent);
    std::fflush(stdout);
    EXPECT_EQ(silent, 0) << fault.name;
    EXPECT_EQ(alarms, 0);
    EXPECT_GT(right, 0) << fault.name;
  }
}

// Small noise about a grey: a factor on saturation is one on a* and b*, whatever curve and display follow.
TEST(SpoiledBracket, StressOnSaturationIsAFactorOnChromaNoise) {
  const test::TempFolder folder;
  std::mt19937_64 random(31);
  PlainScene s;
  s.camera = test::randomCamera(random);
  s.camera.frames = 8;
  const Judged j = shoot(s, {-1}, test::lossless(10, Sampling::Full444), folder.path(), asItIs,
                         {{1, 1, 0}, {1, 1.5, 0}, {1, 2, 0}, {1, 2, 90}});
  const TakeMetrics& m = j.measure.takes[0];
  ASSERT_EQ(m.stressed.size(), 4U);
  const auto chroma = [&](size_t step) {
    return m.stressed[step][static_cast<size_t>(Criterion::ChromaNoise)].value();
  };
  EXPECT_NEAR(chroma(0), m[Criterion::ChromaNoise].value(), 1e-4 * chroma(0));
  EXPECT_NEAR(chroma(1) / chroma(0), 1.5, 0.03);
  EXPECT_NEAR(chroma(2) / chroma(0), 2, 0.06);
  CriteriaProfile profile;
  profile[Criterion::ChromaNoise].clean = (chroma(1) + chroma(2)) / 2;
  const auto broken = breaksAt(m, profile);
  ASSERT_TRUE(broken);
  EXPECT_EQ(broken->step, 2U);
  EXPECT_EQ(broken->criterion, Criterion::ChromaNoise);
  profile[Criterion::ChromaNoise].clean = 1e3;
  EXPECT_FALSE(breaksAt(m, profile));
}

// A camera so noisy that a repeat of the base is judged so: it can't be what the lower edge is counted from.
TEST(SpoiledBracket, ABaseThatFailsHasNoLowerEdge) {
  const char* wanted = std::getenv("EDGE_SPOILED");
  const int n = wanted ? std::atoi(wanted) : 2;
  const test::TempFolder folder;
  std::mt19937_64 random(29);
  int failing = 0, silent = 0;
  for (int i = 0; i < n; ++i) {
    PlainScene s;
    s.camera = test::randomCamera(random), s.camera.frames = 6;
    s.camera.well = std::exp2(draw(random, 7, 12)), s.camera.read = draw(random, 1, 4);
    s.brightest = draw(random, 0.05, 0.2), s.face = s.brightest / 2;
    const Judged j = shoot(s, {-2, -1, 0, 1, 2, 3}, test::lossless(), folder.path(), asItIs);
    const TakeVerdict& repeat = j.result.verdicts[2];
    if (repeat.verdict == Verdict::Clean) continue;
    ++failing, silent += j.result.edges.under.estimate.has_value() || !j.warns("base-fails");
  }
  std::printf("failing base: %d of %d scenes, %d with an edge or without a word\n", failing, n, silent);
  EXPECT_EQ(silent, 0);
  EXPECT_GT(failing, 0);
}

}  // namespace
}  // namespace edge
