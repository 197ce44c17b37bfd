// Stress grade, looks, block edges, rebuilt highlights: closed forms, and OpenColorIO's own ASC CDL.
#include <OpenColorIO/OpenColorIO.h>
#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <random>

#include "base/error.h"
#include "base/units.h"
#include "color/look_files.h"
#include "recover/block_edges.h"
#include "recover/look.h"
#include "recover/rebuild.h"
#include "support/support.h"

namespace OCIO = OCIO_NAMESPACE;

namespace edge {
namespace {

Vec3 randomCode(std::mt19937_64& random) {
  std::uniform_real_distribution<double> u(0.1, 0.7);
  return {u(random), u(random), u(random)};
}

// ASC CDL 1.2 as OpenColorIO has it, without clamping.
Vec3 byLibrary(const Vec3& code, double slope, double offset, double saturation) {
  const auto cdl = OCIO::CDLTransform::Create();
  const double s[3] = {slope, slope, slope}, o[3] = {offset, offset, offset};
  cdl->setSlope(s);
  cdl->setOffset(o);
  cdl->setSat(saturation);
  cdl->setStyle(OCIO::CDL_NO_CLAMP);
  const auto processor = OCIO::Config::CreateRaw()->getProcessor(cdl)->getDefaultCPUProcessor();
  float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
  processor->applyRGB(rgb);
  return {rgb[0], rgb[1], rgb[2]};
}

TEST(Stress, ContrastAndSaturationAreThoseOfAscCdl) {
  std::mt19937_64 random(5);
  const auto log = makeCurve("acescct").curve;
  const double grey = log->toCode(kMiddleGrey);
  for (const StressStep& step : standardStress()) {
    const Look look = lookOf({step.contrast, step.saturation, 0}, *log);
    for (int i = 0; i < 20; ++i) {
      const Vec3 code = randomCode(random), mine = look.code(code);
      const Vec3 truth = byLibrary(code, step.contrast, grey * (1 - step.contrast), step.saturation);
      for (size_t c = 0; c < 3; ++c) EXPECT_NEAR(mine[c], truth[c], 2e-6);
    }
  }
}

// A third of a turn about the grey axis exchanges the channels.
TEST(Stress, HueTurnsAboutTheGreyAxis) {
  const auto log = makeCurve("acescct").curve;
  const Vec3 v = lookOf({1, 1, 120}, *log).code({0.5, 0.3, 0.2});
  EXPECT_NEAR(v[0], 0.2, 1e-12);
  EXPECT_NEAR(v[1], 0.5, 1e-12);
  EXPECT_NEAR(v[2], 0.3, 1e-12);
  const Vec3 grey = lookOf({1, 1, 33}, *log).code({0.4, 0.4, 0.4});
  for (double x : grey) EXPECT_NEAR(x, 0.4, 1e-12);
}

TEST(Stress, GreyStaysWhereItIsUnderEveryStep) {
  const auto log = makeCurve("acescct").curve;
  for (const auto& step : standardStress()) {
    const Vec3 v = lookOf(step, *log).light({kMiddleGrey, kMiddleGrey, kMiddleGrey}, *log);
    for (double x : v) EXPECT_NEAR(x, kMiddleGrey, 1e-9);
  }
}

TEST(Stress, AFileIsReadAndABrokenOneNamed) {
  const test::TempFolder folder;
  const auto write = [&](const std::string& text) {
    std::ofstream(folder.path() / "s.json") << text;
    return folder.path() / "s.json";
  };
  const auto steps = readStress(write(
      R"({"format": "edge-test-stress", "version": 1, "steps": [{"saturation": 2}, {"contrast": 1.5, "hue": -20}]})"));
  ASSERT_EQ(steps.size(), 2U);
  EXPECT_EQ(steps[0].saturation, 2);
  EXPECT_EQ(steps[0].contrast, 1);
  EXPECT_EQ(steps[1].hueDegrees, -20);
  for (const char* broken :
       {"", "[]", R"({"format": "edge-test-stress", "version": 1})",
        R"({"format": "edge-test-stress", "version": 1, "steps": []})",
        R"({"format": "edge-test-stress", "version": 1, "steps": [{"contrast": "much"}]})",
        R"({"format": "edge-test-stress", "version": 1, "steps": [{"contrast": 0}]})",
        R"({"format": "edge-test-stress", "version": 1, "steps": [{"saturation": 1e300}]})"})
    try {
      (void)readStress(write(broken));
      ADD_FAILURE() << broken;
    } catch (const Error& e) {
      EXPECT_FALSE(e.subject().empty());
      EXPECT_FALSE(e.remedy().empty());
    }
}

TEST(Looks, ACdlFileDoesWhatItsNumbersSay) {
  const test::TempFolder folder;
  std::mt19937_64 random(6);
  const Cdl cdl{{1.1, 0.95, 1.02}, {0.01, -0.02, 0.03}, {1.1, 0.9, 1}, 0.8};
  writeCdl(folder.path() / "warm.cdl", {"warm", "", cdl});
  const Look look = lookFrom(folder.path() / "warm.cdl");
  EXPECT_EQ(look.name, "warm.cdl");
  for (int i = 0; i < 50; ++i) {
    const Vec3 code = randomCode(random), mine = look.code(code), truth = cdl.apply(code);
    for (size_t c = 0; c < 3; ++c) EXPECT_NEAR(mine[c], truth[c], 1e-5);
  }
}

LightnessFrames blocks(int x0, int y0, double step, double noise) {
  std::mt19937_64 random(9);
  std::normal_distribution<double> n(0, noise);
  LightnessFrames f{64, 48, {}};
  for (int k = 0; k < 8; ++k) {
    auto& frame = f.frames.emplace_back();
    for (int y = 0; y < f.height; ++y)
      for (int x = 0; x < f.width; ++x)
        frame.push_back(static_cast<float>(50 + ((x + x0) / 8 + (y + y0) / 8) % 2 * step + n(random)));
  }
  return f;
}

// Every edge of a chequerboard of blocks is one step high.
TEST(BlockEdges, AreAsHighAsTheyWereMade) {
  for (const auto& [x, y] : {std::pair(0, 0), std::pair(5, 3), std::pair(806, 411)})
    for (double step : {0.5, 2.0}) {
      EXPECT_NEAR(blockStepOf(blocks(x, y, step, 0), x, y).value(), step, 1e-5);
      EXPECT_NEAR(blockStepOf(blocks(x, y, step, 0.5), x, y).value(), step, 0.1);
    }
}

TEST(BlockEdges, OfNoiseAloneAndOfShadingAreNought) {
  for (double noise : {0.5, 3.0}) EXPECT_LT(blockStepOf(blocks(3, 1, 0, noise), 3, 1).value(), 0.25 * noise);
  LightnessFrames ramp{64, 48, {{}}};
  for (int i = 0; i < 64 * 48; ++i) ramp.frames[0].push_back(0.2F * static_cast<float>(i % 64));
  EXPECT_LT(blockStepOf(ramp, 0, 0).value(), 0.02);
  EXPECT_FALSE(blockStepOf({4, 4, {std::vector<float>(16)}}, 0, 0)) << "no edge inside";
}

PixelFormat mosaic() {
  PixelFormat f;
  f.layout = Layout::Cfa;
  f.whiteBalance = {2, 1, 1.6};
  return f;
}

// Code of a light that is `r`, `g`, `b` after white balance, cut at the sensor's end; and its development.
struct Shot {
  float code[3], linear[3];
  Shot(double r, double g, double b) {
    const double light[3] = {r, g, b};
    const PixelFormat f = mosaic();
    for (size_t c = 0; c < 3; ++c) {
      code[c] = static_cast<float>(std::min(1.0, light[c] / f.whiteBalance[c]));
      linear[c] = static_cast<float>(f.whiteBalance[c]) * code[c];
    }
  }
};

TEST(Rebuild, ANeutralHighlightComesBackGrey) {
  const HighlightRebuild rebuild(mosaic());
  Shot shot(1.5, 1.5, 1.5);  // green ends at 1, red at 2, blue at 1.6
  EXPECT_TRUE(rebuild.apply(shot.linear, shot.code));
  for (float v : shot.linear) EXPECT_NEAR(v, 1.5, 1e-6);
}

TEST(Rebuild, WhatIsWholeOrWhollyGoneOrDarkerIsLeftAlone) {
  const HighlightRebuild rebuild(mosaic());
  for (Shot shot : {Shot(0.5, 0.7, 0.9), Shot(3, 3, 3), Shot(0.3, 1.5, 0.2)}) {
    const std::array<float, 3> before = {shot.linear[0], shot.linear[1], shot.linear[2]};
    EXPECT_FALSE(rebuild.apply(shot.linear, shot.code));
    for (size_t c = 0; c < 3; ++c) EXPECT_EQ(shot.linear[c], before[c]);
  }
}

}  // namespace
}  // namespace edge
