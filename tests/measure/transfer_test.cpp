// Photon transfer against simulated flats with analytic truth; definitions of EMVA 1288 R4.0 (gain K,
// temporal dark noise, saturation, PRNU).
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"
#include "measure/transfer.h"
#include "media/writers.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

// An even field, thirteen exposures a stop apart from deep shadow to over the clip, and one with the cap on.
std::vector<TransferClip> shootFlats(const fs::path& folder, const ScenarioConfiguration& c, int frames) {
  SceneImage flat{160, 128, std::vector<float>(3UL * 160 * 128, 0.18F)};
  std::vector<TransferClip> clips;
  for (int i = 0; i < 14; ++i) {
    Shot shot;
    shot.frames = frames, shot.seed = static_cast<std::uint64_t>(i + 3);
    shot.stops = -4 + 1.0 * i, shot.capped = i == 13;
    const auto path = writeClip(c, flat, shot, 24, folder / fmt::format("t{}", i), Progress());
    clips.push_back({path, {}, shot.capped});
  }
  return clips;
}

TEST(Transfer, GainReadNoiseFullWellAndPrnuOfASimulatedSensor) {
  const test::TempFolder folder;
  const Scenario s = demoScenario(true);
  const ScenarioConfiguration* c = findConfiguration(s, "Corvane 35", true, 500);
  ASSERT_TRUE(c);
  const CameraModel& camera = c->camera;
  const GainCircuit& circuit = camera.circuitOf(c->iso);
  const double gain = (std::exp2(camera.bits) - 1 - camera.pedestalDn) / circuit.fullWellElectrons;
  const double read = std::hypot(circuit.readNoiseElectrons, camera.rowNoiseElectrons);
  const auto m = measureTransfer(shootFlats(folder.path(), *c, 16), std::nullopt, Progress());
  int outside = 0;
  for (int channel = 0; channel < 3; ++channel) {
    const TransferChannel t = fitTransfer(m.points[channel], m.blackLevel[channel]);
    std::string said;
    for (const auto& w : t.warnings) said += w.code + ": " + w.message + "; ";
    ASSERT_TRUE(t.gainDnPerE && t.readNoiseE && t.fullWellE && t.prnuPercent) << channel << said;
    EXPECT_NEAR(t.gainDnPerE->value / gain, 1, 0.01) << channel;
    EXPECT_NEAR(t.readNoiseE->value / read, 1, 0.03) << channel;
    EXPECT_NEAR(t.fullWellE->value / circuit.fullWellElectrons, 1, 0.01) << channel;
    EXPECT_NEAR(t.prnuPercent->value / (100 * camera.photoResponse), 1, 0.08) << channel;
    const auto far = [&](const Estimate& e, double truth) {
      outside += std::abs(e.value - truth) > 3 * e.sigma;
    };
    far(*t.gainDnPerE, gain), far(*t.readNoiseE, read), far(*t.prnuPercent, 100 * camera.photoResponse);
    std::printf(
        "channel %d: gain %.4f +-%.4f (%.4f), read %.3f +-%.3f (%.3f), full well %.0f +-%.0f (%.0f), PRNU "
        "%.3f "
        "+-%.3f (%.3f)\n",
        channel, t.gainDnPerE->value, t.gainDnPerE->sigma, gain, t.readNoiseE->value, t.readNoiseE->sigma,
        read, t.fullWellE->value, t.fullWellE->sigma, circuit.fullWellElectrons, t.prnuPercent->value,
        t.prnuPercent->sigma, 100 * camera.photoResponse);
  }
  EXPECT_LE(outside, 1) << "errors are what they say";
}

// Points from the formulas themselves: mean = k n + dark, variance = k^2 (n + r^2) + 1/12.
std::vector<TransferPoint> ideal(double k, double r, bool black, bool clip, int frames) {
  std::vector<TransferPoint> points;
  for (double n = 50; n < 30000; n *= 2) {
    TransferPoint p;
    p.mean = 64 + k * n, p.variance = k * k * (n + r * r) + 1.0 / 12, p.samples = 10000, p.frames = frames;
    if (frames >= 8) p.fixed = std::pow(0.005 * k * n, 2);
    points.push_back(p);
  }
  if (clip)
    points.push_back({64 + k * 40000, 0, std::nullopt, 10000, static_cast<double>(frames), 1, 0, false});
  if (black)
    points.push_back({64, k * k * r * r + 1.0 / 12, 0, 10000, static_cast<double>(frames), 0, 0, true});
  return points;
}

TEST(Transfer, IdealPointsGiveBackTheirOwnFigures) {
  const TransferChannel t = fitTransfer(ideal(0.5, 3, true, true, 8), 64);
  EXPECT_NEAR(t.gainDnPerE->value, 0.5, 1e-6);
  EXPECT_NEAR(t.readNoiseE->value, 3, 1e-6);
  EXPECT_NEAR(t.fullWellE->value, 40000, 1e-3);
  EXPECT_NEAR(t.prnuPercent->value, 0.5, 1e-6);
  EXPECT_TRUE(t.warnings.empty());
}

