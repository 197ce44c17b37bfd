// Decode options as they stand in the project file.
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "image/decode.h"

namespace edge {

[[nodiscard]] nlohmann::json toJson(const DecodeOptions& d);
[[nodiscard]] DecodeOptions decodeFromJson(const nlohmann::json& j);

}  // namespace edge
