#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "image/accumulator.h"
#include "image/decode.h"
#include "image/region.h"
#include "measure/noise.h"
#include "simulate/random.h"

namespace edge {
namespace {

Quad box(double x, double y, double w, double h) {
  return {{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}};
}

TEST(Region, InnerRectOfAnUprightBoxIsTheBoxLessItsMargin) {
  const Rect r = innerRect(box(10, 20, 100, 50), 0, 2, 1000);
  EXPECT_EQ(r.x, 12);
  EXPECT_EQ(r.y, 22);
  EXPECT_EQ(r.width, 96);
  EXPECT_EQ(r.height, 46);
}

TEST(Region, InnerRectStaysInsideATurnedQuad) {
  const Quad q = {{{50, 0}, {100, 50}, {50, 100}, {0, 50}}};
  const Rect r = innerRect(q, 0.05, 1, 1000);
  ASSERT_GT(r.pixels(), 400);
  for (int dx : {0, r.width})
    for (int dy : {0, r.height}) EXPECT_LT(std::abs(r.x + dx - 50) + std::abs(r.y + dy - 50), 50);
}

TEST(Region, TooSmallGivesNothing) {
  EXPECT_EQ(innerRect(box(0, 0, 3, 3), 0.1, 2, 100).pixels(), 0);
}

TEST(Region, RasterisedBoxHasItsArea) {
  long n = 0;
  for (const auto& s : rasterise(box(10, 10, 20, 5), 100, 100)) n += s.x1 - s.x0;
  EXPECT_EQ(n, 100);
  n = 0;
  for (const auto& s : rasterise(box(-10, -10, 20, 20), 100, 100)) n += s.x1 - s.x0;
  EXPECT_EQ(n, 100);  // clipped to the picture
  // Corners far outside, which no whole number holds, and rows that nothing crosses.
  n = 0;
  for (const auto& s : rasterise(box(-1e15, -1e15, 2e15, 2e15), 100, 100)) n += s.x1 - s.x0;
  EXPECT_EQ(n, 100 * 100);
  EXPECT_TRUE(rasterise(box(20, 1e15, 5, 5), 100, 100).empty());
  EXPECT_TRUE(rasterise(box(1e15, 20, 5, 5), 100, 100).empty());
}

TEST(Region, ConvexityIsToldEitherWayRound) {
  EXPECT_TRUE(isConvex(box(0, 0, 4, 4)));
  EXPECT_FALSE(isConvex({{{0, 0}, {4, 4}, {4, 0}, {0, 4}}}));
  EXPECT_FALSE(isConvex({{{0, 0}, {0, 0}, {4, 0}, {0, 4}}}));
}

// One pixel of ten-bit Y'CbCr.
struct YuvPixel {
  std::uint16_t y[2], cb[1], cr[1];
  Frame frame() const {
    Frame f;
    const auto view = [](const std::uint16_t* p, int w) {
      return ChannelView{reinterpret_cast<const std::byte*>(p), 4, 2, w, 1};
    };
    f.channels = {view(y, 2), view(cb, 1), view(cr, 1)};
    return f;
  }
};

PixelFormat yuvFormat() {
  PixelFormat f;
  f.width = 2, f.height = 1, f.layout = Layout::Yuv, f.sample = SampleType::U16, f.bitDepth = 10,
  f.chromaShiftX = 1;
  return f;
}

// ITU-R BT.709-6, item 4.6: ten-bit black 64, white 940, achromatic 512, chroma peaks 64 and 960.
TEST(Decode, TenBitCodePointsOfBt709) {
  const Decoder d(yuvFormat(), {"linear", Range::Legal, Primaries::Bt709, std::nullopt});
  float rgb[6], code[6];
  const auto read = [&](YuvPixel p) { d.readRow(p.frame(), 0, 0, 2, rgb, code, false); };
  read({{64, 940}, {512}, {512}});
  for (int c = 0; c < 3; ++c) {
    EXPECT_NEAR(code[c], 0, 1e-6);
    EXPECT_NEAR(code[3 + c], 1, 1e-6);
  }
  // Pure red R'G'B' = (1,0,0): Y' = 0.2126, Cr = 0.5, Cb = -0.2126/1.8556.
  const double y = 64 + 876 * 0.2126, cb = 512 + 896 * (-0.2126 / 1.8556), cr = 512 + 896 * 0.5;
  read({{static_cast<std::uint16_t>(std::lround(y)), 0},
        {static_cast<std::uint16_t>(std::lround(cb))},
        {static_cast<std::uint16_t>(std::lround(cr))}});
  EXPECT_NEAR(code[0], 1, 1.5 / 876);
  EXPECT_NEAR(code[1], 0, 1.5 / 876);
  EXPECT_NEAR(code[2], 0, 1.5 / 876);
  // Beyond the legal range nothing is cut: 1019 and 4.
  read({{1019, 4}, {512}, {512}});
  EXPECT_NEAR(code[0], (1019 - 64) / 876.0, 1e-6);
  EXPECT_NEAR(code[3], (4 - 64) / 876.0, 1e-6);
}

TEST(Decode, FullRangeUsesAllCodes) {
  const Decoder d(yuvFormat(), {"linear", Range::Full, Primaries::Bt709, std::nullopt});
  float rgb[6], code[6];
  d.readRow(YuvPixel{{0, 1023}, {512}, {512}}.frame(), 0, 0, 2, rgb, code, false);
  EXPECT_NEAR(code[0], 0, 1e-6);
  EXPECT_NEAR(code[3], 1, 1e-6);
}

TEST(Decode, UntaggedYCbCrIsTakenAsLegalAndRgbAsFull) {
  EXPECT_EQ(Decoder(yuvFormat(), {"bt709", {}, {}, {}}).range(), Range::Legal);
  PixelFormat rgb;
  rgb.width = rgb.height = 4;
  EXPECT_EQ(Decoder(rgb, {"bt709", {}, {}, {}}).range(), Range::Full);
}

TEST(Decode, MosaicSitesAreBlackSubtractedAndDevelopedByCell) {
  PixelFormat f;
  f.width = f.height = 2, f.layout = Layout::Cfa, f.cfa = {'R', 'G', 'G', 'B'};
  f.black = {100, 100, 100, 100}, f.white = 1100, f.whiteBalance = {2, 1, 1.5};
  const std::uint16_t site[4] = {350, 600, 700, 300};
  Frame frame;
  frame.channels = {{reinterpret_cast<const std::byte*>(site), 4, 2, 2, 2}};
  const Decoder d(f, {"linear", {}, {}, {}});
  Block b;
  d.readBlock(frame, {0, 0, 2, 2}, b, true);
  EXPECT_NEAR(b.linear[0][0], 0.25, 1e-6);
  EXPECT_NEAR(b.linear[static_cast<int>(Channel::G)][0], 0.5, 1e-6);
  EXPECT_NEAR(b.linear[static_cast<int>(Channel::G2)][0], 0.6, 1e-6);
  EXPECT_NEAR(b.linear[static_cast<int>(Channel::B)][0], 0.2, 1e-6);
  EXPECT_NEAR(b.linear[static_cast<int>(Channel::Y)][0], 0.2126 * 0.5 + 0.7152 * 0.55 + 0.0722 * 0.3, 1e-6);
}

TEST(Decode, NotANumberIsRefusedWithItsPlace) {
  PixelFormat f;
  f.width = f.height = 4, f.sample = SampleType::F32, f.bitDepth = 32, f.layout = Layout::Grey;
  std::vector<float> pixels(16, 0.2F);
  pixels[6] = std::nanf("");
  Frame frame;
  frame.channels = {{reinterpret_cast<const std::byte*>(pixels.data()), 16, 4, 4, 4}};
  Block b;
  try {
    Decoder(f, {"linear", {}, {}, {}}).readBlock(frame, {0, 0, 4, 4}, b, false);
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(e.place().find("x 2, y 1"), std::string::npos) << e.place();
  }
}

// A block of known noise: pixel sd p, row sd r, fixed pattern f, over N frames.
NoiseSums simulate(double pixel, double row, double fixed, double fixedRow, int frames,
                   LagSums* lags = nullptr, std::uint64_t seed = 77) {
  constexpr int kW = 64, kH = 48;
  const NormalTable normal;
  RandomStream random(seed);
  const auto gauss = [&] { return normal(static_cast<std::uint32_t>(random.next() >> 13)); };
  std::vector<float> pattern(kW * kH);
  for (int y = 0; y < kH; ++y) {
    const float rowPart = static_cast<float>(fixedRow) * gauss();
    for (int x = 0; x < kW; ++x)
      pattern[y * kW + x] = static_cast<float>(fixed) * gauss() + rowPart + 0.001F * static_cast<float>(x);
  }
  RegionAccumulator acc(kW, kH);
  std::vector<float> v(kW * kH);
  for (int t = 0; t < frames; ++t) {
    for (int y = 0; y < kH; ++y) {
      const float rowPart = static_cast<float>(row) * gauss();
      for (int x = 0; x < kW; ++x)
        v[y * kW + x] = 10 + pattern[y * kW + x] + rowPart + static_cast<float>(pixel) * gauss();
    }
    acc.add(v.data());
  }
  if (lags) *lags = acc.lags();
  return acc.sums();
}

// EMVA 1288 R4.0, section 8 (non-uniformity by rows, columns, pixels): the parts come back to within their
// sampling error.
TEST(Noise, ThreeWaySplitRecoversKnownParts) {
  // Mean over seeds; tolerances are three standard errors: 2 V^2 / degrees of freedom, over 12 seeds.
  constexpr int kSeeds = 12;
  double pixel = 0, row = 0, column = 0, fixed = 0, fixedRow = 0, fixedColumn = 0;
  for (int seed = 1; seed <= kSeeds; ++seed) {
    const auto split =
        splitNoise(simulate(1.0, 0.5, 0.8, 0.4, 32, nullptr, static_cast<std::uint64_t>(seed)));
    ASSERT_TRUE(split);
    pixel += split->pixelTemporal / kSeeds, row += split->rowTemporal / kSeeds,
        column += split->columnTemporal / kSeeds;
    fixed += *split->pixelFixed / kSeeds, fixedRow += *split->rowFixed / kSeeds,
        fixedColumn += *split->columnFixed / kSeeds;
  }
  EXPECT_NEAR(pixel, 1.0, 0.005);
  EXPECT_NEAR(row, 0.25, 0.01);
  EXPECT_NEAR(column, 0, 0.002);
  EXPECT_NEAR(fixed, 0.64, 0.01);
  EXPECT_NEAR(fixedRow, 0.16, 0.035);
  EXPECT_NEAR(fixedColumn, 0, 0.005);
}

TEST(Noise, WhatIsNotThereIsBelowDetectionNotZeroed) {
  const auto split = splitNoise(simulate(1.0, 0, 0, 0, 16));
  EXPECT_LT(std::abs(*split->pixelFixed), 0.01);
  EXPECT_LT(std::abs(split->rowTemporal), 0.01);
}

TEST(Noise, TemporalVarianceIsUnbiasedAtTwoFrames) {
  EXPECT_NEAR(*temporalVariance(simulate(1.0, 0, 3.0, 0, 2)), 1.0, 0.05);
  EXPECT_FALSE(temporalVariance(simulate(1, 0, 0, 0, 1)));
  EXPECT_FALSE(splitNoise(simulate(1, 0, 0, 0, 7))->pixelFixed);
  EXPECT_FALSE(splitNoise(simulate(1, 0, 0, 0, 15))->rowFixed);
}

TEST(Noise, WhiteNoiseShowsNoFiltering) {
  LagSums lags;
  (void)simulate(1, 0, 1, 0, 6, &lags);
  const auto f = filteringOf(lags);
  ASSERT_TRUE(f);
  EXPECT_LT(std::abs(f->verticalLag), 0.03);
  EXPECT_NEAR(f->inflation, 1, 0.15);
}

// A rounded Gaussian: true sd 0.3, 0.4 and 0.5 codes (docs/method.md, "Noise of a patch"), any phase.
TEST(Noise, BinnedGaussianFindsSdBelowOneCode) {
  for (double sd : {0.3, 0.4, 0.5})
    for (double phase : {0.0, 0.2, 0.5}) {
      std::vector<double> counts(16);
      for (int b = 0; b < 16; ++b) {
        const double lo = (b - 0.5 - 8 - phase) / sd, hi = (b + 0.5 - 8 - phase) / sd;
        counts[static_cast<size_t>(b)] =
            1e5 * 0.5 * (std::erf(hi / std::sqrt(2.0)) - std::erf(lo / std::sqrt(2.0)));
      }
      const auto found = binnedGaussianSd(counts);
      ASSERT_TRUE(found);
      EXPECT_NEAR(*found, sd, 0.01 * sd) << sd << " at phase " << phase;
    }
  EXPECT_FALSE(binnedGaussianSd(std::vector<double>{0, 500, 0}));
}

TEST(Random, PoissonHasItsMeanVarianceAndSkewness) {
  const NormalTable normal;
  for (double mean : {0.5, 3.0, 11.0, 13.0, 200.0}) {
    RandomStream random(9);
    double s1 = 0, s2 = 0, s3 = 0;
    constexpr int n = 400000;
    for (int i = 0; i < n; ++i) {
      const std::uint64_t bits = random.next();
      const double v = poisson(static_cast<float>(mean), normal(static_cast<std::uint32_t>(bits)),
                               (static_cast<double>(bits >> 32) + 0.5) * 0x1p-32) -
                       mean;
      s1 += v, s2 += v * v, s3 += v * v * v;
    }
    EXPECT_NEAR(s1 / n, 0, 4 * std::sqrt(mean / n)) << mean;
    EXPECT_NEAR(s2 / n / mean, 1, mean >= 12 ? 0.015 : 0.01) << mean;
    EXPECT_NEAR(s3 / n / std::pow(mean, 1.5), 1 / std::sqrt(mean), 0.05) << mean;
  }
}

}  // namespace
}  // namespace edge
