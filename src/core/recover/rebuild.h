// Highlight recovery of raw pictures, for looking only: a channel at its end takes the mean of the
// white-balanced channels that are left, where that is higher. A neutral highlight comes back grey; what was
// coloured there is invented. Nothing that is measured goes through it (docs/method.md, "Rebuilt
// highlights").
#pragma once
#include "image/frame.h"

namespace edge {

class HighlightRebuild {
 public:
  explicit HighlightRebuild(const PixelFormat& mosaic);

  // linear: a developed pixel, changed in place. code: the same pixel's sites by channel, white at 1.
  // True where something was painted.
  bool apply(float* linear, const float* code) const;

 private:
  float gain_[3] = {};      // white balance and baseline exposure
  float toRgb_[3][3] = {};  // of white-balanced camera R, G, B
  float end_ = 1;           // from here on a channel is at its end
};

}  // namespace edge
