// What measured findings tell the planner: headroom and edges of each configuration.
#pragma once
#include "plan/forecast.h"
#include "report/findings.h"

namespace edge {

[[nodiscard]] Knowledge knowledgeOf(const std::vector<Finding>& findings);

}  // namespace edge
