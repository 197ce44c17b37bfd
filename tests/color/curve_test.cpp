#include "color/curve.h"

#include <OpenColorIO/OpenColorIO.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "support/support.h"

namespace OCIO = OCIO_NAMESPACE;

namespace edge {
namespace {

using test::TempFolder;
using test::writeText;

std::shared_ptr<const Curve> curve(const std::string& name) {
  return makeCurve(name).curve;
}

// ACES S-2016-001, clause 4.4: ACEScct constants; 18 % grey encodes to 0.4135884.
TEST(Curve, AcesCctMeetsItsStandard) {
  const auto c = curve("acescct");
  EXPECT_NEAR(c->toCode(0.18), 0.4135884, 1e-7);
  EXPECT_NEAR(c->toCode(0.0078125), 0.155251141552511, 1e-12);
  EXPECT_NEAR(c->toCode(0), 0.0729055341958355, 1e-12);
  EXPECT_NEAR(c->toCode(1), (0 + 9.72) / 17.52, 1e-12);
  EXPECT_NEAR(c->toLinear(0.0729055341958355), 0, 1e-12);
}

// ACES S-2014-003, clause 4.4: ACEScc.
TEST(Curve, AcesCcMeetsItsStandard) {
  const auto c = curve("acescc");
  EXPECT_NEAR(c->toCode(0.18), 0.4135884, 1e-7);
  EXPECT_NEAR(c->toCode(0), -0.3584474886, 1e-9);
  EXPECT_NEAR(c->toCode(std::exp2(-15)), (-15 + 9.72) / 17.52, 1e-9);
  EXPECT_NEAR(c->toLinear((9.72 - 15) / 17.52), std::exp2(-15), 1e-12);
}

// ITU-R BT.709-6, item 1.2.
TEST(Curve, Bt709MeetsItsStandard) {
  const auto c = curve("bt709");
  EXPECT_NEAR(c->toCode(0.018), 4.5 * 0.018, 3e-4);  // the standard's rounded constants leave this gap
  EXPECT_NEAR(c->toCode(0.18), 1.099 * std::pow(0.18, 0.45) - 0.099, 1e-12);
  EXPECT_NEAR(c->toCode(1), 1, 1e-12);
  EXPECT_NEAR(c->toCode(0.01), 0.045, 1e-12);
}

// ITU-R BT.2100-2, table 4: PQ's OOTF (BT.709's curve, then a power of 2.4 on 100 cd/m2) from light of the scene
// to light of the display, whose signals are 0.5081 at 100 and 0.7518 at 1000 cd/m2 (from memory). ITU-R BT.2408-7,
// table 1 (from memory): an 18 % card at 38 %, a 90 % one at 57 %.
TEST(Curve, PqMeetsItsStandard) {
  const auto c = curve("pq");
  const double top = c->toLinear(1);  // scene-linear of the scene's top light
  const auto lightFor = [&](double cdPerM2) {
    return top / 59.5208 * std::pow((std::pow(cdPerM2 / 100, 1 / 2.4) + 0.099) / 1.099, 1 / 0.45);
  };
  EXPECT_NEAR(c->toCode(lightFor(100)), 0.5081, 5e-5);
  EXPECT_NEAR(c->toCode(lightFor(1000)), 0.7518, 5e-5);
  EXPECT_NEAR(c->toLinear(0.5), lightFor(92.2457), 1e-4);
  EXPECT_NEAR(c->toCode(0.18), 0.38, 1e-12);
  EXPECT_NEAR(c->toCode(0.9), 0.57, 0.005);
  EXPECT_NEAR(lightFor(26), 0.18, 0.003);
}

// ITU-R BT.2100-2, table 5: HLG. E = 1/12 at one half, 1 at one, 75 % at 0.265 (ITU-R BT.2408-7).
TEST(Curve, HlgMeetsItsStandard) {
  const auto c = curve("hlg");
  const double peak = c->toLinear(1);
  EXPECT_NEAR(c->toCode(peak / 12), 0.5, 1e-8);  // the standard's constants have eight digits
  EXPECT_NEAR(c->toLinear(0.75) / peak, 0.265, 5e-4);
  // ITU-R BT.2408-7, table 1 (from memory): 18 % at 38 %, 90 % at 73 %.
  EXPECT_NEAR(c->toCode(0.18), 0.38, 1e-12);
  EXPECT_NEAR(c->toCode(0.9), 0.73, 0.005);
  EXPECT_NEAR(reachOf(*c).stopsAboveGrey, std::log2(peak / 0.18), 1e-9);
}

// IEC 61966-2-1: code one half is 0.2140.
TEST(Curve, SrgbMeetsItsStandard) {
  EXPECT_NEAR(curve("srgb")->toLinear(0.5), 0.21404, 1e-5);
}

class NamedCurves : public ::testing::TestWithParam<const char*> {};

TEST_P(NamedCurves, ThereAndBackIsTheSame) {
  const auto c = curve(GetParam());
  for (double code = -0.05; code < 1.1; code += 0.0137) {
    const double linear = c->toLinear(code);
    if (std::string(GetParam()) == "acescc" && linear <= 0)
      continue;  // the standard maps all of it to one code
    EXPECT_NEAR(c->toCode(linear), code, 2e-4) << code;
  }
}

TEST_P(NamedCurves, RisesAndNeverClamps) {
  const auto c = curve(GetParam());
  double last = c->toLinear(-0.1);
  for (double code = -0.099; code < 1.15; code += 0.001) {
    const double now = c->toLinear(code);
    EXPECT_GT(now, last - 1e-4) << code;
    last = now;
  }
  EXPECT_GT(c->toLinear(1.1), c->toLinear(1.0));
}

INSTANTIATE_TEST_SUITE_P(All, NamedCurves, ::testing::ValuesIn([] {
                           std::vector<const char*> names;
                           for (const auto& c : namedCurves()) names.push_back(c.name);
                           return names;
                         }()));

// Reference: OpenColorIO's LogCameraTransform (single precision inside).
TEST(Curve, LogCameraParametersAgreeWithOpenColorIo) {
  const LogCamera p = {10, 0.245, 0.39, 6, 0.06, 0.004, 0};
  const auto ours = logCameraCurve(p);
  const double break3[3] = {p.linSideBreak, p.linSideBreak, p.linSideBreak};
  const auto t = OCIO::LogCameraTransform::Create(break3);
  const auto set3 = [](double v) { return std::array<double, 3>{v, v, v}; };
  t->setBase(p.base);
  t->setLogSideSlopeValue(*reinterpret_cast<const double(*)[3]>(set3(p.logSideSlope).data()));
  t->setLogSideOffsetValue(*reinterpret_cast<const double(*)[3]>(set3(p.logSideOffset).data()));
  t->setLinSideSlopeValue(*reinterpret_cast<const double(*)[3]>(set3(p.linSideSlope).data()));
  t->setLinSideOffsetValue(*reinterpret_cast<const double(*)[3]>(set3(p.linSideOffset).data()));
  const auto cpu = OCIO::Config::CreateRaw()->getProcessor(t)->getDefaultCPUProcessor();
  for (double x : {-0.01, 0.0, 0.003, 0.004, 0.01, 0.18, 1.0, 8.0}) {
    float rgb[3] = {static_cast<float>(x), static_cast<float>(x), static_cast<float>(x)};
    cpu->applyRGB(rgb);
    EXPECT_NEAR(ours->toCode(x), rgb[0], 2e-6) << x;
    EXPECT_NEAR(ours->toLinear(ours->toCode(x)), x, 1e-9);
  }
}

// Reference: a CLF (ACES S-2014-006) written by OpenColorIO and read back by us.
TEST(CurveFiles, ClfWrittenByOpenColorIoIsReadToTheSameCurve) {
  const TempFolder folder;
  const double breaks[3] = {0.0078125, 0.0078125, 0.0078125};
  const auto t = OCIO::LogCameraTransform::Create(breaks);
  const double slope[3] = {1 / 17.52, 1 / 17.52, 1 / 17.52},
               offset[3] = {9.72 / 17.52, 9.72 / 17.52, 9.72 / 17.52};
  t->setBase(2);
  t->setLogSideSlopeValue(slope);
  t->setLogSideOffsetValue(offset);
  t->setDirection(OCIO::TRANSFORM_DIR_INVERSE);  // code to linear
  const auto group = OCIO::GroupTransform::Create();
  group->appendTransform(t);
  std::ostringstream out;
  group->write(OCIO::Config::CreateRaw(), "Academy/ASC Common LUT Format", out);
  writeText(folder / "c.clf", out.str());
  const auto ours = curve((folder / "c.clf").string()), exact = curve("acescct");
  for (double code = -0.1; code < 1.1; code += 0.01)
    EXPECT_NEAR(ours->toLinear(code), exact->toLinear(code),
                2e-5 * std::max(1.0, std::abs(exact->toLinear(code))))
        << code;
}

TEST(CurveFiles, CsvIsLinearBetweenRowsAndGoesOnOutside) {
  const TempFolder folder;
  writeText(folder / "c.csv", "linear,code\n0,0.1\n0.18,0.4\n1,0.6\n");
  const auto c = curve((folder / "c.csv").string());
  EXPECT_NEAR(c->toLinear(0.25), 0.09, 1e-12);
  EXPECT_NEAR(c->toLinear(0.0), -0.06, 1e-12);
  EXPECT_NEAR(c->toLinear(0.8), 1.82, 1e-12);
  EXPECT_NEAR(c->toCode(1.82), 0.8, 1e-12);
  EXPECT_NEAR(reachOf(*c).greyCode, 0.4, 1e-12);
}

TEST(CurveFiles, CubeAndSpi1dMapCodeToLinear) {
  const TempFolder folder;
  std::string cube = "TITLE \"x\"\nLUT_1D_SIZE 65\nDOMAIN_MIN 0 0 0\nDOMAIN_MAX 1 1 1\n",
              spi = "Version 1\nFrom 0.0 1.0\nLength 65\nComponents 1\n{\n";
  for (int i = 0; i < 65; ++i) {
    const double v = std::pow(i / 64.0, 2);
    cube += fmt::format("{0:.8f} {0:.8f} {0:.8f}\n", v);
    spi += fmt::format("  {:.8f}\n", v);
  }
  writeText(folder / "c.cube", cube);
  writeText(folder / "c.spi1d", spi + "}\n");
  for (const char* name : {"c.cube", "c.spi1d"}) {
    const auto c = curve((folder / name).string());
    EXPECT_NEAR(c->toLinear(0.5), 0.25, 1e-7) << name;
    EXPECT_NEAR(c->toCode(0.25), 0.5, 1e-7) << name;
    EXPECT_GT(c->toLinear(1.1), 1.15) << name;  // the end slope goes on: 1 + 0.1 * 1.984
    EXPECT_LT(c->toLinear(-0.1), 0) << name;
  }
}

// The same 1D LUT through OpenColorIO, inside its domain.
TEST(CurveFiles, CubeAgreesWithOpenColorIo) {
  const TempFolder folder;
  std::string cube = "LUT_1D_SIZE 33\n";
  for (int i = 0; i < 33; ++i) cube += fmt::format("{0:.7f} {0:.7f} {0:.7f}\n", std::pow(i / 32.0, 1.7));
  writeText(folder / "c.cube", cube);
  const auto t = OCIO::FileTransform::Create();
  t->setSrc((folder / "c.cube").c_str());
  t->setInterpolation(OCIO::INTERP_LINEAR);
  const auto cpu = OCIO::Config::CreateRaw()->getProcessor(t)->getDefaultCPUProcessor();
  const auto ours = curve((folder / "c.cube").string());
  for (float v = 0.01F; v < 1; v += 0.037F) {
    float rgb[3] = {v, v, v};
    cpu->applyRGB(rgb);
    EXPECT_NEAR(ours->toLinear(v), rgb[1], 1e-6);
  }
}

TEST(CurveFiles, BadFilesAreRefusedWithPlaceAndRemedy) {
  const TempFolder folder;
  const std::pair<const char*, const char*> bad[] = {
      {"a.csv", "linear,code\n0,0\n"},
      {"b.csv", "code,linear\n0,0\n1,1\n"},
      {"c.csv", "linear,code\n0,0\n1,nan\n"},
      {"d.csv", "linear,code\n1,0\n0,1\n"},
      {"e.cube", "LUT_3D_SIZE 2\n0 0 0\n"},
      {"f.cube", "LUT_1D_SIZE 3\n0 0 0\n1 1 1\n"},
      {"g.cube", "LUT_1D_SIZE 2\n0 0 0\n1 .5 1\n"},
      {"h.json", "{\"base\": 2}"},
      {"i.json", "[1,2]"},
      {"j.json",
       "{\"base\":-1,\"logSideSlope\":1,\"logSideOffset\":0,\"linSideSlope\":1,\"linSideOffset\":0,"
       "\"linSideBreak\":0.1}"},
      {"k.spi1d", "Length 5\n{\n0\n1\n}\n"},
      {"l.clf", "<ProcessList></ProcessList>"},
      {"m.txt", "0 1"},
      {"n.csv", ""}};
  for (const auto& [name, text] : bad) {
    writeText(folder / name, text);
    try {
      (void)makeCurve((folder / name).string());
      ADD_FAILURE() << "accepted " << name;
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find(name), std::string::npos) << e.what();
      EXPECT_FALSE(e.remedy().empty()) << name;
    }
  }
  EXPECT_THROW((void)makeCurve("no-such-curve"), Error);
}

TEST(Reach, LogEncodingReachesAsFarAsItsFormulaSays) {
  const EncodingReach r = reachOf(*curve("acescct"));
  EXPECT_NEAR(r.stopsAboveGrey, std::log2(std::exp2(17.52 - 9.72) / 0.18), 1e-9);
  EXPECT_TRUE(r.belowByTenBitStep);
  EXPECT_NEAR(r.whiteCode, (std::log2(0.9) + 9.72) / 17.52, 1e-9);
}

TEST(Slope, IsTheDerivativeOfTheCurve) {
  const auto c = curve("acescct");
  const double code = 0.5, exact = std::log(2.0) * 17.52 * c->toLinear(code);
  EXPECT_NEAR(slopeAt(*c, code, 1023), exact, 1e-5 * exact);
}

}  // namespace
}  // namespace edge
