// Tables of comma-separated values (RFC 4180).
#pragma once
#include <string>
#include <vector>

namespace edge {

// Fields quoted where needed, ended by CR LF. What a spreadsheet would run (a leading =, @, tab, carriage
// return, and
// + or - that begins no number) is disarmed by an apostrophe.
[[nodiscard]] std::string csvLine(const std::vector<std::string>& fields);

// Rows of a table: quoted fields, any line end, a byte order mark; separated by what its first line holds
// most of, comma, semicolon or tab. Empty lines are left out.
[[nodiscard]] std::vector<std::vector<std::string>> readCsv(const std::string& text);

}  // namespace edge
