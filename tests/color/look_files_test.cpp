// ASC CDL 1.2 and the files of corrections, read back by OpenColorIO: the outside reference.
#include "color/look_files.h"

#include <OpenColorIO/OpenColorIO.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "color/curve.h"
#include "support/support.h"

namespace edge {
namespace {

namespace OCIO = OCIO_NAMESPACE;
constexpr double kCode = 1.0 / 1023;

Cdl randomCdl(std::mt19937_64& random, double size) {
  std::uniform_real_distribution<double> u(-size, size);
  Cdl c;
  for (size_t i = 0; i < 3; ++i) {
    c.slope[i] = std::exp2(u(random));
    c.offset[i] = 0.3 * u(random);
    c.power[i] = std::exp2(u(random));
  }
  c.saturation = std::exp2(u(random));
  return c;
}

Vec3 applied(const OCIO::ConstCPUProcessorRcPtr& cpu, const Vec3& code) {
  float v[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
  cpu->applyRGB(v);
  return {v[0], v[1], v[2]};
}

OCIO::ConstCPUProcessorRcPtr fromFile(const std::filesystem::path& file) {
  OCIO::ClearAllCaches();  // it remembers files by name
  const auto t = OCIO::FileTransform::Create();
  t->setSrc(file.c_str());
  t->setInterpolation(OCIO::INTERP_BEST);
  t->setCDLStyle(OCIO::CDL_ASC);
  t->setCCCId("0");  // the first correction of a list
  return OCIO::Config::CreateRaw()->getProcessor(t)->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS);
}

std::vector<Vec3> someCodes(std::mt19937_64& random) {
  std::uniform_real_distribution<double> u(0, 1);
  std::vector<Vec3> codes = {{0, 0, 0}, {1, 1, 1}, {1, 0, 0}};
  for (int i = 0; i < 200; ++i) codes.push_back({u(random), u(random), u(random)});
  return codes;
}

void expectSame(const OCIO::ConstCPUProcessorRcPtr& cpu, const CodeMap& map, const std::string& what,
                double within = kCode) {
  std::mt19937_64 random(5);
  double worst = 0;
  for (const Vec3& code : someCodes(random)) {
    const Vec3 theirs = applied(cpu, code), ours = map(code);
    for (size_t c = 0; c < 3; ++c) worst = std::max(worst, std::abs(theirs[c] - ours[c]));
  }
  EXPECT_LT(worst, within) << what;
}

TEST(Cdl, AgreesWithOpenColorIoForRandomParameters) {
  std::mt19937_64 random(1);
  for (int i = 0; i < 200; ++i) {
    const Cdl c = randomCdl(random, 1);
    const auto t = OCIO::CDLTransform::Create();
    t->setStyle(OCIO::CDL_ASC);
    t->setSlope(c.slope.data());
    t->setOffset(c.offset.data());
    t->setPower(c.power.data());
    t->setSat(c.saturation);
    expectSame(
        OCIO::Config::CreateRaw()->getProcessor(t)->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS),
        [&](const Vec3& v) { return c.apply(v); }, std::to_string(i), 2e-5);
  }
}

TEST(Cdl, FilesAreReadByOpenColorIo) {
  const test::TempFolder folder;
  std::mt19937_64 random(2);
  for (int i = 0; i < 20; ++i) {
    const NamedCdl look{"m3-grade", "take m3 & \"more\" <odd>", randomCdl(random, 1)};
    const CodeMap map = [&](const Vec3& v) { return look.cdl.apply(v); };
    writeCdl(folder / "a.cdl", look);
    writeClf(folder / "a.clf", look);
    writeCdlCollection(folder / "a.ccc", {look});
    expectSame(fromFile(folder / "a.cdl"), map, "cdl", 2e-5);
    expectSame(fromFile(folder / "a.clf"), map, "clf", 2e-5);
    expectSame(fromFile(folder / "a.ccc"), map, "ccc", 2e-5);
  }
}

// As a grade comes out of a bracket: a lattice carries it within a code of ten bits.
TEST(Cdl, ALatticeCarriesAGrade) {
  const test::TempFolder folder;
  std::mt19937_64 random(3);
  for (int i = 0; i < 3; ++i) {
    const Cdl c = randomCdl(random, 0.3);
    const CodeMap map = [&](const Vec3& v) { return c.apply(v); };
    writeLattice(folder / "a.cube", "m3 \"grade\"", map);
    // Where a channel meets its end the lattice rounds the corner: up to a few codes there.
    std::mt19937_64 points(6);
    const auto cpu = fromFile(folder / "a.cube");
    int off = 0, all = 0;
    for (const Vec3& code : someCodes(points)) {
      const Vec3 ours = map(code), theirs = applied(cpu, code);
      for (size_t k = 0; k < 3; ++k, ++all) off += std::abs(ours[k] - theirs[k]) > kCode;
    }
    EXPECT_LE(off, all / 50) << i;
  }
}

TEST(CorrectionFiles, AStopOnALogCurveIsCarriedByClfAndCube) {
  const test::TempFolder folder;
  for (const char* name : {"acescct", "bt709", "hlg"}) {
    const auto curve = makeCurve(name).curve;
    for (const double stops : {-4.0, 1.0, 5.0}) {
      const CodeMap map = [&](const Vec3& v) {
        Vec3 out{};
        for (size_t c = 0; c < 3; ++c) out[c] = curve->toCode(curve->toLinear(v[c]) * std::exp2(stops));
        return out;
      };
      writeClf(folder / "a.clf", "a", "a", map);
      writeCube(folder / "a.cube", "a", map);
      expectSame(fromFile(folder / "a.clf"), map, name + std::string(" clf"));
      expectSame(fromFile(folder / "a.cube"), map, name + std::string(" cube"));
    }
  }
}

// ACEScct above its toe (S-2016-001): a stop is 1/17.52 of code, a slope and an offset. Through the toe it is
// none, and not said to be.
TEST(CorrectionFiles, OnlyWhatIsACdlIsCalledOne) {
  const auto curve = makeCurve("acescct").curve;
  const CodeMap up = [&](const Vec3& v) {
    Vec3 out{};
    for (size_t c = 0; c < 3; ++c) out[c] = curve->toCode(curve->toLinear(v[c]) * 2);
    return out;
  };
  const auto cdl = asCdl(up, {0.25, 0.25, 0.25});
  ASSERT_TRUE(cdl);
  EXPECT_NEAR(cdl->offset[1], 1 / 17.52, 1e-6);
  EXPECT_NEAR(cdl->slope[1], 1, 1e-6);
  EXPECT_FALSE(asCdl(up, {0.05, 0.05, 0.05}));
}

TEST(LookFiles, ATableOfManyMegabytesIsRefusedBeforeItIsParsed) {
  const test::TempFolder folder;
  test::writeText(folder / "big.clf", "<?xml version=\"1.0\"?><ProcessList id=\"a\" compCLFversion=\"3\">");
  std::filesystem::resize_file(folder / "big.clf", 200u << 20);
  try {
    (void)makeCurve((folder / "big.clf").string());
    FAIL() << "read";
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("200 MB"), std::string::npos) << e.what();
  }
}

