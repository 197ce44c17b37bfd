// A frame made visible: decoded, brought back, under the display transform. For looking, not for measuring.
#pragma once
#include <cstdint>
#include <filesystem>
#include <string>
#include <vector>

#include "base/progress.h"
#include "image/decode.h"
#include "recover/correction.h"

namespace edge {

struct Picture {
  int width = 0, height = 0;
  std::vector<std::uint8_t> rgb;  // interleaved, display code 0..255
};

// Frame `number` of the clip at its own (developed) raster, corrected, then the display transform. `log`: the
// encoding the correction works in (logEncodingOf).
[[nodiscard]] Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& decode,
                                    std::int64_t number, const Correction& correction,
                                    const std::string& display, const Progress& progress);
// As shot but for exposure: (linear - q)/k.
[[nodiscard]] Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& decode,
                                    std::int64_t number, double k, double q, const std::string& display,
                                    const Progress& progress);

}  // namespace edge
