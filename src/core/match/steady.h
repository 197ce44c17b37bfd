// The part of a clip in which nothing happens but noise: after the slate and the hand that held it, before a
// lamp blinks or someone walks in.
#pragma once
#include "media/clip.h"

namespace edge {

// A frame as 32 x 18 levels, each from a few dozen samples.
[[nodiscard]] std::vector<float> thumbOf(const PixelFormat& format, const Frame& frame);

// Longest run of thumbs that are alike; a slow drift and a regular flicker are the clip's own and don't end
// it. count 0: to the end of what was given. Fewer than four thumbs: all of them.
[[nodiscard]] FrameWindow steadyPart(const std::vector<std::vector<float>>& thumbs);

}  // namespace edge
