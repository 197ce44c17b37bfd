// Under what words the results of a configuration are stored.
#pragma once
#include <string>

namespace edge {

inline constexpr const char* kWedgeResult = "wedge";  // with its raster behind it where it was resampled
inline constexpr const char* kBlackResult = "black";  // the cap-on clip at the places of the wedge
inline constexpr const char* kLatitudeResult = "latitude";
inline constexpr const char* kLookResult = "latitude under the look";

// A range is worked out of these alone.
[[nodiscard]] inline bool isOfRange(const std::string& kind) {
  return kind.starts_with(kWedgeResult) || kind == kBlackResult;
}
// What is measured of a configuration's own clips; noise has results of its own.
[[nodiscard]] inline bool isOfClips(const std::string& kind) {
  return isOfRange(kind) || kind == kLatitudeResult || kind == kLookResult;
}

}  // namespace edge
