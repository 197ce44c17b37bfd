// Frames of a clip that are not there: damaged ones, which are passed over, and those promised after the
// last.
#pragma once
#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/warning.h"

namespace edge {

struct MissingFrames {
  std::int64_t count = 0;
  std::optional<std::int64_t> firstDamaged;  // its number, from 0; nothing: the clip only ends early
};

// What to say of some: one sentence, with its remedy.
[[nodiscard]] std::string wordsOf(const MissingFrames& missing);
// The same as a warning, where there are any.
inline constexpr const char* kTruncated = "truncated";
void warnOf(const MissingFrames& missing, const std::string& where, std::vector<Warning>& warnings);

// As members of a stored object: "missing_frames", and "damaged_frame" where there is one.
void store(nlohmann::json& object, const MissingFrames& missing);
[[nodiscard]] MissingFrames missingFrom(const nlohmann::json& object);

}  // namespace edge
