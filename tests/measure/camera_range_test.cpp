// The whole chain on simulated cameras: clip written, read, measured, against the analytic truth of the
// model.
#include <gtest/gtest.h>

#include <cmath>

#include "base/units.h"
#include "measure/range.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr int kWidth = 640, kHeight = 360;

struct Case {
  bool raw;
  double readNoise, fullWell;
};
void PrintTo(const Case& c, std::ostream* out) {
  *out << (c.raw ? "raw" : "log") << ", read noise " << c.readNoise << " e-, full well " << c.fullWell
       << " e-";
}

// Truth minus figure at SNR 2 and 10, on the headline's own scale (green's clip).
std::pair<double, double> errorsOf(const Case& c, std::uint64_t seed) {
  const test::TempFolder folder;
  ScenarioConfiguration s = demoScenario(true).configurations.front();
  s.camera.circuits = {{500, c.fullWell, c.readNoise}};
  s.camera.seed = seed;
  s.raw = c.raw;
  std::vector<double> stops;
  for (int i = 0; i < 18; ++i) stops.push_back(-i + 0.03 * std::sin(i * 1.7));
  stops[0] = 0;
  const Chart chart = wedgeChart(stops, kWidth, kHeight);
  const double exposure = std::log2(s.camera.clipLinear()) + 0.6;
  Shot shot;
  shot.stops = exposure, shot.frames = 8, shot.seed = seed;
  const fs::path clip = writeClip(s, renderWedge(chart, kWidth, kHeight), shot, 24, folder / "w", Progress());
  const auto reader = openClip(clip);
  DecodeOptions decode{"linear", {}, {}, {}};
  if (!c.raw) {
    const LogCamera& l = s.camera.log;
    decode.curve = (folder / "c.json").string();
    test::writeText(decode.curve, "{\"base\":" + std::to_string(l.base) +
                                      ",\"logSideSlope\":" + std::to_string(l.logSideSlope) +
                                      ",\"logSideOffset\":" + std::to_string(l.logSideOffset) +
                                      ",\"linSideSlope\":" + std::to_string(l.linSideSlope) +
                                      ",\"linSideOffset\":" + std::to_string(l.linSideOffset) +
                                      ",\"linSideBreak\":" + std::to_string(l.linSideBreak) + "}");
  }
  const WedgeMeasure w = measureWedge(*reader, decode, chart, {}, Progress());
  const RangeResult r = analyseRange(w, {});
  EXPECT_FALSE(r.filtered) << "nothing was filtered";
  EXPECT_FALSE(r.channel[kY].clamped) << "nothing was clamped";
  const CameraTruth t = truthOf(s.camera, 500, c.raw);
  const auto error = [&](double snr) {
    return r.colourComplete.stops - r.channel[kY].lower.at(snr).stops - t.lumaRange(snr);
  };
  return {error(2), error(10)};
}

class CameraRange : public ::testing::TestWithParam<Case> {};

// The issue's own limit: bias below 0.03 stop over seeds at several read noises.
TEST_P(CameraRange, HeadlineHasNoBias) {
  double bias = 0, worst = 0;
  constexpr int kSeeds = 3;
  for (int seed = 1; seed <= kSeeds; ++seed) {
    const auto [two, ten] = errorsOf(GetParam(), static_cast<std::uint64_t>(seed) * 7919);
    bias += two / kSeeds;
    worst = std::max(worst, std::abs(two));
    // Log per channel, then 4:2:2 luma, adds second-order noise (docs/method.md): a wider limit at SNR 10 in
    // log only.
    EXPECT_LT(std::abs(ten), GetParam().raw ? 0.06 : 0.12);
  }
  EXPECT_LT(std::abs(bias), 0.03);
  EXPECT_LT(worst, 0.08);
}

INSTANTIATE_TEST_SUITE_P(All, CameraRange,
                         ::testing::Values(Case{true, 1.5, 20000}, Case{true, 6, 40000},
                                           Case{false, 3, 30000}, Case{false, 6, 40000}),
                         [](const auto& info) {
                           return std::string(info.param.raw ? "raw" : "log") +
                                  std::to_string(int(info.param.readNoise * 10));
                         });

}  // namespace
}  // namespace edge
