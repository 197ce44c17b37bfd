#include "media/picture.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

// No coding of a picture packs it tighter; a header that promises more was damaged, or means to fill memory.
constexpr std::uint64_t kTightest = 4096;
constexpr size_t kMostMetadata = 200, kLongestMetadata = 400;

int bytesOf(SampleType sample) {
  return sample == SampleType::U8 ? 1 : sample == SampleType::F32 ? 4 : 2;
}

}  // namespace

PixelFormat pictureFormat(const fs::path& file, int width, int height, int channels, SampleType sample,
                          int bitDepth) {
  requireSaneSize(file, width, height);
  if (channels != 1 && channels != 3 && channels != 4)
    throw Error(fmt::format("{} channels", channels), file.string(), "",
                "give pictures of 1, 3 or 4 channels in 8 to 16 bit integer, half or float");
  PixelFormat f;
  f.width = width, f.height = height, f.sample = sample;
  f.layout = channels == 1 ? Layout::Grey : Layout::Rgb;
  f.bitDepth = f.isFloat() || sample == SampleType::U8 ? 8 * bytesOf(sample) : bitDepth;
  // The library expands odd depths to 16 bit.
  f.scaledTo16 = sample == SampleType::U16 && f.bitDepth < 16;
  return f;
}

void requirePlausible(const fs::path& file, std::uint64_t pixelBytes) {
  if (pixelBytes / kTightest > fs::file_size(file))
    throw Error("the file is too small for the picture it promises", file.string(),
                fmt::format("{} bytes for {}", fs::file_size(file), pixelBytes),
                "copy it again from the source");
}

Frame interleaved(std::shared_ptr<std::vector<std::byte>> samples, const PixelFormat& format, int channels) {
  const int sample = bytesOf(format.sample), pixel = sample * channels;
  Frame frame;
  for (int c = 0; c < std::min(channels, 3); ++c)
    frame.channels.push_back({samples->data() + c * sample, static_cast<std::ptrdiff_t>(pixel) * format.width,
                              pixel, format.width, format.height});
  frame.owner = std::move(samples);
  return frame;
}

void addMetadata(std::map<std::string, std::string>& to, const std::string& key, const std::string& text) {
  if (to.size() < kMostMetadata) to[key] = text.substr(0, kLongestMetadata);
}

}  // namespace edge
