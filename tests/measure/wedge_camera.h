// A three-channel camera on a wedge, in every kind of file, sound or with one of the faults that spoil a
// range, and its analytic truth.
#pragma once
#include <filesystem>

#include "measure/range.h"
#include "support/support.h"

namespace edge {

enum class Making { Ends, RebuiltGrey, RebuiltGreen };
enum class Recording { Exr, Log16, Log10Tiff, Log10, Movie, Log8, Raw };

struct Wedge {
  double well = 20000, read = 2;  // electrons of green at light 1
  double over = 1.5;              // first step over the clip of green, in stops
  double step = 1, sigma = 0.01;
  int steps = 18;
  Recording recording = Recording::Log10;
  Making making = Making::Ends;
  bool clamp = false;     // scene-linear below zero is cut
  double blur = 0;        // sd in pixels of a filter on the picture
  double glare = 0;       // veiling light, of the clip of green
  double chartError = 0;  // sd of the steps about what the chart states, in stops
  double shoulder = 0;    // from this share of the clip on the response bends; 0: none
  double flicker = 0;     // sd of the light from frame to frame, relative
  double scale = 4;       // scene-linear of the clip of green
  bool black = false;     // a cap-on clip goes with it
  std::string decodeAs;   // a wrong curve; empty: the one it was recorded in
  int frames = 8, side = 48;
  std::uint64_t seed = 1;
};

inline constexpr double kRed = 2, kBlue = 1.6;  // white-balance gains: red and blue end so much later

[[nodiscard]] std::string wordOf(Recording r);

// Writes the clip, measures it and takes it away again.
RangeResult analyse(const Wedge& w, const std::filesystem::path& folder, WedgeMeasure* measure);

// Range of luma from the clip of green down to this SNR, in stops.
[[nodiscard]] double trueLumaRange(const Wedge& w, double snr);
// One channel on the mosaic (0 red, 1 green, 2 blue) from its own clip.
[[nodiscard]] double trueMosaicRange(const Wedge& w, int channel, double snr);

}  // namespace edge
