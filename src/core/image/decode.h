// From native code values to code (0..1 of its range) and to scene-linear, by tables built once per clip.
// Y'CbCr is converted exactly here (legal Y' = (Y-16s)/(219s), C = (C-128s)/(224s), s = 2^(depth-8)), never
// by a scaler.
#pragma once
#include <array>
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "color/curve.h"
#include "image/frame.h"
#include "image/region.h"

namespace edge {

// Pixels of a clip to one of a delivery raster.
struct RasterFactor {
  double x = 1, y = 1;
  [[nodiscard]] bool none() const { return x == 1 && y == 1; }
};
// From so many pixels. Errors: a raster larger than they are.
[[nodiscard]] RasterFactor factorOf(int width, int height, const std::optional<Raster>& raster);

// How a clip is to be understood. Everything explicit: nothing is guessed from a file's colour tags but the
// range and the matrix, and those only where the user says auto.
struct DecodeOptions {
  std::string curve;                   // name or file
  std::optional<Range> range;          // nullopt: auto (as tagged; untagged Y'CbCr legal, all else full)
  std::optional<Primaries> matrix;     // nullopt: auto (as tagged; untagged BT.709)
  std::optional<Primaries> primaries;  // nullopt: those of the matrix
  // Raw: gains of R, G, B that every clip is developed with, and the clip that they are read from where they
  // are not given (`resolved` of recover/clip_decode.h). Neither: each clip by its own.
  std::optional<std::array<double, 3>> whiteBalance{};
  std::filesystem::path developedLike{};
};

// The channels a region is measured in. Mosaic clips: R, G1, G2, B at each site of the 2x2 cells, half the
// raster; Y of the picture developed by cell (white-balanced, matrixed, greens averaged, not interpolated).
enum class Channel { R, G, G2, B, Y };

// A rectangle of one frame, planar. `code` is filled for channels whose values are recorded codes.
struct Block {
  int width = 0, height = 0;
  std::vector<float> linear[5];  // by Channel
  std::vector<float> code[5];
};

// The block on a coarser raster: each pixel the mean of the area it covers. Factors >= 1; what is left over
// at the edges is dropped.
[[nodiscard]] Block resampled(const Block& block, double fx, double fy);

class Decoder {
 public:
  Decoder(const PixelFormat& format, const DecodeOptions& options);

  [[nodiscard]] const PixelFormat& format() const { return format_; }
  [[nodiscard]] const Curve& curve() const { return *curve_.curve; }
  [[nodiscard]] const std::string& curveName() const { return curve_.name; }
  [[nodiscard]] Range range() const { return range_; }
  [[nodiscard]] Primaries matrix() const { return matrix_; }
  [[nodiscard]] Primaries primaries() const { return primaries_; }
  [[nodiscard]] bool mosaic() const { return format_.layout == Layout::Cfa; }
  // Code steps from 0 to 1 of the code value; 0 where the codes are floating point (no quantisation to speak
  // of).
  [[nodiscard]] double levels() const { return levels_; }
  // The highest code value the format can hold (1 in full range); 0 where it is floating point.
  [[nodiscard]] double topCode() const;
  [[nodiscard]] std::vector<Channel> channels() const;

  // Fills the block with the pixels of `area` (even-aligned; in full-raster pixels also for mosaics, whose
  // block is half as large). Throws Error when a sample is not a finite number.
  void readBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const;

  // One row of developed R, G, B for showing and scoring: scene-linear and code, interleaved. For a mosaic x
  // and y count 2x2 cells. 4:2:2: chroma is interpolated; with `pairCodes` the codes (not the light) average
  // luma over the chroma pair first, by which clipping is counted.
  void readRow(const Frame& frame, int y, int x0, int x1, float* linearRgb, float* codeRgb,
               bool pairCodes) const;

  // Raster of developed pictures: the clip's, halved for a mosaic.
  [[nodiscard]] int developedWidth() const { return mosaic() ? format_.width / 2 : format_.width; }
  [[nodiscard]] int developedHeight() const { return mosaic() ? format_.height / 2 : format_.height; }

 private:
  void buildSampleTables();
  void buildFineTable();
  void readRgbRow(const Frame& f, int y, int x0, int x1, float* linear, float* code) const;
  // One row of Y'CbCr, planar.
  struct CodeRow {
    std::vector<float> luma, cb, cr, rgb[3];
  };
  void scaledSamples(const ChannelView& v, int x0, int y, int n, float scale, float offset, float* out) const;
  void readChroma(const ChannelView& v, int y, int x0, int x1, bool between, std::vector<float>& out) const;
  void readYuvCodes(const Frame& f, int y, int x0, int x1, bool pair, CodeRow& out) const;
  void readYuvRow(const Frame& f, int y, int x0, int x1, float* linear, float* code, bool pair) const;
  void readMosaicBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const;
  void readYuvBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const;
  void readRgbBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const;
  void addLuma(Block& out) const;
  void fineRow(const std::vector<float>& code, float* linear) const;
  void readSite(const Frame& f, int s, int cellY, int x0, int x1, float* out) const;
  void readCfaRow(const Frame& f, int cellY, int x0, int x1, float* const site[4], float* rgb) const;
  [[nodiscard]] float fineLinear(float code) const;
  void checkFinite(const Frame& frame, const Rect& area, const Block& block) const;

  PixelFormat format_;
  NamedCurve curve_;
  Range range_ = Range::Full;
  Primaries matrix_ = Primaries::Bt709, primaries_ = Primaries::Bt709;
  double levels_ = 0;
  float codeScale_ = 1, codeOffset_ = 0;          // integer sample to code
  std::vector<float> sampleCode_, sampleLinear_;  // by integer (or half-float bit pattern) sample
  std::vector<float> fine_;                       // code -0.5..1.5 to linear, for computed R'G'B'
  std::array<int, 4> siteChannel_{};              // mosaic site to Channel
};

}  // namespace edge
