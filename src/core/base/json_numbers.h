// Numbers that may be missing, in results: null stands for what is not known or not finite.
#pragma once
#include <cmath>
#include <nlohmann/json.hpp>
#include <optional>

namespace edge {

[[nodiscard]] inline nlohmann::json number(double v) {
  return std::isfinite(v) ? nlohmann::json(v) : nlohmann::json();
}
[[nodiscard]] inline nlohmann::json number(const std::optional<double>& v) {
  return v ? number(*v) : nlohmann::json();
}
[[nodiscard]] inline std::optional<double> optionalNumber(const nlohmann::json& j) {
  return j.is_number() ? std::optional(j.get<double>()) : std::nullopt;
}
template <class Three>
[[nodiscard]] nlohmann::json threeNumbers(const Three& v) {
  return {number(v[0]), number(v[1]), number(v[2])};
}

}  // namespace edge
