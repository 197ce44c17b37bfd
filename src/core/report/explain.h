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
// rebuilt, steps, filtering, upper, patch:NAME, and those of explain_latitude.h. What is not
// measured, and keys that nobody wrote an explanation for, are said to be so ("Not measured yet", "Not
// explained").
[[nodiscard]] Explanation explain(const Finding& finding, const std::string& key, const RangeOptions& options,
                                  const CriteriaProfile& criteria);

}  // namespace edge
