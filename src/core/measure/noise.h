// Noise of a region from its streamed sums (docs/method.md, "Noise of a patch"; the split after EMVA 1288
// R4.0 and the three-way analysis of variance). All variances in the unit of the samples squared.
#pragma once
#include <optional>
#include <vector>

#include "image/accumulator.h"

namespace edge {

// Unbiased temporal variance per pixel after each frame's mean is removed; needs two frames.
[[nodiscard]] std::optional<double> temporalVariance(const NoiseSums& s);

// Signed estimates; a negative one is "below detection". Fixed pixel needs 8 frames, fixed row and column 16.
struct NoiseSplit {
  double pixelTemporal = 0, rowTemporal = 0, columnTemporal = 0, flicker = 0;
  std::optional<double> pixelFixed, rowFixed, columnFixed;
};
inline constexpr int kFramesForFixed = 8, kFramesForFixedRows = 16;
[[nodiscard]] std::optional<NoiseSplit> splitNoise(const NoiseSums& s);

[[nodiscard]] double skewness(const NoiseSums& s);

// Excess kurtosis of frame-to-frame changes, defect pixels set apart: 0 for Gaussian noise, large where noise
// was cored, cut or coded away. nullopt: nothing changes. `sigma`: sqrt(24/n), of pairs that share a frame.
struct Shape {
  double kurtosis = 0, sigma = 0;
};
[[nodiscard]] std::optional<Shape> shapeOf(const NoiseSums& s);

// Spatial filtering and sharpening, from the autocovariance of the temporal residual.
struct Filtering {
  double verticalLag = 0, horizontalLag = 0;  // autocorrelation one line down, one pixel on
  double lowestLag = 0;                       // of the lags within two pixels: below 0 where sharpened
  double inflation = 1;                       // white-equivalent variance / variance
  double inflationSigma = 0;                  // spectral estimate at frequency 0: relative sd sqrt(2 A/n)
  bool settled = true;                        // the autocorrelation has died out within the window
};
[[nodiscard]] std::optional<Filtering> filteringOf(const LagSums& lags);

// Standard deviation in codes of a Gaussian seen through rounding, fitted to a histogram of neighbouring
// codes by maximum likelihood. nullopt when fewer than two codes occur.
[[nodiscard]] std::optional<double> binnedGaussianSd(const std::vector<double>& counts);

}  // namespace edge
