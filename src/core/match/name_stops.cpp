#include "match/name_stops.h"

#include <regex>

#include "base/numbers.h"

namespace edge {

std::optional<NamedStops> namedStops(const std::string& stem) {
  // A true minus sign is read as a plain one.
  constexpr std::string_view kMinus = "\u2212";
  const std::string given = lower(stem);
  std::string name;
  for (size_t at = 0; at < given.size();) {
    const bool minus = given.compare(at, kMinus.size(), kMinus) == 0;
    name += minus ? '-' : given[at];
    at += minus ? kMinus.size() : 1;
  }
  if (name.size() > 200) return std::nullopt;
  static const std::regex kBase(R"((^|[\s_.\-/])(base|normal)$)");
  static const std::regex kStops(
      R"((^|[\s_./]|\d-|-(?=[+\-])|(?:^|[^a-z])(?=over|under|plus|minus))(n\s?)?(\+|-|plus[\s\-_]?|minus[\s\-_]?|over[\s\-_]?|under[\s\-_]?|[pmuo])(\d{1,2}([.,]\d{1,2})?)\s?(ev|stops?)?$)");
  std::smatch m;
  if (std::regex_search(name, m, kBase)) return NamedStops{0, m.prefix().str()};
  if (!std::regex_search(name, m, kStops)) return std::nullopt;
  const auto size = parseNumber(m[4].str());
  const char sign = m[3].str()[0];
  const bool down = sign == '-' || sign == 'u' || m[3].str().rfind("m", 0) == 0;
  if (!size) return std::nullopt;
  return NamedStops{down ? -*size : *size, m.prefix().str()};
}

std::optional<double> stopsInName(const std::string& stem) {
  const auto named = namedStops(stem);
  return named ? std::optional(named->stops) : std::nullopt;
}

}  // namespace edge
