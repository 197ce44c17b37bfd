// Detail left, against numpy and scipy on fixed arrays (tests/reference/detail.py), and what could fool it.
#include "recover/detail.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdint>
#include <fstream>
#include <nlohmann/json.hpp>

namespace edge {
namespace {

constexpr int kWidth = 64, kHeight = 72, kFrames = 8;

// ISO C's example generator; a value is the sum of twelve over 2^31, less 6.
class Numbers {
 public:
  explicit Numbers(std::uint64_t seed) : x_(seed) {}
  double next() {
    double total = 0;
    for (int i = 0; i < 12; ++i) {
      x_ = (1103515245 * x_ + 12345) % (1ULL << 31);
      total += static_cast<double>(x_) / static_cast<double>(1ULL << 31);
    }
    return total - 6;
  }

 private:
  std::uint64_t x_;
};

std::vector<double> texture(std::uint64_t seed = 7, double contrast = 3) {
  Numbers n(seed);
  std::vector<double> t(kWidth * kHeight);
  for (double& v : t) v = contrast * n.next();
  return t;
}

// dx: by which the texture is moved to the right.
LightnessFrames clip(const std::vector<double>& texture, double gain, double noise, std::uint64_t seed,
                     int dx = 0) {
  Numbers n(seed);
  LightnessFrames f{kWidth, kHeight, {}};
  for (int t = 0; t < kFrames; ++t) {
    auto& frame = f.frames.emplace_back();
    for (int y = 0; y < kHeight; ++y)
      for (int x = 0; x < kWidth; ++x) {
        const auto from = static_cast<size_t>(y * kWidth + (x - dx + kWidth) % kWidth);
        frame.push_back(static_cast<float>(50 + gain * texture[from] + noise * n.next()));
      }
  }
  return f;
}

TEST(Detail, AgreesWithScipy) {
  std::ifstream in(EDGE_REFERENCE "/detail.json");
  const auto reference = nlohmann::json::parse(in);
  const auto t = texture();
  const LightnessFrames base = clip(t, 1, 0.4, 11);
  ASSERT_EQ(reference["cases"].size(), 4u);
  for (const auto& c : reference["cases"]) {
    const auto d = detailOf(clip(t, c["contrast"], c["noise"], c["seed"]), base);
    ASSERT_TRUE(d) << c;
    EXPECT_NEAR(d->single, c["single"], 1e-3) << c;
    EXPECT_NEAR(*d->noiseFree, std::min(1.0, c["noise_free"].get<double>()), 1e-3) << c;
    EXPECT_NEAR(d->gain, c["gain"], 1e-3) << c;
  }
}

// Closed form: a texture of variance S under noise of variance N correlates by sqrt(S / (S + N)); without
// noise by 1 (docs/method.md, "Detail").
TEST(Detail, FollowsTheClosedForm) {
  const auto t = texture();
  const LightnessFrames base = clip(t, 1, 0.3, 1);
  for (const double noise : {1.0, 3.0, 6.0}) {
    const auto d = detailOf(clip(t, 1, noise, 2), base);
    EXPECT_NEAR(d->single, 3 / std::hypot(3.0, noise), 0.02) << noise;
    EXPECT_NEAR(*d->noiseFree, 1, 0.05) << noise;
    EXPECT_FALSE(d->elsewhere());
  }
}

TEST(Detail, AShiftOfAPixelOrTwoIsFollowedALargerOneIsAnotherPicture) {
  const auto t = texture();
  const LightnessFrames base = clip(t, 1, 0.3, 1);
  EXPECT_NEAR(detailOf(clip(t, 1, 1, 2, 2), base)->noiseFree.value(), 1, 0.05);
  EXPECT_TRUE(detailOf(clip(t, 1, 1, 2, 5), base)->elsewhere());
  EXPECT_TRUE(detailOf(clip(texture(99), 1, 1, 2), base)->elsewhere());
}

TEST(Detail, WhatIsGoneIsNotMoved) {
  const auto d = detailOf(clip(texture(), 0.1, 1, 2), clip(texture(), 1, 0.3, 1));
  ASSERT_TRUE(d);
  EXPECT_FALSE(d->elsewhere());
  EXPECT_LT(d->gain, 0.15);
}

TEST(Detail, NothingIsSaidWithoutTextureOrFrames) {
  const auto flat = texture(7, 0.05);
  EXPECT_FALSE(detailOf(clip(flat, 1, 1, 2), clip(flat, 1, 1, 1)));
  const auto weak = texture(7, 1);  // texture as large as its noise: the base itself shows half of it
  EXPECT_FALSE(detailOf(clip(weak, 1, 1, 2), clip(weak, 1, 1, 1)));
  LightnessFrames two = clip(texture(), 1, 0.3, 2);
  two.frames.resize(2);
  EXPECT_FALSE(detailOf(clip(texture(), 1, 0.3, 2), two));
  EXPECT_FALSE(
      detailOf(two, clip(texture(), 1, 0.3, 1))->noiseFree);  // its single frames can still be judged
}

}  // namespace
}  // namespace edge
