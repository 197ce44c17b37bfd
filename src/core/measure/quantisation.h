// What rounding to codes adds to a noise figure (docs/method.md, "Noise of a patch"), and how coarse the
// rounding really is.
#pragma once
#include <functional>
#include <vector>

#include "image/decode.h"
#include "measure/wedge.h"

namespace edge {

struct CodeGrid {
  double levels = 0;  // steps from code 0 to 1
};

// Counts of codes around the first one seen; enough for noise below one code.
class CodeHistogram {
 public:
  void add(const std::vector<float>& codes, const CodeGrid& grid);
  // Counts of neighbouring codes, or empty when the noise reached beyond.
  [[nodiscard]] std::vector<double> counts() const;

 private:
  static constexpr int kBins = 16;
  bool started_ = false, overflow_ = false;
  long centre_ = 0;
  double bins_[kBins] = {};
};

struct QuantisationResult {
  Quantisation kind;
  double variance;  // share of the measured variance that rounding added
};

// step: scene-linear size of one code. Subtracts step^2/12 where the code sd is >= 0.6, takes the ratio of a
// fitted binned Gaussian between 0.25 and 0.6; below: limited.
[[nodiscard]] QuantisationResult quantisationOf(double variance, double step, const CodeHistogram& codes);

// Variance of a mean from rounding: a whole step^2/12 without noise; noise of sd s codes smooths it by
// exp(-2 pi^2 s^2), the first harmonic of the rounding error (Widrow and Kollar, Quantization Noise, 2008;
// from memory).
[[nodiscard]] double meanRoundingOf(double variance, double step);

// Skewness that rounding alone gives Gaussian noise of `sdCodes` (0.05 and more) whose mean lies at `code`,
// in codes: sum over k of (k - mean)^3 P(k), P the Gaussian's share between k - 1/2 and k + 1/2.
[[nodiscard]] double roundedSkewness(double sdCodes, double code);

// A file may hold fewer bits than its samples (ten bits in a sixteen-bit TIFF): looks at the codes
// themselves.
[[nodiscard]] CodeGrid effectiveGrid(const Frame& frame, const Decoder& decoder, size_t areas,
                                     const std::function<Rect(size_t)>& area);

}  // namespace edge
