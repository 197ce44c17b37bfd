// The two kinds of reader behind openClip.
#pragma once
#include "media/clip.h"

namespace edge {

// One still decoded: format, samples, file metadata.
struct DecodedStill {
  PixelFormat format;
  Frame frame;
  std::string pixelFormatName;
  std::map<std::string, std::string> metadata;
};

// OpenEXR, TIFF, DPX, PNG. `headerOnly` leaves frame empty. Throws also where the library behind it is
// missing.
[[nodiscard]] DecodedStill readImage(const std::filesystem::path& file, bool headerOnly);
// DNG mosaics.
[[nodiscard]] DecodedStill readDng(const std::filesystem::path& file, bool headerOnly);

[[nodiscard]] std::unique_ptr<ClipReader> openStills(const std::filesystem::path& clip,
                                                     std::vector<std::filesystem::path> files);
[[nodiscard]] std::unique_ptr<ClipReader> openMovie(const std::filesystem::path& file);
// Loads the modules that these two want; else the first clip does. Errors: one can't be loaded.
void loadReaders();

// Sizes beyond these are taken for damage or attack.
inline constexpr int kMaxSide = 32768;
inline constexpr std::int64_t kMaxPixels = 268'435'456;

// Throws when a picture's size is absurd.
void requireSaneSize(const std::filesystem::path& file, std::int64_t width, std::int64_t height);

}  // namespace edge
