// A neutral noise reducer on a fixed ladder: what clean-up a take needs, and what it costs (docs/method.md,
// "Noise-reduction trial"). Non-local means over space and time (OpenCV) on display code, as delivered.
#pragma once
#include <span>

#include "recover/delivered_noise.h"

namespace edge {

struct Rung {
  const char* words;
  double strength;  // of display code, 0..1
  int frames;       // that are looked at together, odd
};
// From the gentlest to the strongest.
[[nodiscard]] std::span<const Rung> reducerLadder();

// Frames of display code reduced. apart: only such frames as share nothing with each other, so that their
// differences are noise; else up to kReducedFrames of them. Empty: too few frames for this rung.
inline constexpr int kReducedFrames = 4;
[[nodiscard]] CodeFrames reduced(const CodeFrames& codes, const Rung& rung, bool apart);

// The same area moving by kSmearStep pixels a frame: share of the contrast of its detail that the reducer
// takes beyond what it takes when the area stands still, 0..1. nullopt: too small or too few frames.
inline constexpr int kSmearStep = 3;
[[nodiscard]] std::optional<double> smearOf(const CodeFrames& codes, const Rung& rung);

}  // namespace edge
