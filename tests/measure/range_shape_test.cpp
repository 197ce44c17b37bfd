// What is said beside the range: soft shoulders, uneven light, how to expose, what limits a figure, a step
// seen close.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numeric>

#include "base/error.h"
#include "measure/evenness.h"
#include "measure/range_advice.h"
#include "measure/step_look.h"
#include "measure/wedge_camera.h"
#include "media/clip.h"

namespace edge {
namespace {

bool has(const RangeResult& r, const char* code) {
  return std::any_of(r.warnings.begin(), r.warnings.end(), [&](const Warning& w) { return w.code == code; });
}

// Truth: site() in wedge_camera.cpp bends from `shoulder` of the clip on, with slope one there.
TEST(Knee, SoftShoulderIsFoundAndTheFloorIsNotMoved) {
  const test::TempFolder folder;
  Wedge straight;
  straight.recording = Recording::Raw, straight.over = 2.4, straight.step = 0.5, straight.steps = 30;
  Wedge soft = straight;
  soft.shoulder = 0.4;
  WedgeMeasure m;
  const RangeResult plain = analyse(straight, folder / "w", &m), bent = analyse(soft, folder / "w", &m);
  EXPECT_FALSE(plain.channel[kG].knee);
  EXPECT_FALSE(has(plain, "soft-knee"));
  ASSERT_TRUE(bent.channel[kG].knee);
  EXPECT_TRUE(has(bent, "soft-knee"));
  // x = 0.4 + 0.6 (1 - exp(-(x' - 0.4)/0.6)) falls short by 0.05 stop at x' = 0.626: -0.68 stop from the
  // clip.
  EXPECT_NEAR(bent.channel[kG].knee->stops, -2.4 - 0.68, 0.3);
  EXPECT_NEAR(bent.channel[kG].lower.at(2).stops, plain.channel[kG].lower.at(2).stops, 0.06);
}

WedgeMeasure wedgeAt(const Chart& chart, double slope, std::uint64_t seed) {
  RandomStream random(seed);
  WedgeMeasure w;
  w.frames = 8;
  for (const auto& p : chart.patches) {
    PatchMeasure m;
    m.name = p.name, m.stops = *p.stops, m.stopsSigma = 0.01, m.width = m.height = 64;
    double x = 0;
    for (const auto& c : p.corners) x += c.x / 4;
    const double fall = std::exp2(slope * x / chart.referenceWidth);
    for (auto& c : m.channel) {
      const double level = 1.4 * std::exp2(*p.stops) * fall;
      c.mean = std::min(1.0, level) * (1 + 1e-4 * random.uniform()), c.samples = 4096;
      c.variance = level >= 1 ? 1e-10 : 1e-8 + 5e-5 * level;
    }
    w.patches.push_back(m);
  }
  return w;
}

TEST(Evenness, ASlopeOfLightIsFoundByTheTurnedPassAndTakenOut) {
  Chart chart;
  for (int i = 0; i < 18; ++i) {
    const double x = 200 + 84.0 * i;
    Patch p;
    p.name = std::to_string(i + 1), p.stops = -i * 0.9;
    p.corners = {{{x, 500}, {x + 80, 500}, {x + 80, 580}, {x, 580}}};
    chart.patches.push_back(p);
  }
  const Chart other = turned(chart);
  EXPECT_NEAR(other.patches[0].corners[2].x, chart.patches[17].corners[0].x, 1e-9);
  for (const double slope : {0.0, 0.6, -1.0}) {
    WedgeMeasure first = wedgeAt(chart, slope, 1);
    const WedgeMeasure level = wedgeAt(chart, 0, 1);
    const Evenness e = evennessOf(first, chart, wedgeAt(other, slope, 2), other);
    EXPECT_NEAR(e.acrossStops, std::abs(slope) * 17 * 84 / 1920, 0.01);
    correct(first, e);
    const double truth = analyseRange(level, {}).channel[kY].range.at(2).stops;
    EXPECT_NEAR(analyseRange(first, {}).channel[kY].range.at(2).stops, truth, 0.03) << slope;
  }
  WedgeMeasure dark = wedgeAt(chart, 0, 1);
  for (auto& p : dark.patches)
    for (auto& c : p.channel) c.variance = 1;
  EXPECT_THROW((void)evennessOf(dark, chart, dark, other), Error);
}

// The advice is followed: the same camera, opened by as much, clips step 1 and holds step 2.
TEST(Exposure, FollowedAdviceClipsStepOneAndLeavesStepTwo) {
  const test::TempFolder folder;
  for (const double over : {-2.3, -0.6, 0.4, 1.7, 2.6}) {
    Wedge w;
    w.over = over, w.recording = Recording::Raw, w.steps = 20;
    WedgeMeasure m;
    const ExposureAdvice a = adviseExposure(m, analyse(w, folder / "w", &m));
    ASSERT_FALSE(a.atLeast) << "a raw file says at which level it is full";
    w.over += a.openStops;
    const RangeResult r = analyse(w, folder / "w", &m);
    EXPECT_EQ(r.states[0], PatchState::OneChannel) << over;  // green ends first, a stop before red
    EXPECT_EQ(r.states[1], PatchState::Intact) << over << " " << a.words;
    EXPECT_TRUE(adviseExposure(m, r).right) << adviseExposure(m, r).words;
  }
  Wedge log;
  log.over = -1;
  WedgeMeasure m;
  const ExposureAdvice a = adviseExposure(m, analyse(log, folder / "w", &m));
  EXPECT_TRUE(a.atLeast);  // where a log file clips is not known before it does
  EXPECT_NE(a.words.find("open at least 1.0 stop"), std::string::npos) << a.words;
}

TEST(Limitations, NameWhatLimitsAndWhatToShoot) {
  const test::TempFolder folder;
  const auto subjects = [&](const Wedge& w) {
    WedgeMeasure m;
    const RangeResult r = analyse(w, folder / "w", &m);
    std::string s;
    for (const auto& l : limitationsOf(m, r, true)) {
      s += l.subject + " ";
      EXPECT_FALSE(l.shoot.empty());
    }
    return s;
  };
  Wedge sound;
  sound.frames = 16, sound.recording = Recording::Log16;
  EXPECT_EQ(subjects(sound), "");
  Wedge dim = sound;
  dim.over = -1;
  EXPECT_EQ(subjects(dim), "chart ");
  Wedge shortWedge = sound;
  shortWedge.steps = 7;
  EXPECT_EQ(subjects(shortWedge), "chart ");
  Wedge few = sound;
  few.frames = 8;
  EXPECT_EQ(subjects(few), "frames ");
  Wedge blurred = sound;
  blurred.blur = 0.7;
  EXPECT_EQ(subjects(blurred), "filter ");
  Wedge clamped = sound;
  clamped.clamp = true;
  EXPECT_EQ(subjects(clamped), "clamp ");
}

// ISO 15739 and EMVA 1288 count fixed pattern to the total; the textbook sum of variances is the truth.
TEST(TotalNoise, FixedPatternLowersTheRange) {
  WedgeMeasure w;
  w.frames = 16;
  for (int k = 0; k < 20; ++k) {
    PatchMeasure p;
    p.name = std::to_string(k + 1), p.stops = -k, p.stopsSigma = 0.01, p.width = p.height = 64;
    const double level = std::exp2(0.6 - k);
    for (auto& c : p.channel) {
      c.mean = std::min(1.0, level), c.samples = 4096, c.variance = level >= 1 ? 1e-12 : 1e-8;
      c.fixedVariance = 3e-8, c.fixedRowVariance = 0, c.fixedColumnVariance = -1e-10;
    }
    w.patches.push_back(p);
  }
  const RangeResult r = analyseRange(w, {});
  ASSERT_FALSE(r.total.empty());
  // Four times the variance: one stop of SNR, read-limited.
  EXPECT_NEAR(r.channel[kY].range.at(2).stops - r.total.at(2).stops, 1, 0.02);
  w.frames = 4;
  EXPECT_TRUE(analyseRange(w, {}).total.empty());
}

// The command line: a second pass, how to expose, what limits (man page).
TEST(RangeCommand, SaysHowToExposeWhatLimitsAndReadsATurnedPass) {
  const test::TempFolder folder;
  const auto curve = makeCurve("linear").curve;
  const auto wedge = test::writeWedge(folder.path(), "exr", 32, {}, *curve, 8, 12, 0.6);
  const std::string call = "range " + wedge.clip.string() + " --chart " + wedge.chartFile.string();
  const test::Ran ran =
      test::runCli(call + " --turned " + wedge.clip.string() + " --turned-chart " + wedge.chartFile.string());
  ASSERT_EQ(ran.exit, 1) << "both passes show every step at the same place: there is nothing to compare";
  EXPECT_NE(ran.err.find(", in " + wedge.clip.string() + " (the turned pass): "), std::string::npos)
      << ran.err;
  const test::Ran plain = test::runCli(call);
  ASSERT_EQ(plain.exit, 0) << plain.err;
  const auto j = nlohmann::json::parse(plain.out);
  EXPECT_TRUE(j.at("evenness").is_null());
  EXPECT_NEAR(j.at("exposure").at("open_stops").get<double>(), 0.35,
              0.05);  // 0.6 over, 1 stop a step, 0.05 spare
  EXPECT_FALSE(j.at("limitations").empty());
  EXPECT_TRUE(j.at("total_noise").at("snr2").is_object());
  EXPECT_EQ(test::runCli(call + " --turned-chart x.json").exit, 2);
}

TEST(StepLook, ShowsTheNoiseThatIsMeasured) {
  const test::TempFolder folder;
  test::TextbookSensor sensor;
  sensor.fullWell = 5000, sensor.read = 4;
  const auto curve = makeCurve("acescct").curve;
  const auto wedge = test::writeWedge(folder.path(), "dpx", 10, sensor, *curve, 12, 12, 0.6);
  DecodeOptions decode;
  decode.curve = "acescct", decode.range = Range::Full;
  const auto reader = openClip(wedge.clip);
  const WedgeMeasure m = measureWedge(*reader, decode, wedge.chart, {}, Progress());
  const auto again = openClip(wedge.clip);
  const StepLook look = lookAtStep(*again, decode, wedge.chart, "5", {}, Progress());
  ASSERT_EQ(look.moving.size(), static_cast<size_t>(look.width) * static_cast<size_t>(look.height));
  EXPECT_NEAR(look.movingSd / std::sqrt(m.patches[4].channel[kY].variance), 1, 0.05);
  EXPECT_LT(look.standingSd, 0.5 * look.movingSd);
  for (const auto& h : look.histogram) {
    EXPECT_NEAR(std::accumulate(h.share.begin(), h.share.end(), 0.0), 1, 1e-9);
    double mean = 0;
    for (size_t i = 0; i < h.share.size(); ++i)
      mean += h.share[i] * (h.low + h.binWidth * (static_cast<double>(i) + 0.5));
    EXPECT_NEAR(mean / 1023, m.patches[4].channel[kG].code, 1.0 / 1023);
  }
  EXPECT_THROW((void)lookAtStep(*again, decode, wedge.chart, "99", {}, Progress()), Error);
}

}  // namespace
}  // namespace edge
