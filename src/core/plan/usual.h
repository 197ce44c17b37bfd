// Where a recipe starts from: items as they are usually there, and a usual test day.
#pragma once
#include <nlohmann/json.hpp>
#include <string>

namespace edge {

// A new entry of a list of the recipe ("bodies", "lamps", "circuits" ...), with a name not yet taken.
[[nodiscard]] nlohmann::json starterItem(const std::string& list, const nlohmann::json& existing);
// What lacks in this recipe for a usual day: a body, a lens, a key lamp, ND, a wedge, a sitter, a card, a
// wedge pass and a bracket. What is there stays.
[[nodiscard]] nlohmann::json withUsualDay(nlohmann::json recipe);

}  // namespace edge
