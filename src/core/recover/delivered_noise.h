// A brought-back area as it is delivered: on the delivery's raster and chroma sampling, after display
// (docs/method.md, "Latitude").
#pragma once
#include <functional>

#include "color/display_table.h"
#include "image/accumulator.h"
#include "recover/delivery.h"
#include "recover/detail.h"
#include "recover/take.h"

namespace edge {

// The block with every pixel brought back, scene-linear in and out. frames: no more of them than these.
[[nodiscard]] PatchSample corrected(const PatchSample& sample, const std::function<Vec3(const Vec3&)>& light,
                                    size_t frames = kSampleFrames);

struct DeliveredLook {
  const DisplayTable& display;
  Primaries primaries;
  Chroma chroma = Chroma::Full444;
  RasterFactor factor;

  // L*, a*, b* of a brought-back block, by frame: scene-linear resampled by area average, then display,
  // chroma as the mean of its pixels, CIELAB.
  struct LabFrames {
    int width = 0, height = 0;
    std::vector<std::array<std::vector<float>, 3>> frames;
    [[nodiscard]] std::vector<NoiseSums> sums() const;  // of L*, a*, b*; empty: no frames
    [[nodiscard]] LightnessFrames lightness() const;
  };
  [[nodiscard]] LabFrames labFrames(const PatchSample& sample) const;
};

}  // namespace edge
