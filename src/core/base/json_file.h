// JSON from outside: bounded in size and depth before it is parsed, errors with line and column.
#pragma once
#include <cstdint>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <string>

namespace edge {

inline constexpr std::uintmax_t kMostJsonBytes = 4u << 20;
inline constexpr int kDeepestJson = 16;

// name: of the file, for its errors. Errors: not JSON, nested too deeply, a number out of range.
[[nodiscard]] nlohmann::json parseJson(const std::string& text, const std::string& name,
                                       int deepest = kDeepestJson);
// Errors as parseJson and readText.
[[nodiscard]] nlohmann::json readJsonFile(const std::filesystem::path& file,
                                      std::uintmax_t mostBytes = kMostJsonBytes, int deepest = kDeepestJson);

}  // namespace edge
