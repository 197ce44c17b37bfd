// Where a number comes from: formula, inputs, regions, with this project's own values filled in. Plain text
// paragraphs.
#pragma once
#include <string>

#include "report/findings.h"

namespace edge {

struct Explanation {
  std::string title;
  std::vector<std::string> paragraphs;
};

// Keys: headline, above-grey, below-grey, noise-floor, snr1, snr2, snr10, safe, total, corrected, raster,
// rebuilt, steps, filtering, upper, over, under, latitude, cleaned, take:NAME, patch:NAME. Unknown keys give
// an explanation that says so.
[[nodiscard]] Explanation explain(const Finding& finding, const std::string& key, const RangeOptions& options,
                                  const CriteriaProfile& criteria);

}  // namespace edge
