// Noise of a brought-back take as it is delivered: on the delivery's raster and chroma sampling, after
// display (docs/method.md, "Latitude").
#pragma once
#include "color/display.h"
#include "image/accumulator.h"
#include "recover/bring_back.h"
#include "recover/delivery.h"

namespace edge {

struct DeliveredNoise {
  const DisplayTransform& display;
  Primaries primaries;
  Chroma chroma = Chroma::Full444;
  RasterFactor factor;

  // L*, a*, b* of the block: scene-linear resampled by area average, then display, chroma as the mean of its
  // pixels, CIELAB. Empty: no samples.
  [[nodiscard]] std::vector<NoiseSums> labSums(const PatchSample& sample, const BringBack& back) const;
};

}  // namespace edge
