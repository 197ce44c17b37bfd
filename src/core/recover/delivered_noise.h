// A brought-back area as it is delivered: on the delivery's raster and chroma sampling, after display
// (docs/method.md, "Latitude").
#pragma once
#include <functional>
#include <initializer_list>
#include <optional>

#include "color/display_table.h"
#include "image/accumulator.h"
#include "recover/delivery.h"
#include "recover/detail.h"
#include "recover/take.h"

namespace edge {

// The block with every pixel brought back, scene-linear in and out. frames: no more of them than these.
[[nodiscard]] PatchSample corrected(const PatchSample& sample, const std::function<Vec3(const Vec3&)>& light,
                                    size_t frames = kSampleFrames);

// Three planes a frame: display code R, G, B, or L*, a*, b*.
struct PlaneFrames {
  int width = 0, height = 0;
  std::vector<std::array<std::vector<float>, 3>> frames;
};
struct CodeFrames : PlaneFrames {};
struct LabFrames : PlaneFrames {
  [[nodiscard]] std::vector<NoiseSums> sums() const;  // of L*, a*, b*; empty: no frames
  [[nodiscard]] LightnessFrames lightness() const;
  // Relative standard error of the root of the summed temporal variances of these planes (0: L*, 1: a*, 2:
  // b*): by how bands of the area scatter, so that neighbours that hang together and the noise's own shape
  // count as they are. Nothing of one frame.
  [[nodiscard]] std::optional<double> relativeError(std::initializer_list<size_t> planes) const;
};

struct DeliveredLook {
  const DisplayTable& display;
  Primaries primaries;
  Chroma chroma = Chroma::Full444;
  RasterFactor factor;

  // Display code of a brought-back block, by frame: scene-linear resampled by area average, then display,
  // chroma as the mean of its pixels.
  [[nodiscard]] CodeFrames codeFrames(const PatchSample& sample) const;
  [[nodiscard]] LabFrames labOf(const CodeFrames& codes) const;
  [[nodiscard]] LabFrames labFrames(const PatchSample& sample) const { return labOf(codeFrames(sample)); }
};

}  // namespace edge
