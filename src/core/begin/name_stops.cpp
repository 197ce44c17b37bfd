#include "begin/name_stops.h"

#include <regex>

#include "base/numbers.h"

namespace edge {

std::optional<double> stopsInName(const std::string& stem) {
  // A true minus sign is read as a plain one.
  std::string name = lower(stem);
  for (size_t at; (at = name.find("\u2212")) != std::string::npos;) name.replace(at, 3, "-");
  if (name.size() > 200) return std::nullopt;
  static const std::regex kBase(R"((^|[\s_.\-/])(base|normal)$)");
  static const std::regex kStops(
      R"((^|[\s_./])(n\s?)?(\+|-|plus\s?|minus\s?|over\s?|under\s?|[pmuo])(\d{1,2}([.,]\d{1,2})?)\s?(ev|stops?)?$)");
  if (std::regex_search(name, kBase)) return 0;
  std::smatch m;
  if (!std::regex_search(name, m, kStops)) return std::nullopt;
  const auto size = parseNumber(m[4].str());
  const char sign = m[3].str()[0];
  const bool down = sign == '-' || sign == 'u' || m[3].str().rfind("m", 0) == 0;
  return size ? std::optional(down ? -*size : *size) : std::nullopt;
}

}  // namespace edge
