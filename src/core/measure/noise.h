// Noise of a region from its streamed sums (2-measurement, section 2; the split after EMVA 1288 R4.0 and the
// three-way analysis of variance). All variances in the unit of the samples squared.
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

// Spatial filtering, from the autocovariance of the temporal residual.
struct Filtering {
  double verticalLag = 0;  // autocorrelation one line down; > 0.10 filtered, > 0.30 strongly
  double inflation = 1;    // white-equivalent variance / variance
};
[[nodiscard]] std::optional<Filtering> filteringOf(const LagSums& lags);

// Temporal lag-1 correlation rho = (r1 + 1/N)/(1 - 3/N) and the factor (1+rho)/(1-rho) on the variance.
[[nodiscard]] double temporalLag(double lagProducts, double residualSquares, int frames);
[[nodiscard]] double temporalFactor(double rho);

// Standard deviation in codes of a Gaussian seen through rounding, fitted to a histogram of neighbouring
// codes by maximum likelihood. nullopt when fewer than two codes occur.
[[nodiscard]] std::optional<double> binnedGaussianSd(const std::vector<double>& counts);

}  // namespace edge
