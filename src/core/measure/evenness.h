// Uneven light on a wedge, from a second pass with the chart turned by 180 degrees in its place. Each step is
// seen at two places of the frame: log2(m1/m2) = I(x1) - I(x2), fitted by a plane in stops (docs/method.md,
// "Range"). What is alike on both sides of the middle (a fall-off towards all edges) cancels and is not
// found: keep the wedge in the middle of the frame.
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "measure/wedge.h"

namespace edge {

struct Evenness {
  double acrossStops = 0, acrossSigma = 0;  // of the light, over all steps of the wedge
  double residual = 0;                      // rms about the plane, stops
  int patches = 0;
  std::vector<double> correction;  // by patch, to be added to its stops
  std::vector<double> sigma;       // of each correction, from the plane's own errors
};

// The chart turned by 180 degrees about the middle of its patches; names stay with their patches.
[[nodiscard]] Chart turned(const Chart& chart);

// Errors: fewer than four steps that are neither clipped nor noisy in both passes.
[[nodiscard]] Evenness evennessOf(const WedgeMeasure& first, const Chart& chart, const WedgeMeasure& second,
                                  const Chart& turnedChart);

// Puts the correction into the patches' stops, and its error beside theirs.
void correct(WedgeMeasure& wedge, const Evenness& evenness);

[[nodiscard]] nlohmann::json toJson(const Evenness& e);

}  // namespace edge
