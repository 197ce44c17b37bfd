// The base's chart and objects carried over to another take of the same framing, nearly black ones included:
// its first frames are registered against the base, and everything moves, turns and grows along.
#pragma once
#include "chart/registration.h"
#include "recover/take.h"

namespace edge {

inline constexpr double kFollowFromPixels = 0.5;  // smaller shifts are the registration's own error

struct Followed {
  Chart chart;
  std::vector<Patch> regions;
  Framing framing;  // of the take against the base, in pixels of the clip
  bool moved = false;
};

// The first frames of the window as a small picture.
[[nodiscard]] LumaPicture firstPicture(const std::filesystem::path& clip, const DecodeOptions& decode,
                                       FrameWindow window, const Progress& progress);

// `base` as from firstPicture. Where nothing certain is found, chart and regions stay where they are.
// Corners that would leave the picture stay at its edge.
[[nodiscard]] Followed followFraming(const LumaPicture& base, const std::filesystem::path& clip,
                                     const DecodeOptions& decode, FrameWindow window, const Chart& chart,
                                     const std::vector<Patch>& regions, const Progress& progress);

}  // namespace edge
