// Latitude held against the range of the same configuration: a second look, no verdict.
#pragma once
#include "report/findings.h"

namespace edge {

struct RangeCheck {
  std::optional<double> gap;  // headline range less latitude, stops; nothing where one of them is not known
  bool usual = false;
  std::string words;                // beside the figure
  std::vector<std::string> causes;  // where it is not usual: what is likely, most likely first
};
// Common practice: latitude is about four stops less than range; between kLeastGap and kMostGap nothing is
// said.
inline constexpr double kUsualGap = 4, kLeastGap = 2.5, kMostGap = 5.5;
[[nodiscard]] RangeCheck checkAgainstRange(const Finding& finding, const LatitudeResult& latitude);

}  // namespace edge
