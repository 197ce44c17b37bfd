#include "base/warning.h"

#include <nlohmann/json.hpp>

namespace edge {

nlohmann::json toJson(const std::vector<Warning>& warnings) {
  nlohmann::json j = nlohmann::json::array();
  for (const auto& w : warnings) j.push_back({{"code", w.code}, {"message", w.message}, {"where", w.where}});
  return j;
}

}  // namespace edge
