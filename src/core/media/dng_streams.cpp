#include "media/dng_streams.h"

#include <tiffio.h>

#include <fstream>

#include "base/error.h"
#include "base/files.h"
#include "media/jpeg_scan.h"
#include "media/readers.h"

namespace edge {
namespace {

constexpr std::uint32_t kMostStreams = 65536;
constexpr std::uint64_t kLongestStream = 256u << 20;  // bytes; a longer one is not looked at
// Before DNG 1.1 a difference of category 16 was followed by sixteen bits.
constexpr std::uint8_t kSinceVersion[2] = {1, 1};

using Tiff = std::unique_ptr<TIFF, decltype(&TIFFClose)>;

// The library's own words go nowhere: not through its handlers, which are the whole process's.
int swallow(TIFF*, void*, const char*, const char*, va_list) {
  return 1;
}

Tiff openTiff(const std::filesystem::path& file) {
  const std::unique_ptr<TIFFOpenOptions, decltype(&TIFFOpenOptionsFree)> options(TIFFOpenOptionsAlloc(),
                                                                                 TIFFOpenOptionsFree);
  TIFFOpenOptionsSetErrorHandlerExtR(options.get(), swallow, nullptr);
  TIFFOpenOptionsSetWarningHandlerExtR(options.get(), swallow, nullptr);
  TIFFOpenOptionsSetMaxSingleMemAlloc(options.get(), static_cast<tmsize_t>(kLongestStream));
  return {TIFFOpenExt(file.c_str(), "r", options.get()), TIFFClose};
}

class Folder {
 public:
  Folder(TIFF* t, const std::filesystem::path& file)
      : t_(t), size_(std::filesystem::file_size(file)), in_(file, std::ios::binary) {}

  // Of the folder that is open now.
  const char* fault() {
    std::uint16_t photometric = 0, compression = 0;
    if (!TIFFGetField(t_, TIFFTAG_PHOTOMETRIC, &photometric) || photometric != kPhotometricCfa ||
        !TIFFGetField(t_, TIFFTAG_COMPRESSION, &compression) || compression != COMPRESSION_JPEG)
      return nullptr;
    const std::uint32_t count = TIFFIsTiled(t_) ? TIFFNumberOfTiles(t_) : TIFFNumberOfStrips(t_);
    for (std::uint32_t i = 0; i < std::min(count, kMostStreams); ++i)
      if (const char* fault = faultOf(TIFFGetStrileOffset(t_, i), TIFFGetStrileByteCount(t_, i)))
        return fault;
    return nullptr;
  }

 private:
  const char* faultOf(std::uint64_t offset, std::uint64_t bytes) {
    if (offset > size_ || bytes > size_ - offset) return "the file ends before its pixels do";
    if ((all_ += bytes) > size_) return "its parts lie over each other";
    if (bytes > kLongestStream) return nullptr;
    stream_.resize(bytes);
    in_.clear();
    in_.seekg(static_cast<std::streamoff>(offset));
    in_.read(stream_.data(), static_cast<std::streamsize>(bytes));
    return faultOfLosslessJpeg({stream_.data(), static_cast<size_t>(in_.gcount())});
  }

  TIFF* t_;
  std::uint64_t size_, all_ = 0;
  std::ifstream in_;
  std::string stream_;
};

}  // namespace

void requireWholeStreams(const std::filesystem::path& file) {
  const Tiff t = openTiff(file);
  if (!t) return;
  const std::uint8_t* version = nullptr;
  if (!TIFFGetField(t.get(), TIFFTAG_DNGVERSION, &version) ||
      std::lexicographical_compare(version, version + 2, kSinceVersion, kSinceVersion + 2))
    return;
  std::vector<std::uint64_t> folders{0};
  std::uint16_t count = 0;
  const std::uint64_t* offsets = nullptr;
  if (TIFFGetField(t.get(), TIFFTAG_SUBIFD, &count, &offsets))
    folders.insert(folders.end(), offsets, offsets + count);
  Folder streams(t.get(), file);
  for (const std::uint64_t folder : folders) {
    if (folder && !TIFFSetSubDirectory(t.get(), folder)) continue;
    if (const char* fault = streams.fault())
      throw Error(std::string("the raw frame's pixels are damaged: ") + fault, file.string(), "pixels",
                  "copy it again from the source");
  }
}

}  // namespace edge
