#include "base/csv.h"

#include <algorithm>

#include "base/numbers.h"

namespace edge {
namespace {

bool runs(const std::string& text) {
  if (text.empty()) return false;
  if (std::string("+-").find(text.front()) != std::string::npos) return !parseNumber(text);
  return std::string("=@\t\r").find(text.front()) != std::string::npos;
}

std::string field(std::string text) {
  if (runs(text)) text.insert(0, "'");
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

std::vector<std::vector<std::string>> readCsv(const std::string& whole) {
  const std::string text = whole.rfind("\xEF\xBB\xBF", 0) == 0 ? whole.substr(3) : whole;
  const auto firstLine = text.substr(0, text.find_first_of("\r\n"));
  char separator = ',';
  for (const char c : {';', '\t'})
    if (std::count(firstLine.begin(), firstLine.end(), c) >
        std::count(firstLine.begin(), firstLine.end(), separator))
      separator = c;
  std::vector<std::vector<std::string>> rows(1);
  std::string field;
  bool quoted = false;
  const auto endField = [&] { rows.back().push_back(std::move(field)), field.clear(); };
  const auto endLine = [&] {
    endField();
    if (rows.back().size() > 1 || !rows.back()[0].empty())
      rows.emplace_back();
    else
      rows.back().clear();
  };
  for (size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted && c == '"' && i + 1 < text.size() && text[i + 1] == '"')
      field += c, ++i;
    else if (c == '"' && (quoted || field.empty()))
      quoted = !quoted;
    else if (!quoted && c == separator)
      endField();
    else if (!quoted && (c == '\n' || c == '\r'))
      endLine();
    else
      field += c;
  }
  endLine();
  rows.pop_back();
  return rows;
}

}  // namespace edge
