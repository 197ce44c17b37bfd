// From figures to what is done on the set: how to expose the wedge, and what limits a figure and how the
// limit is lifted.
#pragma once
#include "measure/range.h"

namespace edge {

// How much to open (positive) or close so that the brightest step clips and the next one is at the brink.
struct ExposureAdvice {
  double openStops = 0, sigma = 0;
  bool atLeast = false;     // nothing clips and the clip point is not known: open by at least this
  bool right = false;       // it is exposed as it should be
  double chartShortBy = 0;  // stops the wedge lacks at its dark end then; 0: long enough, or not known
  std::string words;
};
[[nodiscard]] ExposureAdvice adviseExposure(const WedgeMeasure& wedge, const RangeResult& result);

// One thing that keeps the figure from being better known, and what to shoot to lift it.
struct RangeLimitation {
  std::string subject;  // "chart", "glare", "codec", "quantisation", "frames", "clamp", "filter",
                        // "highlights", "light"
  std::string words, shoot;
};
[[nodiscard]] std::vector<RangeLimitation> limitationsOf(const WedgeMeasure& wedge, const RangeResult& result,
                                                         bool withBlack);

[[nodiscard]] nlohmann::json toJson(const ExposureAdvice& advice);
[[nodiscard]] nlohmann::json toJson(const std::vector<RangeLimitation>& limitations);

}  // namespace edge
