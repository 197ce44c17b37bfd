// What quantising in a codec's transform leaves of noise (docs/method.md, "Lossy codecs").
#pragma once
#include "measure/wedge.h"

namespace edge {

inline constexpr double kShownSd = 0.8;        // codes of noise, from which its shape can be read
inline constexpr double kCodedKurtosis = 3.6;  // of coefficients: from here on too many are gone to tell

// Gaussian coefficients through a uniform quantiser with a dead zone: level k holds (k - f) to (k + 1 - f)
// steps, gives back k. Moments of what comes out, and its variance over that which went in.
// sd: in steps; f: 0 (cut off) to 0.5 (rounded).
struct Quantised {
  double kurtosis = 0, absolute = 0, left = 1;
};
[[nodiscard]] Quantised quantised(double sd, double f);

// ln of what is left of the variance, from the moments of the coefficients: the mean over all sd and f,
// weighted by how well their moments agree. 0 where nothing was seen.
[[nodiscard]] double leftByCoding(const CoefficientMoments& moments);

// A clip stored without loss whose noise was coded before: its coefficients lie on few values while its
// samples are Gaussian.
[[nodiscard]] bool wasCoded(const WedgeMeasure& wedge);

}  // namespace edge
