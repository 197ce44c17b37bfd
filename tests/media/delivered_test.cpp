// Encodes for looking: what comes back is the picture, the rate is about what was asked, less rate is worse.
#include "media/delivered.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"

namespace edge {
namespace {

constexpr int kWide = 256, kHigh = 144;

// A soft scene with fine noise that stands in every frame anew.
std::vector<std::vector<std::uint8_t>> scene(int frames, double noise) {
  std::mt19937 random(3);
  std::normal_distribution<double> normal;
  std::vector<std::vector<std::uint8_t>> out;
  for (int n = 0; n < frames; ++n) {
    auto& f = out.emplace_back();
    for (int y = 0; y < kHigh; ++y)
      for (int x = 0; x < kWide; ++x) {
        const double grain = noise * normal(random);
        for (const double base : {60 + 120.0 * x / kWide, 80 + 90.0 * y / kHigh, 150 - 60.0 * x / kWide})
          f.push_back(static_cast<std::uint8_t>(std::clamp(base + grain, 0.0, 255.0)));
      }
  }
  return out;
}

double psnr(const std::vector<std::uint8_t>& a, const std::vector<std::uint8_t>& b) {
  double sum = 0;
  for (size_t i = 0; i < a.size(); ++i) sum += std::pow(a[i] - b[i], 2);
  return 10 * std::log10(255 * 255 / (sum / static_cast<double>(a.size()) + 1e-9));
}

TEST(Encode, WhatComesBackIsThePictureAndLessRateIsWorse) {
  const auto clean = scene(24, 0), noisy = scene(24, 6);
  for (const auto& spec : encodes()) {
    const Encoded smooth = throughEncode(spec.id, 4, kWide, kHigh, 24, clean, Progress());
    ASSERT_EQ(smooth.frames.size(), clean.size());
    EXPECT_GT(psnr(smooth.frames[18], clean[18]), 38)
        << spec.words << ": eight bits and shared chroma, no more";
    const Encoded rich = throughEncode(spec.id, 6, kWide, kHigh, 24, noisy, Progress()),
                  poor = throughEncode(spec.id, 0.5, kWide, kHigh, 24, noisy, Progress());
    std::printf("%s: %.2f Mb/s %.1f dB, %.2f Mb/s %.1f dB\n", spec.words, rich.megabits,
                psnr(rich.frames[18], noisy[18]), poor.megabits, psnr(poor.frames[18], noisy[18]));
    EXPECT_GT(psnr(rich.frames[18], noisy[18]), psnr(poor.frames[18], noisy[18]) + 1) << spec.words;
    EXPECT_LT(poor.megabits, rich.megabits) << spec.words;
    const Encoded again = throughEncode(spec.id, 0.5, kWide, kHigh, 24, noisy, Progress());
    EXPECT_EQ(again.frames[18], poor.frames[18]) << "the same every time";
  }
}

TEST(Encode, WhatCantBeEncodedIsRefused) {
  EXPECT_THROW((void)throughEncode(Encode::Web, 8, 255, 144, 24, scene(1, 0), Progress()), Error);
  EXPECT_THROW((void)throughEncode(Encode::Web, 8, kWide, kHigh, 24, {}, Progress()), Error);
  EXPECT_THROW((void)throughEncode(Encode::Web, 8, kWide, kHigh, 24, {{1, 2, 3}}, Progress()), Error);
  EXPECT_THROW((void)throughEncode(Encode::Web, 0, kWide, kHigh, 24, scene(1, 0), Progress()), Error);
}

}  // namespace
}  // namespace edge
