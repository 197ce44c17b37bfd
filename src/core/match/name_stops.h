// Exposures as people write them at the end of a clip's name: "base", "m1", "p2", "u3", "n-1", "... 800 -1",
// "under1", "+0.7EV".
#pragma once
#include <optional>
#include <string>

namespace edge {

struct NamedStops {
  double stops = 0;    // against the base
  std::string before;  // what stands before them, lower case
};
// Of a name without its extension. nullopt: the name says none, or could mean a number ("take-1").
[[nodiscard]] std::optional<NamedStops> namedStops(const std::string& stem);
[[nodiscard]] std::optional<double> stopsInName(const std::string& stem);

}  // namespace edge
