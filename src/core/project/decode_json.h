// Decode options as they stand in the project file.
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>

#include "image/decode.h"

namespace edge {

[[nodiscard]] nlohmann::json toJson(const DecodeOptions& d);
[[nodiscard]] DecodeOptions decodeFromJson(const nlohmann::json& j);
// What stands for the content of its curve in the hash of a result's inputs: the file's hash, or a word of
// its absence where it can't be read, so that no stored result fits and measuring says why. Nothing for a
// curve by name. folder: where the path counts from.
[[nodiscard]] std::optional<std::string> curveContent(const DecodeOptions& d,
                                                      const std::filesystem::path& folder);

}  // namespace edge
