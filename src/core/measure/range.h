// Dynamic range from a measured wedge: pure arithmetic (docs/method.md, "Range").
//   signal   m = a E + g by weighted least squares over unclipped patches, E = 2^stops;  SNR = a E / sd
//   upper    plateau of clipped patches on the unity-slope line, log2((P - g)/a')
//   lower    log2 SNR interpolated against stops at each threshold
#pragma once
#include <map>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/warning.h"
#include "measure/wedge.h"

namespace edge {

// A figure in stops with its standard error, or "at least" where the chart or the bracket ended first.
struct Limit {
  double stops = 0;
  double sigma = 0;
  bool atLeast = false;
};
[[nodiscard]] nlohmann::json toJson(const std::optional<Limit>& limit);  // {"stops" or "at_least", "sigma"}
[[nodiscard]] nlohmann::json plainJson(const std::optional<Limit>& limit);  // a number or {"at_least"}

struct RangeOptions {
  double headlineSnr = 2;  // the school of what counts as usable
  std::vector<double> snr = {1, 2, 10};
  std::optional<double>
      grey;  // stops of 18 % grey on the chart's scale; nullopt: chart's own, else linear 0.18
  std::optional<ChannelMeasure> black[kMeasured];  // cap-on
  std::vector<double> shading[kMeasured];  // cap-on: by patch, its level above that; dark shading is no glare
};

// Up to Rebuilt not all channels are there. Unknown: its noise was removed, so that nothing can be said of
// it.
enum class PatchState { Clipped, OneChannel, Rebuilt, Intact, Noisy, Lost, Unknown };
// Cap-on: the statistics at the place of each patch, the darkest taken (light leaks only add).
void setBlack(RangeOptions& options, const WedgeMeasure& capOn);

[[nodiscard]] const char* wordOf(PatchState s);

// v(E) = c0 + c1 E + c2 E^2, noise variance over a^2: read, photon and fixed-pattern terms.
struct NoiseModel {
  double read = 0, photon = 0, fixed = 0;
  bool valid = false;
  [[nodiscard]] double varianceAt(double e) const { return read + photon * e + fixed * e * e; }
};

// What a patch's noise is worth. Coded: a lossy codec has changed it. Quantised: below a quarter of a code.
// Removed: cored, denoised or coded away, so that no figure stands on it.
enum class NoiseTrust { Known, Coded, Quantised, Removed };
[[nodiscard]] const char* wordOf(NoiseTrust t);

struct ChannelRange {
  bool usable = false;           // false: chroma-subsampled channel, whose noise is not to be read
  double slope = 0, offset = 0;  // a, g
  double slopeSigma = 0, offsetSigma = 0;
  Limit clip;                     // on the chart's scale
  std::optional<Limit> knee;      // where a soft shoulder leaves the line by 0.05 stop
  std::vector<double> snr;        // by patch, chart order; 0 where none
  std::vector<NoiseTrust> trust;  // by patch, chart order
  std::optional<double> dimmer;   // stops by which the brightest patch falls short, with no sign of a clip
  std::map<double, Limit> lower;  // threshold to its place on the chart's scale; absent where never reached
  std::map<double, Limit> range;  // threshold to range in stops
  bool clamped = false;
  NoiseModel model;
};

struct RangeResult {
  ChannelRange channel[kMeasured];
  // Range before filtering or coding, where one of them was found and can be taken off.
  std::map<double, Limit> corrected[kMeasured];
  bool filtered = false, sharpened = false;
  std::map<double, Limit> total;  // of luma, fixed pattern counted as noise; empty: fewer than 8 frames
  double chartScatter = 0;        // stops: what the steps show about the line, beside what the chart states
  Limit colourComplete;
  std::optional<Limit> headline;  // nothing: the threshold is never reached, or noise is not known
  std::string headlineLabel;
  std::optional<Limit> aboveGrey, belowGrey, noiseFloorBelowGrey;
  std::optional<double> greyStops;
  int stepsVisible = 0;
  // Stops below grey: SNR >= 2 and a sixth of a stop moves the code by more than its noise over a 32-px area.
  std::optional<Limit> safeShadow;
  std::vector<PatchState> states;
  // Rebuilt highlights: kept as a bonus, out of the headline.
  std::vector<size_t> rebuilt;
  std::optional<Limit> rebuiltStops;  // from colour-complete up to where luma clips
  std::vector<double> chromaRatio;    // by patch: chroma noise over what is expected; NaN: not looked at
  std::vector<Warning> warnings;
};

[[nodiscard]] RangeResult analyseRange(const WedgeMeasure& wedge, const RangeOptions& options);

// SNR 1 to SNR 2 in stops for read noise r electrons: log2[4(1+sqrt(1+r^2))/(1+sqrt(1+4 r^2))] (section 3.9).
[[nodiscard]] double snrGapStops(double readNoiseElectrons);

// Why step k is of its class, in words with its numbers.
[[nodiscard]] std::string whyOf(const WedgeMeasure& wedge, const RangeResult& result, size_t k);

// The result as the command line prints it (docs/edge-test-cli.1), without schema and inputs.
[[nodiscard]] nlohmann::json rangeToJson(const WedgeMeasure& wedge, const RangeResult& result);

// Where each figure comes from, in words and numbers: formula, the steps it stands on, why each step is of
// its class.
[[nodiscard]] nlohmann::json explainRange(const WedgeMeasure& wedge, const RangeResult& result,
                                          const RangeOptions& options);

}  // namespace edge
