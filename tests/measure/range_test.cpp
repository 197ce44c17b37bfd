#include "measure/range.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "color/curve.h"
#include "support/support.h"

namespace edge {
namespace {

using test::TempFolder;
using test::TextbookSensor;

// Statistics of a wedge without pictures: exact means and variances of a sensor, with optional pedestal,
// glare, clamp.
struct Analytic {
  double fullWell = 20000, read = 3, over = 0.6, pedestal = 0, glare = 0, skewDark = 0;
  int steps = 21, frames = 8;

  [[nodiscard]] WedgeMeasure measure() const {
    WedgeMeasure w;
    w.frames = frames, w.rasterWidth = w.developedWidth = 1920, w.rasterHeight = w.developedHeight = 1080;
    w.curve = "linear";
    for (int k = 0; k < steps; ++k) {
      PatchMeasure p;
      p.name = std::to_string(k + 1), p.stops = -k, p.stopsSigma = 0.01, p.width = p.height = 100;
      const double light = std::exp2(over - k), level = std::min(1.0, light + glare);
      for (auto& c : p.channel) {
        c.mean = level + pedestal, c.code = c.mean, c.samples = 10000;
        c.variance = level >= 1 ? read * read / fullWell / fullWell
                                : (level * fullWell + read * read) / fullWell / fullWell;
        // A clamp skews every step below SNR 1.
        const double electrons = light * fullWell;
        if (electrons * electrons < electrons + read * read) c.skewness = skewDark;
      }
      w.patches.push_back(p);
    }
    return w;
  }
  [[nodiscard]] double truth(double snr) const { return TextbookSensor{fullWell, read}.trueRange(snr); }
};

double rangeAt(const RangeResult& r, double snr, int channel = kY) {
  return r.channel[channel].range.at(snr).stops;
}

TEST(Range, MeetsTheAnalyticTruthOfATextbookSensor) {
  for (double read : {0.8, 2.0, 5.0, 12.0}) {
    const Analytic a{20000, read};
    const auto r = analyseRange(a.measure(), {});
    for (double snr : {1.0, 2.0, 10.0})
      EXPECT_NEAR(rangeAt(r, snr), a.truth(snr), 0.04) << "read " << read << ", SNR " << snr;
    EXPECT_FALSE(r.headline->atLeast);
    EXPECT_NEAR(r.headline->stops, a.truth(2), 0.04);
  }
}

// A pedestal or glare must not change the range: the signal is the line's slope, not the mean (section 3.2).
TEST(Range, PedestalAndGlareDoNotInflateIt) {
  const Analytic plain{20000, 3};
  Analytic lifted = plain;
  lifted.pedestal = 0.004;
  EXPECT_NEAR(rangeAt(analyseRange(lifted.measure(), {}), 2), plain.truth(2), 0.05);
  Analytic glare = plain;
  glare.glare = 0.0002;
  const auto r = analyseRange(glare.measure(), {});
  EXPECT_LT(std::abs(rangeAt(r, 2) - plain.truth(2)), 0.25);  // glare adds its own photon noise: a true loss
}

// Section 3.9, one channel: log2[4(1+sqrt(1+r^2))/(1+sqrt(1+4r^2))] lies between 1 (read-limited) and 2
// (photon-limited).
TEST(Range, GapBetweenSnr1And2FollowsTheFormula) {
  EXPECT_NEAR(snrGapStops(0), 2, 1e-12);
  EXPECT_NEAR(snrGapStops(1e6), 1, 1e-5);
  for (double read : {1.0, 3.0, 8.0}) {
    const TextbookSensor s{20000, read};
    EXPECT_NEAR(s.trueRange(1) - s.trueRange(2), snrGapStops(read), 1e-9);
    const auto r = analyseRange(Analytic{20000, read}.measure(), {});
    EXPECT_NEAR(rangeAt(r, 1) - rangeAt(r, 2), snrGapStops(read), 0.05);
  }
}

TEST(Range, ChartThatEndsFirstGivesAtLeast) {
  Analytic shortChart{20000, 3};
  shortChart.steps = 8;
  const auto r = analyseRange(shortChart.measure(), {});
  EXPECT_TRUE(r.headline->atLeast);
  EXPECT_LT(r.headline->stops, shortChart.truth(2));
  Analytic dim{20000, 3};
  dim.over = -1.5;
  const auto d = analyseRange(dim.measure(), {});
  EXPECT_TRUE(d.colourComplete.atLeast);
  EXPECT_TRUE(d.headline->atLeast);
  const auto has = [](const RangeResult& x, const char* code) {
    return std::any_of(x.warnings.begin(), x.warnings.end(),
                       [&](const Warning& w) { return w.code == code; });
  };
  EXPECT_TRUE(has(r, "lower-not-reached"));
  EXPECT_TRUE(has(d, "upper-not-reached"));
  EXPECT_FALSE(has(r, "upper-not-reached"));
}

TEST(Range, HeadlineEndsWhereTheFirstChannelClips) {
  WedgeMeasure w = Analytic{20000, 3}.measure();
  for (auto& p : w.patches)
    p.channel[kR].mean = std::min(0.5, p.channel[kR].mean);  // red ends a stop earlier
  const auto r = analyseRange(w, {});
  EXPECT_NEAR(r.colourComplete.stops, r.channel[kR].clip.stops, 1e-9);
  EXPECT_NEAR(r.channel[kG].clip.stops - r.channel[kR].clip.stops, 1, 0.03);
  EXPECT_EQ(r.states[1], PatchState::OneChannel);  // at 2^-0.4: over red's end, under green's
  EXPECT_EQ(r.states[0], PatchState::Clipped);
}

TEST(Range, SplitAtGreyAddsUpToTheRange) {
  RangeOptions o;
  o.grey = -7;
  const auto r = analyseRange(Analytic{20000, 3}.measure(), o);
  EXPECT_NEAR(r.aboveGrey->stops + r.belowGrey->stops, r.headline->stops, 1e-9);
  EXPECT_NEAR(r.aboveGrey->stops, 7 - 0.6, 0.02);
}

TEST(Range, ThresholdIsTheUsers) {
  RangeOptions o;
  o.headlineSnr = 4;
  const Analytic a{20000, 3};
  EXPECT_NEAR(analyseRange(a.measure(), o).headline->stops, a.truth(4), 0.05);
}

TEST(Range, ClampedBlackIsFoundBySkewnessAndModelled) {
  Analytic a{20000, 3};
  a.skewDark = 1.0;
  const auto r = analyseRange(a.measure(), {});
  EXPECT_TRUE(r.channel[kY].clamped);
  EXPECT_NEAR(rangeAt(r, 1), a.truth(1), 0.08);
  EXPECT_FALSE(analyseRange(Analytic{20000, 3}.measure(), {}).channel[kY].clamped);
}

TEST(Range, NoiseModelFindsReadAndPhotonTerms) {
  const Analytic a{20000, 4};
  const auto r = analyseRange(a.measure(), {});
  const auto& m = r.channel[kY].model;
  ASSERT_TRUE(m.valid);
  // In units of E: one E is 2^0.6 of full well, so photon = 1/(F 2^0.6), read = (r/(F 2^0.6))^2.
  const double perE = 20000 * std::exp2(0.6);
  EXPECT_NEAR(m.photon * perE, 1, 0.03);
  EXPECT_NEAR(std::sqrt(m.read) * perE, 4, 0.2);
}

TEST(Range, StatisticsSurviveTheProjectFile) {
  const WedgeMeasure w = Analytic{20000, 3}.measure();
  const WedgeMeasure back = wedgeFromJson(toJson(w));
  EXPECT_EQ(rangeToJson(w, analyseRange(w, {})), rangeToJson(back, analyseRange(back, {})));
  for (const int none : {-1, 4, 77}) {
    auto damaged = toJson(w);
    damaged["patches"][0]["channels"][0]["quantisation"] = none;
    EXPECT_THROW((void)wedgeFromJson(damaged), nlohmann::json::exception) << none;
  }
  auto damaged = toJson(w);
  damaged["frames"] = 8e69;
  EXPECT_THROW((void)wedgeFromJson(damaged), nlohmann::json::exception);
}

struct ClipCase {
  const char* extension;
  int bits;
  const char* curve;
};
void PrintTo(const ClipCase& c, std::ostream* out) {
  *out << c.bits << " bits of " << c.extension << ", " << c.curve;
}
class RangeOfClips : public ::testing::TestWithParam<ClipCase> {};

RangeResult measured(const test::WedgeClip& w, const std::string& curve, int frames = 0) {
  const auto reader = openClip(w.clip);
  return analyseRange(measureWedge(*reader, {curve, {}, {}, {}}, w.chart, {0, frames}, Progress()), {});
}

// Simulated clips against the analytic truth, for luma with three independent channels: noise falls by the
// weights.
TEST_P(RangeOfClips, MeetsTheTruthWithinThreePercentOfAStop) {
  const auto& c = GetParam();
  double bias = 0;
  constexpr int kSeeds = 4;
  for (int seed = 1; seed <= kSeeds; ++seed) {
    const TempFolder folder;
    TextbookSensor s{12000, 2.5 + seed};
    s.seed = static_cast<std::uint64_t>(seed);
    const auto w =
        test::writeWedge(folder.path(), c.extension, c.bits, s, *makeCurve(c.curve).curve, 6, 16, 0.6);
    const auto r = measured(w, c.curve);
    for (double snr : {1.0, 2.0}) {
      EXPECT_NEAR(r.channel[kG].range.at(snr).stops, s.trueRange(snr), 0.1) << c.extension << " SNR " << snr;
      bias += (r.channel[kG].range.at(snr).stops - s.trueRange(snr)) / (2 * kSeeds);
    }
    const auto weights = lumaWeights(Primaries::Bt709);
    const double gain = std::hypot(weights[0], weights[1], weights[2]);
    EXPECT_NEAR(r.channel[kY].range.at(2).stops, s.trueRange(2 * gain), 0.1);
  }
  EXPECT_LT(std::abs(bias), 0.03) << c.extension;
}

INSTANTIATE_TEST_SUITE_P(All, RangeOfClips,
                         ::testing::Values(ClipCase{"exr", 32, "linear"}, ClipCase{"tif", 16, "acescct"},
                                           ClipCase{"dpx", 10, "acescct"}),
                         [](const auto& info) {
                           return std::string(info.param.extension) + std::to_string(info.param.bits);
                         });

TEST(RangeOfClip, BlurredNoiseIsFlaggedAndCorrected) {
  const TempFolder folder;
  TextbookSensor s{12000, 5};
  s.blurSigma = 0.7;
  const auto w = test::writeWedge(folder.path(), "exr", 32, s, *makeCurve("linear").curve, 6, 16, 0.6);
  const auto r = measured(w, "linear");
  ASSERT_TRUE(r.filtered);
  EXPECT_GT(rangeAt(r, 2, kG) - s.trueRange(2), 0.8);  // invisible without the check
  EXPECT_NEAR(r.corrected[kG].at(2).stops, s.trueRange(2), 0.15);
  EXPECT_NE(r.headlineLabel.find("filtering"), std::string::npos);
}

TEST(RangeOfClip, ClampedClipIsFlaggedCleanOneIsNot) {
  const TempFolder folder;
  TextbookSensor s{12000, 6};
  const auto clean = measured(
      test::writeWedge(folder.path(), "exr", 32, s, *makeCurve("linear").curve, 4, 18, 0.6), "linear");
  EXPECT_FALSE(clean.channel[kY].clamped);
  EXPECT_FALSE(clean.filtered);
  s.clampBlack = true;
  const auto clamped = measured(
      test::writeWedge(folder.path(), "exr", 32, s, *makeCurve("linear").curve, 4, 18, 0.6), "linear");
  EXPECT_TRUE(clamped.channel[kG].clamped);
  EXPECT_NEAR(rangeAt(clamped, 2, kG), s.trueRange(2), 0.12);
}

TEST(RangeOfClip, OneFrameIsMeasuredAndSaidToBeSo) {
  const TempFolder folder;
  const auto w = test::writeWedge(folder.path(), "exr", 32, TextbookSensor{12000, 5},
                                  *makeCurve("linear").curve, 1, 16, 0.6);
  const auto r = measured(w, "linear");
  EXPECT_NEAR(rangeAt(r, 2, kG), (TextbookSensor{12000, 5}.trueRange(2)), 0.1);
  EXPECT_TRUE(std::any_of(r.warnings.begin(), r.warnings.end(),
                          [](const Warning& x) { return x.code == "few-frames"; }));
}

TEST(RangeOfClip, EightBitLogIsSaidToBeQuantised) {
  const TempFolder folder;
  const auto w = test::writeWedge(folder.path(), "png", 8, TextbookSensor{60000, 2},
                                  *makeCurve("acescct").curve, 4, 14, 0.6);
  const auto r = measured(w, "acescct");
  EXPECT_TRUE(std::any_of(r.warnings.begin(), r.warnings.end(),
                          [](const Warning& x) { return x.code == "quantised"; }));
}

TEST(RangeOfClip, ChartBeyondThePictureOrTooSmallIsRefused) {
  const TempFolder folder;
  auto w =
      test::writeWedge(folder.path(), "exr", 32, TextbookSensor{}, *makeCurve("linear").curve, 2, 4, 0.6);
  w.chart.patches[0].corners = {{{10, 10}, {14, 10}, {14, 14}, {10, 14}}};
  EXPECT_THROW((void)measured(w, "linear"), Error);
}

}  // namespace
}  // namespace edge