// A look exported anew under its old name while the application runs. The library keeps what it has read by
// its path: the old one was measured through, and stored as the new one's.
TEST(LookFiles, ATableWrittenAnewUnderItsNameIsReadAnew) {
  const test::TempFolder folder;
  const auto at = [&](const char* name) { return makeCurve((folder / name).string()).curve->toLinear(0.5); };
  const auto clf = [](const char* middle) {
    return fmt::format(
        R"(<?xml version="1.0"?><ProcessList id="a" compCLFversion="3"><LUT1D inBitDepth="32f" outBitDepth="32f">)"
        R"(<Array dim="3 1">0 {} 1</Array></LUT1D></ProcessList>)",
        middle);
  };
  test::writeText(folder / "a.clf", clf("0.25"));
  test::writeText(folder / "b.clf", clf("0.40"));
  EXPECT_NEAR(at("a.clf"), 0.25, 1e-6);
  EXPECT_NEAR(at("b.clf"), 0.40, 1e-6);
  test::writeText(folder / "a.clf", clf("0.75"));  // as many bytes, perhaps within one tick of the clock
  EXPECT_NEAR(at("a.clf"), 0.75, 1e-6);
  EXPECT_NEAR(at("b.clf"), 0.40, 1e-6);
}

// The library tells at length which formats it tried: cut to a line, what is wrong was cut out of it.
TEST(LookFiles, WhatIsWrongWithATableIsSaidFirst) {
  const test::TempFolder folder;
  const std::string head = "<?xml version=\"1.0\"?><ProcessList id=\"a\" compCLFversion=\"3\">",
                    lut = "<LUT1D inBitDepth=\"32f\" outBitDepth=\"32f\">";
  const std::pair<std::string, std::string> faults[] = {
      {head + lut + "<Array dim=\"2000000000 3\">0 1</Array></LUT1D></ProcessList>", "Length '2000000000'"},
      {head + lut + "<Array dim=\"2 1\">0 0.5 1</Array></LUT1D></ProcessList>", "found 3"},
      {head + "<Nonsense", "parsing error"}};
  for (const auto& [text, reason] : faults) {
    test::writeText(folder / "a.clf", text);
    try {
      (void)makeCurve((folder / "a.clf").string());
      ADD_FAILURE() << "read: " << text;
    } catch (const Error& e) {
      const std::string said = e.what();
      EXPECT_NE(said.find(reason), std::string::npos) << said;
      EXPECT_EQ(said.find("All formats"), std::string::npos) << said;
    }
  }
}

}  // namespace
}  // namespace edge
