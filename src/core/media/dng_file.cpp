// DNG mosaics through LibRaw, bit-exact and untouched: no interpolation, no clipping of what lies below
// black.
#include <fmt/format.h>
#include <libraw/libraw.h>

#include <cmath>

#include "base/error.h"
#include "base/files.h"
#include "media/dng_streams.h"
#include "media/readers.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

[[noreturn]] void refuse(const fs::path& file, const std::string& what, const std::string& remedy) {
  throw Error(what, file.string(), "", remedy);
}

void require(int code, const fs::path& file, const char* place) {
  if (code != LIBRAW_SUCCESS)
    throw Error(std::string("the raw frame can't be read: ") + libraw_strerror(code), file.string(), place,
                "copy it again from the source; DNG mosaics are read");
}

// XYZ to linear BT.709 after the camera's own white is made neutral: rows of the result sum to 1.
std::optional<Mat3> cameraToBt709(const libraw_colordata_t& color) {
  Mat3 xyzToCamera{};
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) xyzToCamera[i][j] = color.dng_color[0].colormatrix[i][j];
  Mat3 rgbToCamera = multiply(xyzToCamera, rgbToXyz(Primaries::Bt709));
  for (auto& row : rgbToCamera) {
    const double sum = row[0] + row[1] + row[2];
    if (!std::isfinite(sum) || std::abs(sum) < 1e-9) return std::nullopt;
    for (auto& v : row) v /= sum;
  }
  return inverse(rgbToCamera);
}

PixelFormat formatOf(LibRaw& raw, const fs::path& file) {
  const auto& sizes = raw.imgdata.sizes;
  const auto& color = raw.imgdata.color;
  if (raw.imgdata.idata.filters == 0 || raw.imgdata.idata.filters == 9)
    refuse(file, "this raw frame has no 2x2 mosaic", "give a Bayer mosaic, or convert to OpenEXR");
  requireSaneSize(file, sizes.width, sizes.height);
  PixelFormat f;
  f.layout = Layout::Cfa;
  f.sample = SampleType::U16;
  f.width = sizes.width & ~1, f.height = sizes.height & ~1;
  f.white = color.maximum;
  for (int s = 0; s < 4; ++s) {
    const int row = s >> 1, col = s & 1, index = raw.COLOR(row, col);
    f.cfa[s] = index == 0 ? 'R' : index == 2 ? 'B' : 'G';
    f.black[s] = color.black + color.cblack[index];
    if (color.cblack[4] > 0 && color.cblack[5] > 0)
      f.black[s] += color.cblack[6 + (row % color.cblack[4]) * color.cblack[5] + col % color.cblack[5]];
    if (!(f.white > f.black[s]))
      refuse(file, "white level at or below black level", "check the camera's DNG writer");
  }
  f.bitDepth = std::max(1, static_cast<int>(std::ceil(std::log2(f.white + 1))));
  f.baselineExposureStops =
      std::isfinite(color.dng_levels.baseline_exposure) && std::abs(color.dng_levels.baseline_exposure) < 16
          ? color.dng_levels.baseline_exposure
          : 0;
  const float* neutral = color.dng_levels.asshotneutral;
  if (neutral[0] > 0 && neutral[1] > 0 && neutral[2] > 0)
    f.whiteBalance = {neutral[1] / neutral[0], 1, neutral[1] / neutral[2]};
  f.cameraToRgb = cameraToBt709(color);
  return f;
}

}  // namespace

DecodedStill readDng(const fs::path& file, bool headerOnly) {
  requireReadable(file);
  const auto raw = std::make_shared<LibRaw>(LIBRAW_OPIONS_NO_DATAERR_CALLBACK);  // it says so on stderr
  require(raw->open_file(file.c_str()), file, "header");
  DecodedStill still;
  still.format = formatOf(*raw, file);
  still.pixelFormatName = fmt::format("cfa {} bit", still.format.bitDepth);
  const auto& id = raw->imgdata.idata;
  still.metadata = {{"Make", id.make},
                    {"Model", id.model},
                    {"Software", id.software},
                    {"ISO", fmt::format("{:g}", raw->imgdata.other.iso_speed)}};
  if (headerOnly) return still;
  requireWholeStreams(file);
  const int before = raw->error_count();
  require(raw->unpack(), file, "pixels");
  // Codes that mean nothing, and an end before the last row, are filled up with anything and called success.
  if (raw->error_count() != before)
    throw Error("the raw frame's pixels are damaged", file.string(), "pixels",
                "copy it again from the source");
  const auto& data = raw->imgdata.rawdata;
  if (!data.raw_image) refuse(file, "the frame is not a mosaic", "convert it to OpenEXR");
  const auto& sizes = raw->imgdata.sizes;
  const std::ptrdiff_t pitch = sizes.raw_pitch;
  const auto* origin = reinterpret_cast<const std::byte*>(data.raw_image) + sizes.top_margin * pitch +
                       static_cast<std::ptrdiff_t>(sizes.left_margin) * 2;
  still.frame.channels.push_back({origin, pitch, 2, still.format.width, still.format.height});
  still.frame.owner = raw;
  return still;
}

}  // namespace edge
