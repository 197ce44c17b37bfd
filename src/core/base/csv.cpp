#include "base/csv.h"

namespace edge {
namespace {

std::string field(std::string text) {
  if (!text.empty() && std::string("=@").find(text.front()) != std::string::npos) text.insert(0, "'");
  if (text.find_first_of(",\"\n\r") == std::string::npos) return text;
  std::string quoted = "\"";
  for (char c : text) quoted += c == '"' ? "\"\"" : std::string(1, c);
  return quoted + "\"";
}

}  // namespace

std::string csvLine(const std::vector<std::string>& fields) {
  std::string s;
  for (size_t i = 0; i < fields.size(); ++i) s += (i ? "," : "") + field(fields[i]);
  return s + "\r\n";
}

}  // namespace edge
