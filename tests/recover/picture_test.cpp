#include "recover/picture.h"

#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "base/error.h"
#include "color/display.h"
#include "recover/take.h"
#include "simulate/scene.h"
#include "support/support.h"

namespace edge {
namespace {

DecodeOptions linearDecode() {
  DecodeOptions d;
  d.curve = "linear";
  return d;
}

std::filesystem::path frameOf(const test::TempFolder& folder, const SceneImage& s, float exposure,
                              const std::string& name) {
  std::vector<float> pixels = s.rgb;
  for (auto& p : pixels) p *= exposure;
  const auto file = folder / name;
  test::writeImage(file, s.width, s.height, 3, pixels, 32);
  return file;
}

TEST(Picture, ShowsTheDisplayCodeOfEveryPixel) {
  const test::TempFolder folder;
  const SceneImage s = renderBench(160, 90);
  for (const char* display : {"soft-shoulder", "bt709"}) {
    const DisplayTransform d(display);
    const Picture p =
        renderPicture(frameOf(folder, s, 1, "a.1.exr"), linearDecode(), 0, 1, 0, display, Progress());
    ASSERT_EQ(p.width, 160);
    for (int i = 0; i < 160 * 90; i += 37) {
      const float* v = s.rgb.data() + 3 * i;
      const Vec3 code = d.code({v[0], v[1], v[2]});
      for (int c = 0; c < 3; ++c)
        ASSERT_NEAR(p.rgb[static_cast<size_t>(3 * i + c)], 255 * code[c], 1.1) << display << " pixel " << i;
    }
  }
}

TEST(Picture, BroughtBackTakeLooksLikeItsBase) {
  const test::TempFolder folder;
  const SceneImage s = renderBench(160, 90);
  const DecodeOptions linear = linearDecode();
  const Picture base =
      renderPicture(frameOf(folder, s, 1, "a.1.exr"), linear, 0, 1, 0, "soft-shoulder", Progress());
  const Picture back =
      renderPicture(frameOf(folder, s, 0.125F, "b.1.exr"), linear, 0, 0.125, 0, "soft-shoulder", Progress());
  const Picture shot = renderPicture(folder / "b.1.exr", linear, 0, 1, 0, "soft-shoulder", Progress());
  int largest = 0;
  long darker = 0;
  for (size_t i = 0; i < base.rgb.size(); ++i) {
    largest = std::max(largest, std::abs(base.rgb[i] - back.rgb[i]));
    darker += shot.rgb[i] < base.rgb[i];
  }
  EXPECT_LE(largest, 1);
  EXPECT_GT(darker, static_cast<long>(base.rgb.size() * 9 / 10));
}

TEST(Picture, FrameBeyondTheEndIsRefused) {
  const test::TempFolder folder;
  const auto file = frameOf(folder, renderBench(32, 18), 1, "a.1.exr");
  EXPECT_THROW((void)renderPicture(file, linearDecode(), 5, 1, 0, "soft-shoulder", Progress()), Error);
}

TEST(Take, MeansVarianceAndDistributionsOfKnownAreas) {
  const test::TempFolder folder;
  const SceneImage s = renderBench(640, 360);
  (void)frameOf(folder, s, 0.5F, "a.1.exr");
  (void)frameOf(folder, s, 0.50001F, "a.2.exr");  // its own light: the same frame again would count once
  const Chart chart = benchChart(640, 360);
  const auto reader = openClip(folder.path());
  const TakeStats t = measureTake(*reader, linearDecode(), chart, benchRegions(640, 360), {}, Progress());
  EXPECT_EQ(t.frames, 2);
  ASSERT_EQ(t.patches.size(), 30U);
  for (size_t i = 0; i < 12; ++i) {
    const double level = 0.5 * 0.18 * std::exp2(*chart.patches[i].stops);
    EXPECT_NEAR(t.patches[i].luma, level, 3e-5);
    EXPECT_NEAR(t.patches[i].lumaVariance, 0, 1e-12);
    EXPECT_NEAR(t.patches[i].codes[1].quantile(0.5), level, 1.1 / 1023);
    EXPECT_EQ(t.patches[i].frameLuma.size(), 2U);
  }
  EXPECT_EQ(t.samples[0].frames.size(), 2U);
}

// A closed form scene under white noise of known size, its frames written one by one: the mean stays, the
// noise of a flat goes, a step keeps its place. Taller than a band, so that seams would be seen.
TEST(Picture, CleanedKeepsMeansAndEdgesAndLosesNoise) {
  const test::TempFolder folder;
  constexpr int kWidth = 64, kHeight = 300, kFrames = 5;
  std::mt19937 random(7);
  std::normal_distribution<float> noise(0, 0.02F);
  for (int f = 0; f < kFrames; ++f) {
    std::vector<float> pixels(3 * kWidth * kHeight);
    for (int i = 0; i < kWidth * kHeight; ++i)
      for (int c = 0; c < 3; ++c)
        pixels[static_cast<size_t>(3 * i + c)] = (i % kWidth < kWidth / 2 ? 0.18F : 0.5F) + noise(random);
    test::writeImage(folder / fmt::format("n.{}.exr", f + 1), kWidth, kHeight, 3, pixels, 32);
  }
  const DecodeOptions linear = linearDecode();
  const auto clip = folder / "n.%d.exr";
  const Rung& rung = reducerLadder().back();
  const Picture bare = renderPicture(clip, linear, 2, Correction{}, "bt709", Progress());
  const Picture clean = renderReduced(clip, linear, {0, kFrames}, Correction{}, "bt709", rung, Progress());
  ASSERT_EQ(clean.rgb.size(), bare.rgb.size());
  const auto moments = [&](const Picture& p, int x0, int x1, int y0, int y1) {
    double sum = 0, squares = 0;
    for (int y = y0; y < y1; ++y)
      for (int x = x0; x < x1; ++x) {
        const double v = p.rgb[static_cast<size_t>(3 * (y * kWidth + x) + 1)];
        sum += v, squares += v * v;
      }
    const double n = (x1 - x0) * (y1 - y0);
    return std::pair(sum / n, std::sqrt(std::max(0.0, squares / n - sum * sum / n / n)));
  };
  for (const auto& [x0, x1] : {std::pair(2, 26), std::pair(38, 62)})
    for (const auto& [y0, y1] : {std::pair(4, 296), std::pair(248, 264)}) {  // all of it, and across the seam
      const auto was = moments(bare, x0, x1, y0, y1), is = moments(clean, x0, x1, y0, y1);
      EXPECT_NEAR(is.first, was.first, 0.7);
      EXPECT_LT(is.second, 0.5 * was.second);
    }
  EXPECT_GT(moments(clean, 34, 36, 0, kHeight).first - moments(clean, 28, 30, 0, kHeight).first, 40);
  EXPECT_THROW((void)renderReduced(clip, linear, {3, 2}, Correction{}, "bt709", rung, Progress()), Error);
}

}  // namespace
}  // namespace edge
