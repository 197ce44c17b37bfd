// What cameras write: movies and raw frames. Used by the simulated cameras.
#pragma once
#include <cstdint>
#include <filesystem>
#include <memory>
#include <vector>

#include "image/frame.h"

namespace edge {

// Ten-bit 4:2:2 Y'CbCr, BT.709, legal range, FFV1 in Matroska (bit-exact).
class MovieWriter {
 public:
  MovieWriter(const std::filesystem::path& file, int width, int height, int fps);
  ~MovieWriter();
  MovieWriter(const MovieWriter&) = delete;
  MovieWriter& operator=(const MovieWriter&) = delete;

  // Planes of width*height luma and (width/2)*height chroma codes.
  void add(const std::vector<std::uint16_t>& y, const std::vector<std::uint16_t>& cb,
           const std::vector<std::uint16_t>& cr);
  void finish();

 private:
  std::unique_ptr<class MovieSink> sink_;
};

struct DngDescription {
  int width = 0, height = 0;
  std::array<char, 4> cfa = {'R', 'G', 'G', 'B'};
  double black = 0, white = 65535;
  std::array<double, 3> asShotNeutral = {1, 1, 1};
  Mat3 xyzToCamera{};
  double baselineExposureStops = 0;
  int iso = 0;
  std::string model;
};

// One uncompressed sixteen-bit mosaic (DNG 1.4). Errors: no room, no permission.
void writeDng(const std::filesystem::path& file, const DngDescription& description,
              const std::vector<std::uint16_t>& mosaic);

}  // namespace edge
