// The curve of a simulated camera, measured from its bracket, against the one it was made with.
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cmath>

#include "base/error.h"
#include "recover/curve_fit.h"
#include "simulate/random.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace edge {
namespace {

// Exact codes of ACEScct (S-2016-001), nine takes and twelve greys, offsets off by 0.06 stop.
TEST(CurveFit, KnownCurveAndOffsetsComeBack) {
  const auto curve = makeCurve("acescct").curve;
  CurveFitInput in;
  std::vector<double> truth;
  for (int t = 0; t < 9; ++t) {
    const double planned = t == 0 ? 0 : t <= 4 ? t : 4 - t;
    in.plannedStops.push_back(planned);
    truth.push_back(planned + (t == 0 ? 0 : 0.06 * std::sin(3.0 * t)));
  }
  for (int p = 0; p < 12; ++p) in.patchStops.push_back(2.3 - 0.5 * p), in.patchSigma.push_back(0.02);
  RandomStream random(5, 5, 5);
  const NormalTable normal;
  for (size_t t = 0; t < truth.size(); ++t)
    for (size_t p = 0; p < 12; ++p) {
      const double code = curve->toCode(0.18 * std::exp2(truth[t] + in.patchStops[p]));
      in.cells.push_back(
          {t, p, code + 0.0003 * normal(static_cast<std::uint32_t>(random.next() >> 20)), 0.0003});
    }
  const CurveFit f = fitCurve(in);
  for (size_t t = 0; t < truth.size(); ++t) EXPECT_NEAR(f.takeStops[t], truth[t], 0.03) << t;
  double sum = 0, n = 0;
  for (double x = f.fromStops + 0.5; x < f.toStops - 0.5; x += 0.1) {
    const double off = f.stopsOfCode(curve->toCode(0.18 * std::exp2(x))) - x;
    sum += off * off, n += 1;
  }
  EXPECT_LT(std::sqrt(sum / n), 0.02);
  for (size_t i = 1; i < f.code.size(); ++i) EXPECT_GT(f.code[i], f.code[i - 1]);
  RecordProperty("rms_stops", fmt::format("{:.4f}", std::sqrt(sum / n)));
}

// A bracket of the demo's log camera in full stops, missed by up to `missed` stops.
Series shootBracket(const std::filesystem::path& folder, const ScenarioConfiguration& c, const Scenario& s,
                    int reach, int frames, double missed) {
  const SceneImage bench = renderBench(s.width, s.height);
  Series series;
  series.chart = benchChart(s.width, s.height);
  series.decode.range = Range::Legal, series.decode.matrix = Primaries::Bt709;
  RandomStream random(3, 1, 4);
  for (int t = -reach; t <= reach; ++t) {
    Shot shot;
    shot.stops = t + (t == 0 ? 0 : 2 * missed * (random.uniform() - 0.5)), shot.frames = frames,
    shot.seed = static_cast<std::uint64_t>(t + 10);
    const auto clip = writeClip(c, bench, shot, 24, folder / fmt::format("t{}", t + reach), Progress());
    if (t == 0)
      series.base = clip;
    else
      series.takes.push_back(
          {fmt::format("{:+d}", t), clip, static_cast<double>(t), "", std::nullopt, std::nullopt});
  }
  return series;
}

TEST(CurveFit, FromClipsOfASimulatedCamera) {
  const test::TempFolder folder;
  const Scenario s = demoScenario(true);
  const auto* c = findConfiguration(s, "Corvane 35", false, 500);
  const Series series = shootBracket(folder.path(), *c, s, 3, 4, 0.05);
  const CurveFit f = fitCurve(gatherCurve(series, Progress()));
  const auto truth = logCameraCurve(c->camera.log);
  double sum = 0, n = 0;
  for (double x = f.fromStops + 0.3; x < f.toStops - 0.3; x += 0.1) {
    const double off = f.stopsOfCode(truth->toCode(0.18 * std::exp2(x))) - x;
    sum += off * off, n += 1;
  }
  std::printf("measured curve: rms %.4f stop over %.1f to %+.1f, %d cells, residual %.4f\n",
              std::sqrt(sum / n), f.fromStops, f.toStops, f.cellsUsed, f.rmsStops);
  EXPECT_LT(std::sqrt(sum / n), 0.02);
  // The file it writes is a curve like any other.
  test::writeText(folder / "measured.csv", curveCsv(f));
  const auto read = makeCurve((folder / "measured.csv").string()).curve;
  EXPECT_NEAR(read->toLinear(truth->toCode(0.18)), 0.18, 0.18 * 0.02);
}

// The same clips with stops counted from white give the same curve, once the chart says which patch is grey;
// and none when it does not.
TEST(CurveFit, CountsFromGreyWhateverTheChartCountsFrom) {
  const test::TempFolder folder;
  const Scenario s = demoScenario(true);
  Series series = shootBracket(folder.path(), *findConfiguration(s, "Corvane 35", false, 500), s, 2, 2, 0);
  ASSERT_TRUE(series.chart.greyStops());
  const CurveFit fromGrey = fitCurve(gatherCurve(series, Progress()));
  double brightest = -1e9;
  for (const auto& p : series.chart.patches) brightest = std::max(brightest, p.stops.value_or(-1e9));
  for (auto& p : series.chart.patches)
    if (p.stops) *p.stops -= brightest;
  const CurveFit fromWhite = fitCurve(gatherCurve(series, Progress()));
  ASSERT_EQ(fromGrey.code.size(), fromWhite.code.size());
  for (size_t i = 0; i < fromGrey.code.size(); ++i) EXPECT_NEAR(fromGrey.code[i], fromWhite.code[i], 1e-9);
  series.chart.grey.reset();
  EXPECT_THROW((void)gatherCurve(series, Progress()), Error);
  const CurveFit told = fitCurve(gatherCurve(series, Progress(), -brightest));
  EXPECT_LT(std::abs(told.stops.front() - fromGrey.stops.front()), 0.5) << "grey typed as stops";
}

TEST(CurveFit, TooLittleIsRefused) {
  EXPECT_THROW((void)fitCurve({}), Error);
  CurveFitInput in;
  in.plannedStops = {0, 1, 2}, in.patchStops = {0}, in.patchSigma = {0.02};
  for (size_t t = 0; t < 3; ++t) in.cells.push_back({t, 0, 0.3, 0.001});
  EXPECT_THROW((void)fitCurve(in), Error);
}

}  // namespace
}  // namespace edge
