// Readout time of a rolling shutter from the bars of a strobe of known frequency (docs/method.md, "Readout"):
//   readout = (rows / rows per strobe period) / frequency, at most 1 / frame rate
// The period is that of the row means of each frame: a strobe at a multiple of the frame rate stands still,
// so that nothing is ever subtracted that was averaged over time.
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/warning.h"
#include "image/decode.h"
#include "media/clip.h"

namespace edge {

enum class ReadoutDirection { TopToBottom, BottomToTop };
[[nodiscard]] const char* wordOf(ReadoutDirection d);  // "top-to-bottom"

// Mean level of each row, by frame; rows of the file (a mosaic's cells count two).
struct RowTraces {
  double fps = 0;  // 0: not known
  int rows = 0;    // of the file
  double rowsPerSample = 1;
  std::vector<std::vector<double>> frames;
  MissingFrames missing{};
};

struct Readout {
  std::optional<double> rowsPerPeriod, milliseconds;  // nothing: no bars, or too few of them
  double periodSigma = 0, millisecondsSigma = 0;
  // Nothing: the bars stand still, move by half a period, or frames between are missing.
  std::optional<ReadoutDirection> direction;
  double contrast = 0;         // amplitude of the bars over the mean level
  std::vector<double> phases;  // of the bars at the first row, in periods, by frame
  std::vector<Warning> warnings;
};

// Errors: unreadable frames.
[[nodiscard]] RowTraces measureRows(ClipReader& reader, const DecodeOptions& decode, FrameWindow window,
                                    const Progress& progress);
// Pure arithmetic. strobeHz: flashes per second.
[[nodiscard]] Readout readoutOf(const RowTraces& traces, double strobeHz);

[[nodiscard]] nlohmann::json readoutJson(const RowTraces& traces, const Readout& readout);

}  // namespace edge
