// By which protocol each latitude was shot: results of unlike protocols are not to be compared, and say so.
#pragma once
#include "plan/plan.h"
#include "report/findings.h"

namespace edge {

// As toJson of plan/run_list.h writes it; throws json::exception.
[[nodiscard]] Protocol protocolFromJson(const nlohmann::json& j);
// As it is kept with the clip of the base when that is linked; nullopt: it was not kept (clips linked by
// looking, or by an earlier version).
[[nodiscard]] std::optional<Protocol> protocolOf(const Configuration& configuration);

inline constexpr const char* kOtherProtocol = "other-protocol";  // code of the warning
// Latitudes whose protocol is another than that of most get the warning "other-protocol", saying where they
// differ; one given before goes.
void markProtocols(std::vector<Finding>& findings);

}  // namespace edge
