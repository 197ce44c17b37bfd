// Explanations of stage Latitude's figures (explain.h).
#pragma once
#include "report/explain.h"

namespace edge {

// over, under, latitude, cleaned, each also "KEY@BRANCH"; under-range; take:NAME; branch:NAME:BRANCH.
[[nodiscard]] bool isLatitudeKey(const std::string& key);
// Of a bracket that has been measured.
[[nodiscard]] Explanation explainLatitude(const Finding& finding, const std::string& key,
                                          const CriteriaProfile& criteria);
// The clip a figure was measured on.
[[nodiscard]] std::string clipLine(const Finding& finding, ClipKind kind);

}  // namespace edge
