// A sequence of stills: decodes several frames at once, hands them out in order.
#include <fmt/format.h>

#include <deque>
#include <future>

#include "base/parallel.h"
#include "media/formats.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

DecodedStill readStill(const fs::path& file, bool headerOnly) {
  return clipFormatOf(file)->readStill(file, headerOnly);
}

// Compressions of OpenEXR (PXR24 cuts 32-bit floats only) and TIFF that do not give back what was written.
bool lossyCompression(const PixelFormat& f, const std::string& name) {
  for (const char* lossy : {"dwaa", "dwab", "b44", "jpeg"})
    if (name.rfind(lossy, 0) == 0) return true;
  return name == "pxr24" && f.sample == SampleType::F32;
}

class StillsReader final : public ClipReader {
 public:
  StillsReader(const fs::path& clip, std::vector<fs::path> files) {
    const DecodedStill first = readStill(files.front(), true);
    info_.kind = files.size() == 1 ? "frame" : "sequence";
    info_.path = clip;
    info_.files = std::move(files);
    info_.format = first.format;
    info_.frames = static_cast<std::int64_t>(info_.files.size());
    info_.pixelFormatName = first.pixelFormatName;
    info_.metadata = first.metadata;
    if (const auto coded = first.metadata.find("compression"); coded != first.metadata.end())
      info_.lossyCodec = lossyCompression(first.format, coded->second) ? coded->second : "";
    if (const auto rate = first.metadata.find("FramesPerSecond"); rate != first.metadata.end())
      info_.fps = std::atof(rate->second.c_str());
  }

  bool next(Frame& frame) override {
    while (asked_ < info_.files.size() && static_cast<int>(ahead_.size()) < std::max(1, threads())) {
      ahead_.push_back(
          std::async(std::launch::async, [file = info_.files[asked_]] { return readStill(file, false); }));
      ++asked_;
    }
    if (ahead_.empty()) return false;
    DecodedStill still = ahead_.front().get();
    ahead_.pop_front();
    const fs::path& file = info_.files[given_];
    if (!still.format.sameAs(info_.format)) refuseMixed(file, still);
    frame = std::move(still.frame);
    frame.number = static_cast<std::int64_t>(given_++);
    return true;
  }

  void skip(std::int64_t frames) override {
    given_ = asked_ = std::min(info_.files.size(), given_ + static_cast<size_t>(frames));
  }

 private:
  [[noreturn]] void refuseMixed(const fs::path& file, const DecodedStill& still) const {
    const auto words = [](const PixelFormat& f, const std::string& name) {
      return fmt::format("{} x {}, {}", f.width, f.height, name);
    };
    throw Error(
        "this frame differs from the first of its sequence", file.string(),
        words(still.format, still.pixelFormatName) + " against " + words(info_.format, info_.pixelFormatName),
        "keep one size and bit depth in a sequence");
  }

  std::deque<std::future<DecodedStill>> ahead_;
  size_t asked_ = 0, given_ = 0;
};

}  // namespace

std::unique_ptr<ClipReader> openStills(const fs::path& clip, std::vector<fs::path> files) {
  return std::make_unique<StillsReader>(clip, std::move(files));
}

}  // namespace edge