// Pixels of a sensor do not all end on one code: full wells that differ by 0.3 % leave the saturated take
// without noise, not without spread.
TEST(Transfer, ASaturatedTakeIsKnownByItsNoiseNotByOneCode) {
  auto points = ideal(0.5, 3, true, false, 8);
  TransferPoint full{64 + 0.5 * 40000, 4, std::pow(0.003 * 0.5 * 40000, 2), 10000, 8, 0.0004, 0, false};
  points.push_back(full);
  full.mean += 2;
  points.push_back(full);
  const TransferChannel t = fitTransfer(points, 64);
  ASSERT_TRUE(t.gainDnPerE && t.fullWellE && t.prnuPercent);
  EXPECT_NEAR(t.gainDnPerE->value, 0.5, 1e-4);
  EXPECT_NEAR(t.fullWellE->value, 40000, 10);
  EXPECT_NEAR(t.prnuPercent->value, 0.5, 1e-3);
}

TEST(Transfer, WhatIsMissingIsNullAndSaid) {
  const auto codes = [](const TransferChannel& t) {
    std::string all;
    for (const auto& w : t.warnings) all += w.code + " ";
    return all;
  };
  const TransferChannel open = fitTransfer(ideal(0.5, 3, false, false, 2), 64);
  EXPECT_FALSE(open.fullWellE);
  EXPECT_FALSE(open.prnuPercent);
  EXPECT_NEAR(open.readNoiseE->value, 3, 0.05);
  EXPECT_EQ(codes(open), "no-black upper-not-reached few-frames ");
  const TransferChannel fine = fitTransfer(ideal(0.05, 2, true, true, 8), 64);
  EXPECT_FALSE(fine.readNoiseE) << "0.1 DN of read noise under the converter's steps";
  EXPECT_EQ(codes(fine), "quantised ");
  EXPECT_EQ(codes(fitTransfer({}, 64)), "few-takes few-frames ");
}

// A take at the end of its pixels: all but a few of them stand on one code, those move when they like. No
// repeat.
TEST(Transfer, ANearlySaturatedTakeIsNoRepeat) {
  const test::TempFolder folder;
  std::mt19937_64 random(23);
  std::normal_distribution<double> normal;
  constexpr int kSide = 128;
  constexpr double kBlack = 256, kWhite = 16383, kGain = 0.5, kWell = (kWhite - kBlack) / kGain;
  DngDescription d;
  d.width = kSide;
  d.height = kSide;
  d.black = kBlack;
  d.white = kWhite;
  d.asShotNeutral = {1, 1, 1};
  // XYZ to linear BT.709 (from memory, IEC 61966-2-1).
  d.xyzToCamera = {{{3.2406, -1.5372, -0.4986}, {-0.9689, 1.8758, 0.0415}, {0.0557, -0.2040, 1.0570}}};
  d.model = "Corvane 35";
  std::vector<TransferClip> clips;
  for (int i = 0; i < 9; ++i) {
    const double light = i == 8 ? kWell * 1.02 : kWell / 1.6 * std::exp2(-i);
    const fs::path clip = folder / fmt::format("t{}", i);
    fs::create_directories(clip);
    for (int n = 0; n < 8; ++n) {
      std::vector<std::uint16_t> mosaic;
      for (int p = 0; p < kSide * kSide; ++p) {
        const double e = light + std::sqrt(light) * normal(random) + 3 * normal(random);
        mosaic.push_back(static_cast<std::uint16_t>(std::clamp(std::lround(kBlack + kGain * e), 0L, 16383L)));
      }
      writeDng(clip / fmt::format("f.{:04}.dng", n), d, mosaic);
    }
    clips.push_back({clip, {}, false});
  }
  const auto m = measureTransfer(clips, std::nullopt, Progress());
  const TransferChannel t = fitTransfer(m.points[1], m.blackLevel[1]);
  ASSERT_TRUE(t.gainDnPerE && t.fullWellE);
  EXPECT_NEAR(t.gainDnPerE->value, kGain, std::max(0.01, 3 * t.gainDnPerE->sigma));
  EXPECT_NEAR(t.fullWellE->value / kWell, 1, 0.02);
  // Frames that really repeat are refused all the same.
  for (int n = 1; n < 8; n += 2)
    fs::copy_file(clips[2].clip / fmt::format("f.{:04}.dng", n - 1),
                  clips[2].clip / fmt::format("f.{:04}.dng", n), fs::copy_options::overwrite_existing);
  EXPECT_THROW((void)measureTransfer(clips, std::nullopt, Progress()), Error);
}

TEST(Transfer, DevelopedPicturesAreRefused) {
  const test::TempFolder folder;
  test::writeImage(folder / "a.tif", 64, 64, 3, std::vector<float>(64 * 64 * 3, 0.3F), 16);
  try {
    (void)measureTransfer({{folder / "a.tif", {}, false}}, std::nullopt, Progress());
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(e.problem().find("raw frames"), std::string::npos);
    EXPECT_NE(e.remedy().find("DNG"), std::string::npos);
  }
}

}  // namespace
}  // namespace edge
