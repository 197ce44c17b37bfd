// The report as one web page: first what a producer reads in a minute, then what an engineer checks. One
// file, no script, nothing fetched; it prints. And all of it as data.
#pragma once
#include "advise/situations.h"

namespace edge {

[[nodiscard]] std::string reportPage(const std::vector<Finding>& findings,
                                     const std::vector<DecisionRow>& decisions, const std::string& title);
// findingsJson with the decision table.
[[nodiscard]] nlohmann::json reportJson(const std::vector<Finding>& findings,
                                        const std::vector<DecisionRow>& decisions);

}  // namespace edge
