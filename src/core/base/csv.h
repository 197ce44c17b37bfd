// One line of comma-separated values (RFC 4180).
#pragma once
#include <string>
#include <vector>

namespace edge {

// Fields quoted where needed, ended by CR LF. A leading = or @ is disarmed for spreadsheets.
[[nodiscard]] std::string csvLine(const std::vector<std::string>& fields);

}  // namespace edge
