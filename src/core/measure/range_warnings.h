// What a measured range must be read with: every warning, in the order in which it matters. Internal to the
// range.
#pragma once
#include "measure/channel_limits.h"

namespace edge {

inline constexpr int kTellingPatches = 3;  // fewer can't say whether noise is filtered

// What the analysis knows beside its result.
struct RangeDoubts {
  ChartScatter scatter;
  bool undetermined = false;  // rebuilt highlights can't be told
  bool mendable = true;       // what filters the noise can be taken off
};

[[nodiscard]] std::vector<Warning> warningsOf(const WedgeMeasure& wedge, const RangeOptions& options,
                                              const RangeResult& result, const RangeDoubts& doubts);

}  // namespace edge
