// What a result has to say against itself: a code of the command line's contract, a sentence, a place.
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

namespace edge {

struct Warning {
  std::string code, message, where;
};
[[nodiscard]] nlohmann::json toJson(const std::vector<Warning>& warnings);

}  // namespace edge
