#include "recover/rebuild.h"

#include <cmath>

#include "recover/bring_back.h"

namespace edge {

HighlightRebuild::HighlightRebuild(const PixelFormat& mosaic)
    : end_(static_cast<float>(1 - CodeDistribution::codesAt(1, kAtEnd))) {
  for (size_t c = 0; c < 3; ++c) {
    gain_[c] = static_cast<float>(mosaic.whiteBalance[c] * std::exp2(mosaic.baselineExposureStops));
    for (size_t k = 0; k < 3; ++k)
      toRgb_[c][k] =
          mosaic.cameraToRgb ? static_cast<float>((*mosaic.cameraToRgb)[c][k]) : (c == k ? 1.0F : 0.0F);
  }
}

bool HighlightRebuild::apply(float* linear, const float* code) const {
  float left = 0;
  int intact = 0;
  for (int c = 0; c < 3; ++c)
    if (code[c] < end_) {
      left += gain_[c] * code[c];
      ++intact;
    }
  if (intact == 0 || intact == 3) return false;
  const float level = left / static_cast<float>(intact);
  bool painted = false;
  for (int c = 0; c < 3; ++c) {
    const float more = level - gain_[c] * code[c];
    if (code[c] < end_ || more <= 0) continue;
    painted = true;
    for (int k = 0; k < 3; ++k) linear[k] += toRgb_[k][c] * more;
  }
  return painted;
}

}  // namespace edge
