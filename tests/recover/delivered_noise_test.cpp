// Noise at a delivery's raster and chroma sampling against closed forms: independent noise of n pixels
// averages by sqrt(n) (JCGM 100:2008, 4.2.3).
#include "recover/delivered_noise.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "measure/noise.h"

namespace edge {
namespace {

PatchSample greyWithNoise(double sd) {
  PatchSample s;
  s.width = s.height = 96;
  std::mt19937_64 random(3);
  std::normal_distribution<float> normal(0.18F, static_cast<float>(sd));
  for (int f = 0; f < 16; ++f) {
    auto& frame = s.frames.emplace_back(3 * 96 * 96);
    for (float& v : frame) v = normal(random);
  }
  return s;
}

// Noise of L*, and of a* and b* together.
std::pair<double, double> noiseAt(Chroma chroma, double factor) {
  static const DisplayTransform kDisplay(kSoftShoulder);
  static const DisplayTable kTable(kDisplay);
  static const PatchSample kSample = greyWithNoise(0.004);
  const auto sums =
      DeliveredLook{kTable, Primaries::Bt709, chroma, {factor, factor}}.labFrames(kSample).sums();
  const auto v = [&](size_t i) { return *temporalVariance(sums[i]); };
  return {std::sqrt(v(0)), std::sqrt(v(1) + v(2))};
}

TEST(DeliveredNoise, ACoarserRasterAveragesLumaAndChroma) {
  const auto [luma, chroma] = noiseAt(Chroma::Full444, 1);
  for (const double factor : {2.0, 3.0, 4.0}) {
    const auto [l, c] = noiseAt(Chroma::Full444, factor);
    EXPECT_NEAR(l / luma, 1 / factor, 0.02 / factor) << factor;
    EXPECT_NEAR(c / chroma, 1 / factor, 0.03 / factor) << factor;
  }
}

TEST(DeliveredNoise, SharedChromaAveragesColourAndLeavesLuma) {
  const auto [luma, chroma] = noiseAt(Chroma::Full444, 1);
  for (const auto& [sampling, pixels] :
       {std::pair(Chroma::Half422, 2.0), std::pair(Chroma::Quarter420, 4.0)}) {
    const auto [l, c] = noiseAt(sampling, 1);
    // L* is not luma': a little of the colour noise is in it.
    EXPECT_NEAR(l / luma, 1, 0.06) << wordOf(sampling);
    EXPECT_NEAR(c / chroma, 1 / std::sqrt(pixels), 0.03) << wordOf(sampling);
  }
}

TEST(DeliveredNoise, SamplingsAreReadAsTheyAreWritten) {
  for (const Chroma c : {Chroma::Full444, Chroma::Half422, Chroma::Quarter420})
    EXPECT_EQ(parseChroma(wordOf(c)), c);
  EXPECT_FALSE(parseChroma("411"));
}

}  // namespace
}  // namespace edge
