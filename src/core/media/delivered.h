// Frames as a web or broadcast encode would show them: encoded and decoded again by the codec library, at a
// bit rate that is chosen. For looking, never for measuring.
#pragma once
#include <cstdint>
#include <span>
#include <string>
#include <vector>

#include "base/progress.h"

namespace edge {

enum class Encode { Web, Broadcast };
struct EncodeSpec {
  Encode id;
  const char* key;
  const char* words;  // the published standard and the sampling
  double megabits;    // a second at 1920 x 1080, common practice
};
// In the order of Encode.
[[nodiscard]] std::span<const EncodeSpec> encodes();
[[nodiscard]] const EncodeSpec& specOf(Encode encode);

struct Encoded {
  std::vector<std::vector<std::uint8_t>> frames;  // interleaved R, G, B, display code, as many as went in
  double megabits = 0;                            // a second, as it came out
};
// All frames of one even size. ITU-R BT.709 Y'CbCr, eight bits, legal range; chroma of pairs and rows is
// their mean, and is shown without being interpolated. Errors: the encoder is not there, odd sizes, no
// frames.
[[nodiscard]] Encoded throughEncode(Encode encode, double megabits, int width, int height, double fps,
                                    const std::vector<std::vector<std::uint8_t>>& frames,
                                    const Progress& progress);

}  // namespace edge
