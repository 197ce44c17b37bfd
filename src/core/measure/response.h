// The straight line through a wedge's patches, where it clips, and the noise model along it.
#pragma once
#include <vector>

#include "measure/range.h"

namespace edge {

// One channel of a wedge as arrays, brightest patch first.
struct ResponsePoints {
  std::vector<size_t> patch;         // index in the wedge
  std::vector<double> stops, light;  // light E = 2^stops
  std::vector<double> mean, variance, samples, frames, chartSigma;
  std::vector<double> meanRounding;  // variance of the mean from rounding to codes
  std::vector<bool> quantised;
  std::vector<double> bend;     // ln of variance that was taken off for the second order
  std::vector<double> coding;   // ln of what a lossy codec left of the variance, from its coefficients
  std::vector<double> changes;  // variance as measured, rounding in it
  std::vector<double> code, topCode, topShare, step;  // as in ChannelMeasure
  double levels = 0, formatTop = 0;                   // as in WedgeMeasure
  std::vector<NoiseTrust> trust;                      // all known until judged
  bool clipKnown = false;  // proof of a clip stands elsewhere: in every channel of luma
};

struct Response {
  double slope = 0, offset = 0, slopeSigma = 0, offsetSigma = 0;
  std::optional<double> plateau;  // level at which it clips
  double ceiling = 0;             // the line stands on levels below it
  Limit clip;
  std::optional<Limit> knee;     // a soft shoulder leaves the line by 0.05 stop here
  std::vector<bool> clipped;     // by point
  std::optional<double> dimmer;  // stops by which the brightest point falls short without proof of a clip
};

// Patches of a wedge, brightest first.
[[nodiscard]] std::vector<size_t> brightestFirst(const WedgeMeasure& wedge);

// withFixed: fixed pattern, where it is known, counted as noise. shading: level of each patch without light.
[[nodiscard]] ResponsePoints pointsOf(const WedgeMeasure& wedge, int channel, double varianceFactor,
                                      bool withFixed, const std::vector<double>& shading = {});

// Fits line and clip. A point that falls short of the line is clipped only with proof: a second one at the
// same level, noise that collapses, codes piled up at its top, or the format's own end. The black level,
// where a cap-on clip gave one, steadies the weights only.
[[nodiscard]] Response fitResponse(const ResponsePoints& p, std::optional<double> black);

// Non-negative fit of v(E) over patches of 3 < SNR < 200, weights 1/v^2.
[[nodiscard]] NoiseModel fitNoiseModel(const ResponsePoints& p, const Response& r);

}  // namespace edge
