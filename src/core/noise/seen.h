// Noise as a viewer meets it: after display, at a delivery, with the size and colour of its grains.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "recover/delivered_noise.h"

namespace edge {

// After display: temporal standard deviations of L*, and of a* and b* added in square.
struct SeenNoise {
  double luma = 0, chroma = 0;
};

// nullopt: fewer than two frames.
[[nodiscard]] std::optional<SeenNoise> seenOf(const LabFrames& lab);

// Of what changes between frames.
struct Grain {
  std::optional<double> lumaPx, chromaPx;  // sides of a grain in pixels of the delivery
  std::string hue;                         // "luma, fine", "chroma, coarse, magenta-green"
};
[[nodiscard]] Grain grainOf(const LabFrames& lab, const SeenNoise& seen);

// Square root of the sum of the autocorrelation over |dx|, |dy| <= 4 of what changes between frames: the side
// of a grain in pixels, 1 for white noise. nullopt: nothing changes.
[[nodiscard]] std::optional<double> grainOf(const std::vector<std::vector<float>>& frames, int width,
                                            int height);
// What colour blotches have, from the covariance of a*, b* noise: "magenta-green", "yellow-blue", ...
[[nodiscard]] std::string hueWords(double varianceA, double varianceB, double covariance);

}  // namespace edge
