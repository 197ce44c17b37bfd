// ISO sweeps as clips of a plain camera: families and natives; what makes a sweep worthless is said.
#include "noise/iso_sweep.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "noise/plain_series.h"
#include "noise/store.h"

namespace edge {
namespace {

using namespace test;

struct Sweep {
  CircuitFamily family = CircuitFamily::AllDigital;
  double photons = 2, loud = 4, quiet = 1.5;  // electrons of green
  size_t change = 5;
  int moved = -1;  // take from which on the light is another
  double movedStops = 0;
  bool metadata = false;  // every ISO records the same codes
  std::function<void(Footage&, size_t)> spoil;
  double well = 1e5;  // electrons of green at ISO 100
  Encoder encoder = lossless(10, Sampling::Full444);
};
// Nominal, as a menu has them.
constexpr double kIsos[] = {400, 500, 640, 800, 1000, 1250, 1600, 2000, 2500, 3200};

SweepMeasure shoot(const Sweep& w, const fs::path& folder, std::uint64_t seed, Series* out = nullptr) {
  std::mt19937_64 random(seed);
  GreyRow row;
  row.camera.well = w.well;
  row.camera.frames = 8;
  row.baseScale = 4;
  Series s = row.series(folder, "iso-sweep");
  for (size_t i = 0; i < std::size(kIsos); ++i) {
    const double gain = w.metadata ? 4 : 4 * std::exp2(static_cast<double>(i) / 3);
    double read = w.loud;
    if (w.family == CircuitFamily::TwoCircuits && i >= w.change) read = w.quiet;
    if (w.family == CircuitFamily::ManySteps) read = std::hypot(w.quiet, 3 * w.loud * 4 / gain);
    // The darkest grey gets so many electrons at every ISO.
    double stops = std::log2(w.photons / row.camera.well / row.lightAt(-4, gain, 0));
    if (w.moved >= 0 && static_cast<int>(i) >= w.moved) stops += w.movedStops;
    const fs::path clip = folder / fmt::format("{}.mkv", i);
    row.shoot(clip, gain, stops, read, random, w.encoder, [&](Footage& f) {
      if (w.spoil) w.spoil(f, i);
    });
    s.takes.push_back(takeAt(fmt::format("{:.0f}", kIsos[i]), clip, 0, kIsos[i]));
  }
  if (out) *out = s;
  return measureSweep(s, Progress());
}

TEST(IsoSweep, FamiliesOfClipsAreFound) {
  const TempFolder folder;
  const char* wanted = std::getenv("EDGE_STUDY");
  const int n = wanted ? std::atoi(wanted) : 3;
  std::mt19937_64 random(61);
  std::uniform_real_distribution<double> u(0, 1);
  int right = 0;
  for (int i = 0; i < n; ++i) {
    Sweep w;
    w.family = static_cast<CircuitFamily>(i % 3);
    w.photons = 1 + 3 * u(random);
    w.loud = 3 + 4 * u(random);
    w.quiet = 1 + u(random);
    w.change = 2 + random() % 6;
    const SweepResult r = judgeSweep(shoot(w, folder.path(), random()));
    ASSERT_TRUE(r.found) << i;
    bool good = r.found->family == w.family;
    if (good && w.family == CircuitFamily::TwoCircuits)
      good = r.found->bands.size() == 2 && r.found->bands[1].nativeIso == kIsos[w.change] &&
             r.found->bands[0].toIso == kIsos[w.change - 1];
    right += good;
    if (!good) std::printf("%d: %s taken for %s\n", i, wordOf(w.family), wordOf(r.found->family));
    EXPECT_EQ(r.law, GainLaw::Iso);
    EXPECT_TRUE(r.warnings.empty()) << r.warnings[0].code << ": " << r.warnings[0].message;
    EXPECT_FALSE(r.advice.empty());
  }
  std::printf("%d of %d sweeps right\n", right, n);
  EXPECT_EQ(right, n);
}

TEST(IsoSweep, ALitSweepIsCalledTooBright) {
  const TempFolder folder;
  Sweep w;
  w.family = CircuitFamily::TwoCircuits;
  w.photons = 50;
  EXPECT_TRUE(warns(judgeSweep(shoot(w, folder.path(), 1)).warnings, "too-bright"));
}

TEST(IsoSweep, IsoThatIsOnlyANumberIsFound) {
  const TempFolder folder;
  Sweep w;
  w.metadata = true;
  const SweepResult r = judgeSweep(shoot(w, folder.path(), 2));
  EXPECT_EQ(r.law, GainLaw::MetadataOnly);
  EXPECT_TRUE(warns(r.warnings, "metadata-only"));
  ASSERT_TRUE(r.found);
  EXPECT_EQ(r.found->family, CircuitFamily::AllDigital);
}

TEST(IsoSweep, ALampThatChangedIsNoCircuit) {
  const TempFolder folder;
  Sweep w;
  w.moved = 5;
  w.movedStops = 0.8;
  const SweepResult r = judgeSweep(shoot(w, folder.path(), 3));
  EXPECT_TRUE(warns(r.warnings, "light-changed"));
  EXPECT_FALSE(r.found);
}

TEST(IsoSweep, NoiseThatCodesCannotShowIsLeftOut) {
  const TempFolder folder;
  Sweep w;
  w.loud = 1;
  w.photons = 1;
  w.encoder = lossless(8, Sampling::Full444);
  const SweepResult r = judgeSweep(shoot(w, folder.path(), 4));
  EXPECT_TRUE(warns(r.warnings, "quantised"));
  EXPECT_LT(r.noise.size(), std::size(kIsos));
}

TEST(IsoSweep, NoiseCutOffAtBlackIsLeftOut) {
  const TempFolder folder;
  Sweep w;
  w.well = 3000;
  const SweepResult r = judgeSweep(shoot(w, folder.path(), 5));
  EXPECT_TRUE(warns(r.warnings, "clamped-black"));
}

// Raw files whose codes follow the circuit and not the ISO: compared at the brightness that was measured. And
// a patch so dark that its level is noise, even below black: nothing is divided by it.
TEST(IsoSweep, LevelsThatFollowNoIsoAreComparedAsMeasuredAndBlackOnesAreNot) {
  SweepMeasure m;
  m.patch = "dim";
  for (size_t i = 0; i < std::size(kIsos); ++i) {
    SweepPoint p;
    p.iso = kIsos[i];
    const bool quiet = i >= 5;
    p.level = quiet ? 0.03 : 0.01;  // three times the codes from the second circuit on
    p.levelSigma = 1e-5;
    p.variance = std::pow(quiet ? 0.006 : 0.004, 2);
    p.relativeSigma = 0.01;
    p.frames = 8;
    m.points.push_back(p);
  }
  SweepResult r = judgeSweep(m);
  EXPECT_EQ(r.law, GainLaw::Mixed);
  ASSERT_TRUE(r.found);
  EXPECT_EQ(r.found->family, CircuitFamily::TwoCircuits);
  EXPECT_NEAR(r.found->steps.at(0).stops, 1, 0.05) << "0.004 against 0.006 / 3";
  for (size_t i = 0; i < m.points.size(); ++i) {
    m.points[i].level = i % 2 ? -1e-4 : 1e-4;
    m.points[i].levelSigma = 1e-4;
  }
  r = judgeSweep(m);
  EXPECT_EQ(r.law, GainLaw::Iso);
  for (const auto& n : r.noise) EXPECT_GT(n.noise, 0);
}

// In-camera noise reduction that follows ISO: a real filter on the footage from one take on.
TEST(IsoSweep, AReducerThatComesInWithIsoIsNoCircuit) {
  const TempFolder folder;
  for (const bool everywhere : {false, true}) {
    Sweep w;
    w.spoil = [everywhere](Footage& f, size_t take) {
      if (everywhere || take >= 5) blur(f, 0.7, 0.7);
    };
    const SweepResult r = judgeSweep(shoot(w, folder.path(), 6));
    EXPECT_TRUE(warns(r.warnings, "filtered"));
    EXPECT_EQ(r.found.has_value(), everywhere);
    if (r.found) {
      EXPECT_EQ(r.found->family, CircuitFamily::AllDigital);
    }
  }
}

// Rows that move as one are the sensor's own noise, no reducer's.
TEST(IsoSweep, NoiseOfWholeRowsIsNoFilter) {
  const TempFolder folder;
  Sweep w;
  std::mt19937_64 random(11);
  w.spoil = [&random](Footage& f, size_t) {
    std::normal_distribution<double> normal;
    for (auto& frame : f.frames)
      for (int y = 0; y < f.height; ++y) {
        const auto row =
            static_cast<float>(0.4 * f.camera.read / f.camera.well * f.camera.scale * normal(random));
        const size_t wide = 3 * static_cast<size_t>(f.width);
        for (size_t i = 0; i < wide; ++i) frame[static_cast<size_t>(y) * wide + i] += row;
      }
  };
  const SweepResult r = judgeSweep(shoot(w, folder.path(), 8));
  EXPECT_FALSE(warns(r.warnings, "filtered"));
  ASSERT_TRUE(r.found);
  EXPECT_EQ(r.found->family, CircuitFamily::AllDigital);
}

TEST(IsoSweep, FramesThatRepeatAreSaid) {
  const TempFolder folder;
  Sweep w;
  w.spoil = [](Footage& f, size_t) { repeat(f, 2); };
  const SweepResult r = judgeSweep(shoot(w, folder.path(), 7));
  EXPECT_TRUE(warns(r.warnings, "repeated-frames"));
  ASSERT_TRUE(r.found);
  EXPECT_EQ(r.found->family, CircuitFamily::AllDigital);
}

// The frame is left out whether it is said or not: the circuits are those of the frames that are there.
TEST(IsoSweep, ADamagedFrameIsSaid) {
  const TempFolder folder;
  Sweep w;
  w.encoder = checked(10, Sampling::Full444);
  Series s;
  EXPECT_FALSE(warns(judgeSweep(shoot(w, folder.path(), 7, &s)).warnings, "truncated"));
  flipABit(s.takes[3].clip);
  const SweepMeasure m = measureSweep(s, Progress());
  const SweepResult r = judgeSweep(sweepFromJson(toJson(m)));
  EXPECT_EQ(m.points[3].frames, 7);
  const auto said = std::find_if(r.warnings.begin(), r.warnings.end(),
                                 [](const Warning& x) { return x.code == kTruncated; });
  ASSERT_NE(said, r.warnings.end());
  EXPECT_EQ(said->where, "ISO 800");
  EXPECT_NE(said->message.find("is damaged"), std::string::npos) << said->message;
  ASSERT_TRUE(r.found);
  EXPECT_EQ(r.found->family, CircuitFamily::AllDigital);
}

// A chart that was only found on its clip: which of its patches is dim, nobody knows, and none is taken for
// it.
TEST(IsoSweep, AChartOfUnknownLightIsRefused) {
  Series s;
  s.chart.patches.resize(3);
  for (size_t k = 0; k < 3; ++k) s.chart.patches[k].name = std::to_string(k);
  EXPECT_THROW((void)dimPatch(s), Error);
  s.chart.patches[1].stops = -2;
  EXPECT_EQ(dimPatch(s).name, "1");
  s.chart.patches[2].role = "dim";
  EXPECT_EQ(dimPatch(s).name, "2");
}

}  // namespace
}  // namespace edge
