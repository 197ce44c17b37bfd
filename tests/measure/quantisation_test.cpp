#include "measure/quantisation.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include <cmath>

#include "simulate/random.h"

namespace edge {
namespace {

// Noise of a known sd (in codes) rounded to codes; what the correction makes of it.
struct Rounded {
  double measured = 0;  // variance in codes
  CodeHistogram histogram;
};

Rounded roundedNoise(double sd, double phase) {
  const NormalTable normal;
  RandomStream random(11);
  const CodeGrid grid{1023};
  std::vector<float> codes(60000);
  double sum = 0, squares = 0;
  for (auto& c : codes) {
    const double v = std::round(400 + phase + sd * normal(static_cast<std::uint32_t>(random.next() >> 20)));
    c = static_cast<float>(v / 1023);
    sum += v, squares += v * v;
  }
  Rounded r;
  const double n = static_cast<double>(codes.size());
  r.measured = squares / n - sum * sum / n / n;
  r.histogram.add(codes, grid);
  return r;
}

// The study of docs/method.md, "Noise of a patch": plain subtraction is biased by the phase below 0.6 codes,
// the fit is not.
TEST(Quantisation, TrueNoiseIsFoundFromAQuarterCodeUp) {
  for (double sd : {0.27, 0.3, 0.4, 0.5, 0.7, 1.5, 4.0})
    for (double phase : {0.0, 0.25, 0.5}) {
      const Rounded r = roundedNoise(sd, phase);
      const auto q = quantisationOf(r.measured, 1, r.histogram);
      ASSERT_NE(q.kind, Quantisation::Limited) << sd;
      EXPECT_NEAR(std::sqrt(r.measured - q.variance), sd, 0.03 * sd) << sd << " at phase " << phase;
    }
}

// The brink of what the fit is trusted with: right, or said to be limited; never a wrong figure.
TEST(Quantisation, AQuarterCodeIsRightOrSaidToBeLimited) {
  for (double phase : {0.0, 0.1, 0.25, 0.4, 0.5}) {
    const Rounded r = roundedNoise(0.25, phase);
    const auto q = quantisationOf(r.measured, 1, r.histogram);
    if (q.kind == Quantisation::Limited) continue;
    EXPECT_NEAR(std::sqrt(r.measured - q.variance), 0.25, 0.05 * 0.25) << phase;
  }
}

TEST(Quantisation, BelowAQuarterCodeIsLimitedNeverClean) {
  for (double sd : {0.0, 0.05, 0.15}) {
    const Rounded r = roundedNoise(sd, 0.1);
    EXPECT_EQ(quantisationOf(r.measured, 1, r.histogram).kind, Quantisation::Limited) << sd;
  }
}

TEST(Quantisation, LargeNoiseIsSubtractedBySheppard) {
  const auto q = quantisationOf(25, 1, CodeHistogram());
  EXPECT_EQ(q.kind, Quantisation::Subtracted);
  EXPECT_NEAR(q.variance, 1.0 / 12, 1e-12);
}

// A frame of sixteen-bit samples that really hold fewer bits.
double levelsOf(const std::function<std::uint16_t(unsigned)>& encode) {
  constexpr int kW = 64, kH = 64;
  std::vector<std::uint16_t> samples(3 * kW * kH);
  RandomStream random(3);
  for (auto& s : samples) s = encode(static_cast<unsigned>(random.next() & 0xffff));
  PixelFormat f;
  f.width = kW, f.height = kH;
  Frame frame;
  for (int c = 0; c < 3; ++c)
    frame.channels.push_back({reinterpret_cast<const std::byte*>(samples.data() + c), kW * 6, 6, kW, kH});
  const Decoder d(f, {"linear", {}, {}, {}});
  return effectiveGrid(frame, d, 1, [](size_t) { return Rect{0, 0, kW, kH}; }).levels;
}

TEST(Quantisation, EffectiveBitsAreReadOffTheCodes) {
  EXPECT_NEAR(
      levelsOf([](unsigned v) { return static_cast<std::uint16_t>(std::lround((v >> 6) * 65535.0 / 1023)); }),
      1023, 1e-6);
  EXPECT_NEAR(levelsOf([](unsigned v) { return static_cast<std::uint16_t>((v >> 6) << 6); }), 1023, 1e-6);
  EXPECT_NEAR(levelsOf([](unsigned v) { return static_cast<std::uint16_t>((v >> 8) * 257); }), 255, 1e-6);
  EXPECT_NEAR(levelsOf([](unsigned v) { return static_cast<std::uint16_t>((v >> 4) << 4); }), 4095, 1e-6);
  EXPECT_NEAR(levelsOf([](unsigned v) { return static_cast<std::uint16_t>(v); }), 65535, 1e-6);
}

// Against a draw: a million Gaussian values rounded to whole numbers, at levels that lie differently between
// codes.
TEST(RoundedSkewness, IsThatOfRoundedValues) {
  std::mt19937_64 random(9);
  std::normal_distribution<double> normal;
  for (const double sd : {0.25, 0.35, 0.5, 1.0})
    for (const double level : {12.0, 12.2, 12.4, 12.5, 12.8}) {
      double sum = 0, squares = 0, cubes = 0;
      constexpr int kDraws = 400000;
      for (int i = 0; i < kDraws; ++i) {
        const double v = std::round(level + sd * normal(random)) - 12;
        sum += v / kDraws;
        squares += v * v / kDraws;
        cubes += v * v * v / kDraws;
      }
      const double variance = squares - sum * sum;
      const double skew = (cubes - 3 * sum * squares + 2 * sum * sum * sum) / std::pow(variance, 1.5);
      EXPECT_NEAR(roundedSkewness(sd, level), skew, 0.03 + 0.02 * std::abs(skew)) << sd << " " << level;
    }
}

}  // namespace
}  // namespace edge
