// Temporal filtering, from how far frames differ at one, two, three and four frames' distance. Differences do
// not know the mean over the clip, so that nothing is biased by the number of frames:
//   mean (y(t+k) - y(t))^2 = (1-a^k)^2 v(t) + S (1-a)^2 (1-a^2k)/(1-a^2),   v(t+1) = a^2 v(t) + (1-a)^2 S
// for y(t) = a y(t-1) + (1-a) x(t), an AR(1) process of input variance S (Box and Jenkins, Time Series
// Analysis, 3.2; from memory). A short average of frames (moving average) ends its correlation after its
// length.
#pragma once
#include <optional>
#include <vector>

namespace edge {

// Of one patch, over its own temporal variance: by lag 1.., by first frame, the mean square of the change.
struct FrameChanges {
  std::vector<std::vector<double>> byLag;
  double pixels = 0;
};

struct TemporalFilter {
  double rho = 0, rhoSigma = 0;  // autocorrelation of neighbouring frames
  double factor = 1;       // variance before the filter over the variance measured about the clip's mean
  double factorSigma = 0;  // of its logarithm, from how the patches scatter
  bool known = true;       // false: no filter of these two kinds, or not the same for all patches
};

// nullopt: fewer than four frames or no patch that tells.
[[nodiscard]] std::optional<TemporalFilter> temporalFilterOf(const std::vector<FrameChanges>& patches);

// First frames t whose change to the next is far below that of most: the same frame again, coded anew.
[[nodiscard]] std::vector<size_t> nearRepeats(const std::vector<double>& changes);

}  // namespace edge
