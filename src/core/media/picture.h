// What all readers of single pictures share, whichever library decodes them. Inside of their module.
#pragma once
#include <cstddef>
#include <filesystem>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "media/readers.h"

namespace edge {

// Of interleaved samples: 1, 3 or 4 channels, the fourth left out. Throws Error for others, and for sides
// that are no picture's.
[[nodiscard]] PixelFormat pictureFormat(const std::filesystem::path& file, int width, int height,
                                        int channels, SampleType sample, int bitDepth);
// Throws Error where no coding could pack so many bytes of pixels into this file.
void requirePlausible(const std::filesystem::path& file, std::uint64_t pixelBytes);
// The picture of those samples, whose rows follow each other without a gap.
[[nodiscard]] Frame interleaved(std::shared_ptr<std::vector<std::byte>> samples, const PixelFormat& format,
                                int channels);
// So much of it as anybody reads.
void addMetadata(std::map<std::string, std::string>& to, const std::string& key, const std::string& text);

// PNG. `headerOnly` leaves the frame empty.
[[nodiscard]] DecodedStill readPng(const std::filesystem::path& file, bool headerOnly);

}  // namespace edge
