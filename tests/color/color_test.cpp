#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <sstream>

#include "base/error.h"
#include "color/display_table.h"
#include "color/lab.h"
#include "color/primaries.h"
#include "support/support.h"

namespace edge {
namespace {

// Sharma, Wu, Dalal 2005, table 1: all 34 pairs to the four decimals printed.
TEST(Display, TheTableIsTheTransform) {
  for (const char* name : {kSoftShoulder, "bt709"}) {
    const DisplayTransform transform(name);
    const DisplayTable table(transform);
    double worst = 0, worstLab = 0;
    for (double x = -0.01; x < 64; x = x < 0.001 ? x + 1e-4 : x * 1.013) {
      const float linear[3] = {static_cast<float>(x), static_cast<float>(x / 2), static_cast<float>(x / 7)};
      float code[3], lab[3];
      table.code(linear, code);
      table.lab(code, Primaries::Bt709, lab);
      const Vec3 exact = transform.code({linear[0], linear[1], linear[2]});
      const Lab want = labOfDisplayLight(DisplayTransform::lightOfCode(exact), Primaries::Bt709);
      for (size_t c = 0; c < 3; ++c) worst = std::max(worst, std::abs(code[c] - exact[c]));
      worstLab = std::max(
          {worstLab, std::abs(lab[0] - want.L), std::abs(lab[1] - want.a), std::abs(lab[2] - want.b)});
    }
    EXPECT_LT(worst, 2e-4) << name;  // at the corner where BT.709 clips, within a step of the table
    EXPECT_LT(worstLab, 0.02) << name;
  }
}

TEST(DeltaE2000, MeetsAllPublishedPairs) {
  std::ifstream in(EDGE_REFERENCE "/ciede2000_pairs.txt");
  int pairs = 0;
  for (std::string line; std::getline(in, line);) {
    if (line.empty() || line[0] == '#') continue;
    std::istringstream row(line);
    Lab a, b;
    double expected;
    ASSERT_TRUE(row >> a.L >> a.a >> a.b >> b.L >> b.a >> b.b >> expected);
    EXPECT_NEAR(deltaE2000(a, b), expected, 5e-5) << line;
    EXPECT_NEAR(deltaE2000(b, a), expected, 5e-5) << line;
    const Vec3 parts = deltaE2000Parts(a, b);
    EXPECT_NEAR(std::hypot(parts[0], parts[1], parts[2]), expected, 5e-5) << line;
    ++pairs;
  }
  EXPECT_EQ(pairs, 34);
}

// ISO 11664-4: the white is L* = 100; 18.4187 % is L* = 50.
TEST(Lab, WhiteAndMiddleLightness) {
  const Lab white = labOfDisplayLight({1, 1, 1}, Primaries::Bt709);
  EXPECT_NEAR(white.L, 100, 1e-9);
  EXPECT_NEAR(white.a, 0, 1e-9);
  EXPECT_NEAR(white.b, 0, 1e-9);
  EXPECT_NEAR(labOfDisplayLight({0.184187, 0.184187, 0.184187}, Primaries::Bt709).L, 50, 1e-3);
  EXPECT_NEAR(labOfDisplayLight({0, 0, 0}, Primaries::Bt709).L, 0, 1e-9);
}

// Lab of the BT.709 red primary under D65 (from memory, widely printed as 53.24, 80.09, 67.20).
TEST(Lab, RedPrimaryOfBt709) {
  const Lab red = labOfDisplayLight({1, 0, 0}, Primaries::Bt709);
  EXPECT_NEAR(red.L, 53.24, 0.02);
  EXPECT_NEAR(red.a, 80.09, 0.05);
  EXPECT_NEAR(red.b, 67.20, 0.05);
}

// ITU-R BT.709-6 item 3.2 and BT.2020-2 table 4: luma weights are the Y row of the primaries' matrix,
// rounded.
TEST(Primaries, LumaWeightsAreTheYRowOfTheMatrix) {
  for (auto p : {Primaries::Bt709, Primaries::Bt2020})
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(rgbToXyz(p)[1][c], lumaWeights(p)[c], 1e-4);
  for (auto p : {Primaries::Bt709, Primaries::Bt2020, Primaries::Bt601}) {
    const Vec3 w = lumaWeights(p);
    EXPECT_NEAR(w[0] + w[1] + w[2], 1, 1e-12);
    EXPECT_EQ(parsePrimaries(nameOf(p)), p);
  }
}

TEST(Primaries, InverseUndoesTheMatrix) {
  const Mat3 m = rgbToXyz(Primaries::Bt2020), i = multiply(*inverse(m), m);
  for (int r = 0; r < 3; ++r)
    for (int c = 0; c < 3; ++c) EXPECT_NEAR(i[r][c], r == c, 1e-12);
  EXPECT_FALSE(inverse({{{1, 2, 3}, {2, 4, 6}, {0, 1, 0}}}));
}

// docs/formats.md: the soft shoulder puts grey at 46 %, one stop over it at 60 %.
TEST(Display, FilmicMeetsItsTwoAnchors) {
  const DisplayTransform d("soft-shoulder");
  EXPECT_NEAR(d.code({0.18, 0.18, 0.18})[0], 0.46, 0.005);
  EXPECT_NEAR(d.code({0.36, 0.36, 0.36})[1], 0.60, 0.005);
  EXPECT_EQ(d.code({-1, 0, 1e9})[0], 0);
  EXPECT_LE(d.code({-1, 0, 1e9})[2], 1);
  const double c = d.code({0.5, 0.5, 0.5})[0];
  EXPECT_NEAR(d.light({0.5, 0.5, 0.5})[0], std::pow(c, 2.4), 1e-12);
}

TEST(Display, Bt709IsClippedToItsRange) {
  const DisplayTransform d("bt709");
  EXPECT_NEAR(d.code({0.18, 0, 2})[0], 0.4090, 1e-4);
  EXPECT_EQ(d.code({0.18, 0, 2})[2], 1);
  EXPECT_EQ(d.code({-0.1, 0, 2})[0], 0);
}

TEST(Display, LutFileIsApplied) {
  const test::TempFolder folder;
  test::writeText(folder / "l.cube", "LUT_1D_SIZE 2\n0 0 0\n0.5 0.5 0.5\n");
  const DisplayTransform d((folder / "l.cube").string());
  EXPECT_NEAR(d.code({0.5, 1, 0})[0], 0.25, 1e-6);
  EXPECT_THROW(DisplayTransform("nonsense"), UsageError);
  EXPECT_THROW(DisplayTransform((folder / "none.cube").string()), Error);
}

}  // namespace
}  // namespace edge
