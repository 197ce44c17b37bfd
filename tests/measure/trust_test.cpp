// Which noise is believed, on wedges of closed form: mean E, variance E/F + r^2/F^2, no pictures.
#include <gtest/gtest.h>

#include <algorithm>
#include <cmath>
#include <functional>

#include "measure/range.h"

namespace edge {
namespace {

constexpr double kWell = 20000, kRead = 3;

double usual(double e) {
  return e / kWell + kRead * kRead / kWell / kWell;
}

// Steps of one stop from `over` stops above the clip; variance over light.
WedgeMeasure wedge(const std::function<double(double)>& variance = usual, double over = 1.5, int steps = 18) {
  WedgeMeasure w;
  w.frames = 16, w.topCode = 0, w.developedWidth = w.developedHeight = 512;
  for (int k = 0; k < steps; ++k) {
    PatchMeasure p;
    p.name = std::to_string(k + 1), p.stops = -k, p.stopsSigma = 0.01, p.width = p.height = 48;
    const double light = std::exp2(over - k);
    for (auto& c : p.channel) {
      c.mean = std::min(1.0, light), c.code = c.mean, c.samples = 2304;
      c.variance = light >= 1 ? 1e-12 : variance(light), c.kurtosisSigma = 0.03;
      c.topCode = c.mean, c.topShare = light >= 1 ? 1 : 0;
    }
    w.patches.push_back(p);
  }
  return w;
}

bool warns(const RangeResult& r, const char* code) {
  return std::any_of(r.warnings.begin(), r.warnings.end(), [&](const Warning& x) { return x.code == code; });
}

double lightAt(double snr) {  // x / sqrt(x/F + r^2/F^2) = snr
  const double s2 = snr * snr;
  return (s2 + std::sqrt(s2 * s2 + 4 * s2 * kRead * kRead)) / 2 / kWell;
}

TEST(Trust, PlainNoiseIsBelievedAndGivesItsOwnFormula) {
  const RangeResult r = analyseRange(wedge(), {});
  for (const double snr : {1.0, 2.0, 10.0})
    EXPECT_NEAR(r.channel[kY].range.at(snr).stops, -std::log2(lightAt(snr)), 0.02) << snr;
  for (const auto t : r.channel[kY].trust) EXPECT_EQ(t, NoiseTrust::Known);
}

// A sum of read, photon and fixed terms is log-convex in light: variance that falls below the line is no
// sensor's.
TEST(Trust, VarianceUnderTheLineOfTheBrighterStepsIsRemoved) {
  const RangeResult r = analyseRange(wedge([](double e) { return usual(e) * (e < 2e-3 ? 0.6 : 1); }), {});
  EXPECT_TRUE(warns(r, "noise-removed"));
  EXPECT_TRUE(r.channel[kY].range.at(2).atLeast);
  EXPECT_LE(r.channel[kY].range.at(2).stops, -std::log2(lightAt(2)) + 0.05);
  EXPECT_FALSE(warns(analyseRange(wedge(), {}), "noise-removed"));
}

TEST(Trust, HeavyTailsOfChangesAreCoring) {
  WedgeMeasure w = wedge();
  for (size_t k = 12; k < w.patches.size(); ++k)
    for (auto& c : w.patches[k].channel) c.kurtosis = 0.9;
  const RangeResult r = analyseRange(w, {});
  EXPECT_TRUE(warns(r, "noise-removed"));
  EXPECT_EQ(r.channel[kY].trust[12], NoiseTrust::Removed);
  EXPECT_EQ(r.channel[kY].trust[11], NoiseTrust::Known);
  EXPECT_EQ(r.states[17], PatchState::Unknown);
}

TEST(Trust, AClipNeedsProof) {
  WedgeMeasure w = wedge(usual, -0.5);
  for (auto& c : w.patches[0].channel) c.mean *= std::exp2(-0.1);
  const RangeResult r = analyseRange(w, {});
  EXPECT_TRUE(r.colourComplete.atLeast);
  EXPECT_TRUE(warns(r, "chart-scatter"));
  EXPECT_FALSE(analyseRange(wedge(), {}).colourComplete.atLeast);
}

// SNR 1 and 2 lie 1 to 1.9 stops apart for read and photon noise; variance like E^1.2 makes it 2.5.
TEST(Trust, AGapThatNoSensorHasIsSaid) {
  const RangeResult r = analyseRange(wedge([](double e) { return 2.5e-4 * std::pow(e, 1.2); }), {});
  EXPECT_NEAR(r.channel[kY].range.at(1).stops - r.channel[kY].range.at(2).stops, 2.5, 0.1);
  EXPECT_TRUE(warns(r, "implausible-gap"));
  EXPECT_FALSE(warns(analyseRange(wedge(), {}), "implausible-gap"));
}

TEST(Trust, SmallPatchesAndMissingFramesAreSaid) {
  WedgeMeasure w = wedge();
  w.patches[3].width = 20, w.missing.count = 4;
  const RangeResult r = analyseRange(w, {});
  EXPECT_TRUE(warns(r, "small-patch"));
  EXPECT_TRUE(warns(r, "truncated"));
}

// Light without light: the same level everywhere is glare, a level that differs from place to place is dark
// shading.
TEST(Trust, DarkShadingIsNoGlare) {
  WedgeMeasure w = wedge(), cap = wedge();
  for (size_t k = 0; k < w.patches.size(); ++k)
    for (int c = 0; c < kMeasured; ++c) {
      const double shade = 2e-5 * static_cast<double>(k);
      if (w.patches[k].channel[c].mean < 1) w.patches[k].channel[c].mean += shade;
      cap.patches[k].channel[c].mean = shade, cap.patches[k].channel[c].variance = usual(0);
    }
  RangeOptions o;
  setBlack(o, cap);
  EXPECT_FALSE(warns(analyseRange(w, o), "glare"));
  WedgeMeasure veiled = wedge();
  for (auto& p : veiled.patches)
    for (auto& c : p.channel) c.mean = std::min(1.0, c.mean + 1e-3);
  RangeOptions plain;
  WedgeMeasure dark = wedge();
  for (auto& p : dark.patches)
    for (auto& c : p.channel) c.mean = 0, c.variance = usual(0);
  setBlack(plain, dark);
  EXPECT_TRUE(warns(analyseRange(veiled, plain), "glare"));
}

}  // namespace
}  // namespace edge
