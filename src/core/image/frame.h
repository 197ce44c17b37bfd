// A frame in native code values, as decoded, and what its values mean. Views into buffers, never copies of a
// clip.
#pragma once
#include <array>
#include <cstddef>
#include <cstdint>
#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "color/primaries.h"

namespace edge {

// Of a delivery, in pixels.
struct Raster {
  int width = 0, height = 0;
};

enum class SampleType { U8, U16, F16, F32 };
enum class Layout { Rgb, Grey, Yuv, Cfa };
enum class Range { Full, Legal };

// One component: `stepBytes` from sample to sample, `rowBytes` from row to row.
struct ChannelView {
  const std::byte* data = nullptr;
  std::ptrdiff_t rowBytes = 0;
  int stepBytes = 0;
  int width = 0, height = 0;
};

struct Frame {
  std::int64_t number = 0;            // from 0, in the clip
  std::vector<ChannelView> channels;  // R G B | grey | Y Cb Cr | mosaic
  std::shared_ptr<const void> owner;  // keeps the samples alive
};

// What the samples of every frame of a clip are. Two clips with equal formats decode alike.
struct PixelFormat {
  int width = 0, height = 0;
  Layout layout = Layout::Rgb;
  SampleType sample = SampleType::U16;
  int bitDepth = 16;        // significant bits of the code; 16 or 32 for floating point
  bool scaledTo16 = false;  // the reader expanded the code to 16 bit (ten-bit DPX)
  int chromaShiftX = 0, chromaShiftY = 0;
  std::optional<Range> range;       // as tagged by the file; nullopt: unknown
  std::optional<Primaries> matrix;  // as tagged; of Y'CbCr
  // Mosaic only. Sites in reading order of the 2x2 cell: top left, top right, bottom left, bottom right.
  std::array<char, 4> cfa{};                       // 'R', 'G' or 'B'
  std::array<double, 4> black{};                   // code value of no light at each site
  double white = 0;                                // code value of the full scale
  std::array<double, 3> whiteBalance = {1, 1, 1};  // gains of R, G, B; green 1
  std::optional<Mat3> cameraToRgb;   // white-balanced camera R, G, B to linear BT.709, rows sum to 1
  double baselineExposureStops = 0;  // full scale stands for 2^this in scene-linear

  [[nodiscard]] bool isFloat() const { return sample == SampleType::F16 || sample == SampleType::F32; }
  // Chroma of lower resolution than luma: channel noise is not to be read (docs/method.md, "Decoding").
  [[nodiscard]] bool subsampled() const { return chromaShiftX > 0 || chromaShiftY > 0; }
  [[nodiscard]] bool sameAs(const PixelFormat& o) const {
    return width == o.width && height == o.height && layout == o.layout && sample == o.sample &&
           bitDepth == o.bitDepth && cfa == o.cfa;
  }
};

}  // namespace edge
