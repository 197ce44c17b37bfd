// Where a picture lies against another of the same framing: small shifts, found to a fraction of a pixel also
// where one of the two is nearly black (phase correlation for the start, OpenCV's enhanced correlation
// coefficient for the rest: Evangelidis and Psarakis 2008).
#pragma once
#include <optional>

#include "image/luma_picture.h"

namespace edge {

struct Shift {
  double dx = 0, dy = 0;   // of the second picture against the first, in pixels
  double correlation = 0;  // 1: alike; below kTrusted the shift means nothing
  static constexpr double kTrusted = 0.3;
};

// Both of one size. nullopt: nothing in common was found.
[[nodiscard]] std::optional<Shift> registerPictures(const LumaPicture& base, const LumaPicture& moved);

}  // namespace edge
