// Where one channel of a wedge ends, above and below, with an error that is carried through the whole
// computation: every mean, every variance and every step of the chart is moved by its own standard error and
// the figures are computed again (first-order propagation by central differences, JCGM 100:2008, 5.1.3).
#pragma once
#include <map>

#include "measure/response.h"

namespace edge {

// A place on the chart's scale, in stops, or a difference of two.
struct Traced {
  double stops = 0;
  bool atLeast = false;
  // By source (stops of each patch; then mean and variance of each, channel by channel): the change of
  // `stops` when that source moves by one standard error.
  std::vector<double> parts;
  double extra = 0;  // variance that is no source of its own

  [[nodiscard]] Limit limit() const;
};
[[nodiscard]] Traced minus(const Traced& upper, const Traced& lower);
[[nodiscard]] Traced fixedAt(double stops);

struct ChannelQuestion {
  int channel = kY;
  double varianceFactor = 1;  // filtering
  double factorSigma = 0;     // relative standard error of that factor
  bool withFixed = false;     // fixed pattern counted as noise
  std::optional<ChannelMeasure> black;
  bool channelClamped = false;  // of luma: one of its channels is, which cuts luma's noise as well
  std::vector<double> thresholds;
  double chartScale = 1;        // times what the chart states as its sigma
  bool clipKnown = false;       // of luma: each of its channels clips
  std::vector<double> shading;  // RangeOptions::shading
  // Noise as it was before a lossy codec: from the patches that it left alone, modelled below them.
  bool beforeCoding = false;
};

struct ChannelLimits {
  ChannelRange range;
  Traced clip;
  std::map<double, Traced> lower;  // absent: the threshold is never reached, or nothing is known
  Traced grey;                     // where the line gives scene-linear 0.18
};

[[nodiscard]] ChannelLimits limitsOf(const WedgeMeasure& wedge, const ChannelQuestion& question);

// The chart's sigma as the steps' scatter about the line shows it, over the stated one; sampling taken off.
// The stated value counts as one more observation, so that few steps leave it as it is.
struct ChartScatter {
  double scale = 1;  // of the stated sigma
  double stops = 0;  // rms about the line, sampling taken off
  double drift = 0;  // correlation of neighbours: near 1 the line is bent, not scattered
  int patches = 0;
};
[[nodiscard]] ChartScatter chartScatter(const WedgeMeasure& wedge, int channel);

}  // namespace edge
