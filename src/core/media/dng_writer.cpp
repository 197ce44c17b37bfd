#include <tiffio.h>

#include <algorithm>
#include <cstring>

#include "base/error.h"
#include "base/files.h"
#include "media/dng_streams.h"
#include "media/writers.h"

namespace edge {
namespace {

constexpr std::uint16_t kIlluminantD65 = 21;  // EXIF LightSource
constexpr std::uint8_t kVersion[4] = {1, 4, 0, 0}, kBackward[4] = {1, 1, 0, 0};

void setTags(TIFF* t, const DngDescription& d) {
  TIFFSetField(t, TIFFTAG_IMAGEWIDTH, d.width);
  TIFFSetField(t, TIFFTAG_IMAGELENGTH, d.height);
  TIFFSetField(t, TIFFTAG_BITSPERSAMPLE, 16);
  TIFFSetField(t, TIFFTAG_SAMPLESPERPIXEL, 1);
  TIFFSetField(t, TIFFTAG_COMPRESSION, COMPRESSION_NONE);
  TIFFSetField(t, TIFFTAG_PHOTOMETRIC, kPhotometricCfa);
  TIFFSetField(t, TIFFTAG_PLANARCONFIG, PLANARCONFIG_CONTIG);
  TIFFSetField(t, TIFFTAG_SUBFILETYPE, 0);
  TIFFSetField(t, TIFFTAG_ORIENTATION, ORIENTATION_TOPLEFT);
  TIFFSetField(t, TIFFTAG_ROWSPERSTRIP, d.height);
  TIFFSetField(t, TIFFTAG_MAKE, "Rope Works");
  TIFFSetField(t, TIFFTAG_MODEL, d.model.c_str());
  TIFFSetField(t, TIFFTAG_UNIQUECAMERAMODEL, d.model.c_str());
  TIFFSetField(t, TIFFTAG_SOFTWARE, "Edge Test simulated camera");
  TIFFSetField(t, TIFFTAG_DNGVERSION, kVersion);
  TIFFSetField(t, TIFFTAG_DNGBACKWARDVERSION, kBackward);
  const std::uint16_t dim[2] = {2, 2};
  TIFFSetField(t, TIFFTAG_CFAREPEATPATTERNDIM, dim);
  std::uint8_t pattern[4];
  std::transform(d.cfa.begin(), d.cfa.end(), pattern, [](char c) { return c == 'R' ? 0 : c == 'G' ? 1 : 2; });
  TIFFSetField(t, TIFFTAG_CFAPATTERN, 4, pattern);
  const float black[4] = {static_cast<float>(d.black), static_cast<float>(d.black),
                          static_cast<float>(d.black), static_cast<float>(d.black)};
  TIFFSetField(t, TIFFTAG_BLACKLEVELREPEATDIM, dim);
  TIFFSetField(t, TIFFTAG_BLACKLEVEL, 4, black);
  const auto white = static_cast<std::uint32_t>(d.white);
  TIFFSetField(t, TIFFTAG_WHITELEVEL, 1, &white);
  float matrix[9], neutral[3];
  for (int i = 0; i < 9; ++i) matrix[i] = static_cast<float>(d.xyzToCamera[i / 3][i % 3]);
  for (int i = 0; i < 3; ++i) neutral[i] = static_cast<float>(d.asShotNeutral[i]);
  TIFFSetField(t, TIFFTAG_COLORMATRIX1, 9, matrix);
  TIFFSetField(t, TIFFTAG_ASSHOTNEUTRAL, 3, neutral);
  TIFFSetField(t, TIFFTAG_CALIBRATIONILLUMINANT1, kIlluminantD65);
  TIFFSetField(t, TIFFTAG_BASELINEEXPOSURE, d.baselineExposureStops);
}

void writeExif(TIFF* t, const DngDescription& d) {
  // The EXIF folder is written after the picture and pointed to from the main one.
  std::uint64_t offset = 0;
  TIFFCreateEXIFDirectory(t);
  const auto iso = static_cast<std::uint16_t>(std::clamp(d.iso, 0, 65535));
  TIFFSetField(t, EXIFTAG_ISOSPEEDRATINGS, 1, &iso);
  TIFFWriteCustomDirectory(t, &offset);
  TIFFSetDirectory(t, 0);
  TIFFSetField(t, TIFFTAG_EXIFIFD, offset);
}

}  // namespace

void writeDng(const std::filesystem::path& file, const DngDescription& d,
              const std::vector<std::uint16_t>& mosaic) {
  const auto fail = [&] {
    return Error("can't write the raw frame", file.string(), "", "check free space and permission");
  };
  TIFFSetWarningHandler(nullptr);
  TIFFSetErrorHandler(nullptr);
  const std::unique_ptr<TIFF, decltype(&TIFFClose)> t(TIFFOpen(file.c_str(), "w"), TIFFClose);
  if (!t) throw fail();
  setTags(t.get(), d);
  const auto bytes = static_cast<tmsize_t>(mosaic.size() * sizeof(std::uint16_t));
  if (TIFFWriteEncodedStrip(t.get(), 0, const_cast<std::uint16_t*>(mosaic.data()), bytes) != bytes)
    throw fail();
  if (!TIFFWriteDirectory(t.get())) throw fail();
  writeExif(t.get(), d);
  if (!TIFFRewriteDirectory(t.get())) throw fail();
}

}  // namespace edge
