// A frame as a spot meter sees it: log2(mean scene-linear luma of a small disc / 0.18), stops from grey.
#pragma once
#include <filesystem>
#include <optional>
#include <vector>

#include "base/progress.h"
#include "image/decode.h"

namespace edge {

struct SpotFrame {
  int width = 0, height = 0;
  std::vector<float> luma;     // scene-linear
  std::vector<bool> atTheEnd;  // a channel has ended there
};
// Errors: the frame can't be read or decoded.
[[nodiscard]] SpotFrame readSpotFrame(const std::filesystem::path& clip, const DecodeOptions& decode,
                                      std::int64_t number, const Progress& progress);

inline constexpr double kSpotRadius = 0.01;  // of the picture's height: a degree of about fifty
struct SpotReading {
  double stops = 0;      // from grey, of the mean
  bool clipped = false;  // more than a hundredth of it is at a channel's end: the tone is brighter than this
};
// x, y: shares of width and height. nullopt: outside, or no light above nothing.
[[nodiscard]] std::optional<SpotReading> spotAt(const SpotFrame& frame, double x, double y,
                                                double radius = kSpotRadius);

}  // namespace edge
