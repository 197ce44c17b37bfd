#include "simulate/camera.h"

#include <gtest/gtest.h>

#include <cmath>

#include "base/parallel.h"
#include "simulate/scenario.h"

namespace edge {
namespace {

CameraModel plainCamera() {
  CameraModel m = demoScenario(true).configurations.front().camera;
  m.rowNoiseElectrons = m.darkPatternElectrons = m.photoResponse = 0;
  return m;
}

SceneImage flat(int w, int h, float level) {
  return {w, h, std::vector<float>(3 * static_cast<size_t>(w) * h, level)};
}

// Poisson statistics (EMVA 1288 R4.0, section 2): variance of a site in electrons is mean plus read noise
// squared.
TEST(Camera, PhotonTransferOfTheMosaicIsThatOfTheModel) {
  const CameraModel m = plainCamera();
  const SimulatedCamera camera(m, 500);
  const auto& circuit = m.circuitOf(500);
  const double perDn = circuit.fullWellElectrons / (std::exp2(m.bits) - 1 - m.pedestalDn);
  for (double level : {0.0, 0.02, 0.18, 2.0}) {
    const auto a = camera.rawFrame(flat(256, 128, static_cast<float>(level)), 1, 1);
    double sum = 0, squares = 0, n = 0;
    for (int y = 0; y < 128; y += 2)
      for (int x = 1; x < 256; x += 2) {  // green sites of the upper rows
        const double e = (a[static_cast<size_t>(y) * 256 + x] - m.pedestalDn) * perDn;
        sum += e, squares += e * e, ++n;
      }
    const double mean = sum / n, variance = squares / n - mean * mean;
    const double expected = level * circuit.fullWellElectrons / m.clipLinear();
    EXPECT_NEAR(mean, expected, 5 * std::sqrt((expected + 25) / n)) << level;
    const double truth =
        expected + circuit.readNoiseElectrons * circuit.readNoiseElectrons + perDn * perDn / 12;
    EXPECT_NEAR(variance / truth, 1, 5 * std::sqrt(2 / n)) << level;
  }
}

TEST(Camera, SamePicturesOnAnyNumberOfThreads) {
  const SimulatedCamera camera(plainCamera(), 2500);
  const SceneImage scene = renderBench(160, 90);
  setThreads(1);
  const auto one = camera.logFrame(scene, 0.5, 3);
  setThreads(0);
  const auto many = camera.logFrame(scene, 0.5, 3);
  EXPECT_EQ(one.y, many.y);
  EXPECT_EQ(one.cb, many.cb);
  EXPECT_NE(many.y, camera.logFrame(scene, 0.5, 4).y);
}

TEST(Camera, NeutralStaysNeutralUpToTheClip) {
  const SimulatedCamera camera(plainCamera(), 500);
  for (float level : {0.18F, 20.0F}) {
    const SceneImage d = camera.developedFrame(flat(64, 64, level), 1, 1);
    double mean[3] = {0, 0, 0};
    for (size_t i = 0; i < d.rgb.size(); ++i) mean[i % 3] += d.rgb[i] / 4096;
    const double expected = std::min<double>(level, plainCamera().clipLinear());
    for (double v : mean) EXPECT_NEAR(v / expected, 1, 0.02) << level;
  }
}

TEST(Camera, TruthLiesWhereTheSensorsPhysicsPutIt) {
  const CameraTruth low = truthOf(plainCamera(), 500, false), high = truthOf(plainCamera(), 2500, false);
  EXPECT_NEAR(low.lumaRange(1) - low.lumaRange(2), 1.1, 0.2);
  EXPECT_GT(low.lumaRange(2), high.lumaRange(2));
  EXPECT_LT(low.channelClipStops(1), low.channelClipStops(0));  // green ends first
}

// Twice the ISO within a circuit: the same electrons, twice the level (docs/method.md, "Stops").
TEST(Camera, IsoWithinACircuitIsGainAlone) {
  const SimulatedCamera native(plainCamera(), 500), doubled(plainCamera(), 500, 2);
  SceneImage scene{8, 8, std::vector<float>(8 * 8 * 3, 0.18F)};
  EXPECT_EQ(native.rawFrame(scene, 1, 3), doubled.rawFrame(scene, 1, 3)) << "the sensor knows nothing of it";
  EXPECT_NEAR(doubled.dngFor(scene).baselineExposureStops - native.dngFor(scene).baselineExposureStops, 1,
              1e-12);
  const auto curve = logCameraCurve(plainCamera().log);
  const auto code = [&](const SimulatedCamera& c) {
    double sum = 0;
    const auto f = c.logFrame(scene, 1, 3);
    for (auto v : f.y) sum += v;
    return (sum / static_cast<double>(f.y.size()) - 64) / 876;
  };
  EXPECT_NEAR(curve->toLinear(code(doubled)) / curve->toLinear(code(native)), 2, 0.02);
}

TEST(Scenario, HoldsWhatTheDemoPromises) {
  const Scenario s = demoScenario(false);
  EXPECT_EQ(s.film, "Saltpan Road");
  ASSERT_EQ(s.configurations.size(), 7U);
  EXPECT_EQ(s.wedgeStops.size(), 21U);
  ASSERT_EQ(s.accidents.size(), 2U);
  EXPECT_FALSE(s.accidents[0].drift);
  EXPECT_TRUE(s.accidents[1].drift);
}

}  // namespace
}  // namespace edge
