#include "base/json_file.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "base/files.h"

using nlohmann::json;

namespace edge {
namespace {

// Both from 1, columns in bytes.
std::string placeOf(const std::string& text, size_t byte) {
  const size_t at = std::min(byte, text.size());
  const auto end = text.begin() + static_cast<std::ptrdiff_t>(at);
  const size_t start = at == 0 ? std::string::npos : text.rfind('\n', at - 1);
  return fmt::format("line {}, column {}", 1 + std::count(text.begin(), end, '\n'),
                     start == std::string::npos ? at + 1 : at - start);
}

// Brackets outside of texts; where they go too deep, before anything is built of them.
void requireShallow(const std::string& text, const std::string& name, int deepest) {
  int depth = 0;
  bool quoted = false;
  for (size_t i = 0; i < text.size(); ++i) {
    const char c = text[i];
    if (quoted) {
      if (c == '\\')
        ++i;
      else if (c == '"')
        quoted = false;
    } else if (c == '"') {
      quoted = true;
    } else if (c == '[' || c == '{') {
      if (++depth > deepest)
        throw Error("this is nested too deeply", name, placeOf(text, i),
                    fmt::format("{} levels are read; start from a file written by this program", deepest));
    } else if (c == ']' || c == '}') {
      --depth;
    }
  }
}

}  // namespace

json parseJson(const std::string& text, const std::string& name, int deepest) {
  requireShallow(text, name, deepest);
  try {
    return json::parse(text);
  } catch (const json::parse_error& e) {
    throw Error("this is no valid JSON", name, placeOf(text, e.byte > 0 ? e.byte - 1 : 0),
                "check commas, quotes and brackets there");
  } catch (const json::exception&) {  // a number beyond what can be counted
    throw Error("this is no valid JSON", name, "a number", "look for one that is far too large");
  }
}

json readJsonFile(const std::filesystem::path& file, std::uintmax_t mostBytes, int deepest) {
  return parseJson(readText(file, mostBytes), file.string(), deepest);
}

}  // namespace edge
