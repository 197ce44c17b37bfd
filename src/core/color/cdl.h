// ASC CDL 1.2: ten numbers that grade code values.
//   out = clamp(in * slope + offset)^power                        per channel
//   out = luma + saturation * (out - luma)                        luma = 0.2126 R + 0.7152 G + 0.0722 B
// both clamped to 0..1.
#pragma once
#include "color/primaries.h"

namespace edge {

struct Cdl {
  Vec3 slope{1, 1, 1}, offset{0, 0, 0}, power{1, 1, 1};
  double saturation = 1;
  [[nodiscard]] Vec3 apply(const Vec3& code) const;
};

}  // namespace edge
