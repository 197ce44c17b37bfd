#include "recover/spot.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"
#include "color/primaries.h"
#include "media/writers.h"
#include "support/support.h"

namespace edge {
namespace {

// A frame of closed form, written as OpenEXR by an independent library: fields of 0.18 times powers of two,
// one at its end.
TEST(Spot, ReadsFieldsAndRefusesWhatClips) {
  const test::TempFolder folder;
  constexpr int kWidth = 200, kHeight = 100;
  std::vector<float> pixels(3 * kWidth * kHeight);
  const float fields[] = {0.18F, 0.72F, 0.0225F, 8.0F};  // grey, two over, three under, the end
  for (int i = 0; i < kWidth * kHeight; ++i)
    for (int c = 0; c < 3; ++c) pixels[static_cast<size_t>(3 * i + c)] = fields[i % kWidth / 50];
  test::writeImage(folder / "f.1.exr", kWidth, kHeight, 3, pixels, 32);
  DecodeOptions linear;
  linear.curve = "linear";
  const SpotFrame frame = readSpotFrame(folder / "f.1.exr", linear, 0, Progress());
  const double expected[] = {0, 2, -3};
  for (int k = 0; k < 3; ++k) {
    const auto r = spotAt(frame, (k + 0.5) / 4, 0.5);
    ASSERT_TRUE(r);
    EXPECT_NEAR(r->stops, expected[k], 1e-4);
    EXPECT_FALSE(r->clipped);
  }
  const auto end = spotAt(frame, 0.875, 0.5);
  ASSERT_TRUE(end);
  EXPECT_TRUE(end->clipped);
  // On the line between grey and two over: the mean of both, not one of them.
  const auto between = spotAt(frame, 0.25, 0.5, 0.2);
  EXPECT_NEAR(between->stops, std::log2((0.18 + 0.72) / 2 / 0.18), 0.06);
  for (const auto& [x, y] : {std::pair(-0.1, 0.5), std::pair(0.5, 1.1), std::pair(double(NAN), 0.5)})
    EXPECT_FALSE(spotAt(frame, x, y));
  EXPECT_FALSE(spotAt({}, 0.5, 0.5));
  EXPECT_THROW((void)readSpotFrame(folder / "none.exr", linear, 0, Progress()), Error);
}

// A mosaic whose greens alone have ended, under noise and a white balance: developed, no value is shared any
// more, and the mean looks like any other. It is refused all the same.
TEST(Spot, OneEndedChannelOfRawIsSeen) {
  const test::TempFolder folder;
  DngDescription d;
  d.model = "Tarn M1", d.width = 128, d.height = 64, d.black = 512, d.white = 16383;
  d.asShotNeutral = {0.5, 1, 0.6}, d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
  std::vector<std::uint16_t> mosaic(128 * 64);
  std::mt19937 random(3);
  std::normal_distribution<double> noise(0, 40);
  for (int y = 0; y < 64; ++y)
    for (int x = 0; x < 128; ++x) {
      const bool green = (x + y) % 2 == 1;
      const double level = x < 64 ? 3000 : green ? 40000 : 9000;
      mosaic[static_cast<size_t>(128 * y + x)] =
          static_cast<std::uint16_t>(std::clamp(level + noise(random), 0.0, 16383.0));
    }
  writeDng(folder / "one.dng", d, mosaic);
  DecodeOptions linear;
  linear.curve = "linear";
  const SpotFrame frame = readSpotFrame(folder / "one.dng", linear, 0, Progress());
  const auto dark = spotAt(frame, 0.25, 0.5, 0.2), ended = spotAt(frame, 0.75, 0.5, 0.2);
  ASSERT_TRUE(dark && ended);
  EXPECT_FALSE(dark->clipped);
  EXPECT_TRUE(ended->clipped);
}

}  // namespace
}  // namespace edge
