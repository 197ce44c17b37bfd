// A frame made visible: decoded, brought back, under the display transform. For looking, not for measuring.
#pragma once
#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "base/progress.h"
#include "image/decode.h"
#include "media/clip.h"
#include "recover/correction.h"
#include "recover/reducer.h"

namespace edge {

struct Picture {
  int width = 0, height = 0;
  std::vector<std::uint8_t> rgb;  // interleaved, display code 0..255
};

// Of raw clips: channels at their end as they are, or rebuilt from those left, or so and tinted where
// rebuilt.
enum class Recovery { Off, On, Tinted };

// Frame `number` of the clip at its own (developed) raster, corrected, then the display transform. `log`: the
// encoding the correction works in (logEncodingOf).
[[nodiscard]] Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& decode,
                                    std::int64_t number, const Correction& correction,
                                    const std::string& display, const Progress& progress,
                                    Recovery recovery = Recovery::Off);
// An area of the developed picture in every frame of a window, for playing from memory.
[[nodiscard]] std::vector<Picture> renderFrames(const std::filesystem::path& clip,
                                                const DecodeOptions& decode, FrameWindow window,
                                                const Rect& area, const Correction& correction,
                                                const std::string& display, const Progress& progress);
// One frame of the same in the middle of those that a rung of the neutral reducer looks at together. As for
// looking: reduced in bands of eight-bit display code. Throws Error: fewer frames than the rung needs.
[[nodiscard]] Picture renderReduced(const std::filesystem::path& clip, const DecodeOptions& decode,
                                    FrameWindow window, const Correction& correction,
                                    const std::string& display, const Rung& rung, const Progress& progress);
// As shot but for exposure: (linear - q)/k.
[[nodiscard]] Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& decode,
                                    std::int64_t number, double k, double q, const std::string& display,
                                    const Progress& progress);

}  // namespace edge
