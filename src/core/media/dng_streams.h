// What is compressed in a DNG, held against itself before it is decoded.
#pragma once
#include <cstdint>
#include <filesystem>

namespace edge {

inline constexpr std::uint16_t kPhotometricCfa = 32803;  // DNG 1.4, "PhotometricInterpretation"

// Throws where a mosaic's lossless JPEG streams are not whole (jpeg_scan.h). Other compressions, and folders
// that can't be read, are left to the decoder.
void requireWholeStreams(const std::filesystem::path& file);

}  // namespace edge
