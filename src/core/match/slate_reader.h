// Slates found in clips: a few frames of the first seconds, noise averaged away, contrast brought up, read by
// ZXing at several sizes (Debian's OpenCV finds QR symbols but is built without its decoder).
#pragma once
#include <cstdint>
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "media/clip.h"
#include "shoot/slate_code.h"

namespace edge {

struct GreyPicture {
  int width = 0, height = 0;
  std::vector<float> level;  // any monotone scale
};

// Every different text in the picture; thorough: blurred and enlarged as well. Never throws for what is in
// the picture.
[[nodiscard]] std::vector<std::string> readQrTexts(const GreyPicture& picture, bool thorough = true);

// Native codes of one frame as a grey picture of at most maxSide pixels a side (means of blocks).
[[nodiscard]] GreyPicture greyOf(const PixelFormat& format, const Frame& frame, int maxSide = 1280);

// The picture on codes from 0 to 1 (mosaics and scene-linear frames: the square root of light), at most
// maxSide pixels a side.
[[nodiscard]] GreyPicture smallCodes(const PixelFormat& format, const GreyPicture& picture, int maxSide);

// Level of one sample (green, luma or a mosaic site) on the same scale.
[[nodiscard]] float levelAt(const PixelFormat& format, const Frame& frame, int x, int y);

struct SlateFinding {
  std::vector<SlateCode> slates;     // different ones, as found; more than one is a conflict
  std::vector<std::string> strange;  // QR texts that are no slate of ours, or of a newer version
  std::int64_t lastFrame = -1;       // last frame on which a slate was seen
  std::int64_t framesLooked = 0;
  FrameWindow steady;  // of the clip, after the slate; count 0: to its end
  GreyPicture seen;    // the last frame that was looked at, small: codes from 0 to 1
};
inline constexpr int kSeenSide = 96;  // pixels, at most

// Looks at the first `seconds` of the clip, whose reader stands at its start; of large frames, which take
// most of a second each, at the first two and at one a second. Errors: the clip has no frames.
[[nodiscard]] SlateFinding findSlate(ClipReader& reader, double seconds, const Progress& progress);
// As above. Errors: the clip can't be opened.
[[nodiscard]] SlateFinding findSlate(const std::filesystem::path& clip, double seconds,
                                     const Progress& progress);

}  // namespace edge
