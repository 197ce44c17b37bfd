// Numbers that may be missing, in results: null stands for what is not known or not finite.
#pragma once
#include <cmath>
#include <concepts>
#include <limits>
#include <nlohmann/json.hpp>
#include <optional>
#include <utility>

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
template <class T>
concept Counting = std::integral<T> && !std::same_as<T, bool>;

// A whole number of a stored row, in the type it is read into. What the JSON library makes of a number that
// the type doesn't hold is undefined ("frames": 8e69), or another number. Throws what the library throws for
// a wrong type.
class Whole {
 public:
  explicit Whole(const nlohmann::json& value) : value_(value) {}
  template <Counting T>
  operator T() const {  // NOLINT(google-explicit-constructor): it stands where the number stood
    if (value_.is_number_unsigned()) {
      if (const auto v = value_.get<std::uint64_t>(); std::in_range<T>(v)) return static_cast<T>(v);
    } else if (value_.is_number_integer()) {
      if (const auto v = value_.get<std::int64_t>(); std::in_range<T>(v)) return static_cast<T>(v);
    } else if (value_.is_number_float()) {
      // All powers of two: exact.
      const double v = value_.get<double>(), end = std::ldexp(1.0, std::numeric_limits<T>::digits);
      if (std::trunc(v) == v && v < end && v >= (std::signed_integral<T> ? -end : 0.0))
        return static_cast<T>(v);
    }
    throw nlohmann::json::other_error::create(501, "a whole number is none, or out of all bounds", &value_);
  }

 private:
  const nlohmann::json& value_;
};

// The same, of what may be something else.
template <Counting T>
[[nodiscard]] std::optional<T> optionalWhole(const nlohmann::json& j) {
  try {
    return static_cast<T>(Whole(j));
  } catch (const nlohmann::json::exception&) {
    return std::nullopt;
  }
}

template <class Three>
[[nodiscard]] nlohmann::json threeNumbers(const Three& v) {
  return {number(v[0]), number(v[1]), number(v[2])};
}

}  // namespace edge
