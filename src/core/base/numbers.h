// Numbers as people and files write them, read the same in every locale.
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace edge {

// A finite decimal number with point or comma; the whole text must be the number. nullopt otherwise.
[[nodiscard]] std::optional<double> parseNumber(std::string_view text);

// Fixed decimals, with a point: "12.3".
[[nodiscard]] std::string formatNumber(double value, int decimals);

// Fixed decimals with a sign: "+1.0", a true minus sign for negative values.
[[nodiscard]] std::string formatSigned(double value, int decimals);

// Stops as they are spoken: "+3 1/3", "−2", "+0.25".
[[nodiscard]] std::string formatStops(double stops);

[[nodiscard]] std::string trim(std::string_view text);
[[nodiscard]] std::string lower(std::string_view text);
[[nodiscard]] std::vector<std::string> splitWords(std::string_view text);
[[nodiscard]] std::vector<std::string> split(std::string_view text, char separator);

}  // namespace edge
