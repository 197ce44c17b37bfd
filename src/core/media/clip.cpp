#include "media/clip.h"

#include <fmt/format.h>
#include <sys/stat.h>

#include <future>

#include "base/hash.h"
#include "media/formats.h"
#include "media/sequence.h"

namespace fs = std::filesystem;

namespace edge {

void requireSaneSize(const fs::path& file, std::int64_t width, std::int64_t height) {
  if (width < 1 || height < 1 || width > kMaxSide || height > kMaxSide || width * height > kMaxPixels)
    throw Error(
        fmt::format("a picture of {} x {} can't be measured", width, height), file.string(), "header",
        fmt::format("sides up to {} and {} million pixels in all are read; check that the file is whole",
                    kMaxSide, kMaxPixels / 1000000));
}

std::unique_ptr<ClipReader> openClip(const fs::path& clip) {
  auto files = framesOf(clip);
  if (isStill(files.front())) return openStills(clip, std::move(files));
  return openMovie(files.front());
}

FramesRead forEachFrame(ClipReader& reader, FrameWindow window, const Progress& progress,
                        const std::function<void(const Frame&)>& body) {
  const std::string subject = reader.info().path.string();
  if (window.first > 0) reader.skip(window.first);
  FramesRead read;
  const double expected =
      static_cast<double>(window.count > 0 ? window.count : std::max<std::int64_t>(reader.info().frames, 1));
  // One frame is decoded while the one before it is measured.
  const auto decode = [&reader] {
    auto frame = std::make_unique<Frame>();
    return reader.next(*frame) ? std::move(frame) : nullptr;
  };
  auto ahead = std::async(std::launch::async, decode);
  for (;;) {
    const auto frame = ahead.get();
    if (!frame) break;
    const bool more = window.count == 0 || read.frames + 1 < window.count;
    if (more) ahead = std::async(std::launch::async, decode);
    try {
      progress.report(std::min(1.0, static_cast<double>(read.frames) / expected), subject);
      body(*frame);
    } catch (const Error& e) {
      if (!e.subject().empty()) throw;
      throw Error(e.problem(), subject, e.place(), e.remedy());
    }
    ++read.frames;
    if (!more) break;
  }
  read.missing = reader.missing();
  if (read.frames == 0)
    throw Error("the clip has no frames", subject,
                window.first > 0 ? fmt::format("after frame {}", window.first) : "",
                window.first > 0 ? "ask for fewer frames to be skipped" : "copy it again");
  if (window.count > read.frames && read.missing.count == 0) read.missing.count = window.count - read.frames;
  return read;
}

std::string hashClip(const ClipInfo& info) {
  return hashFiles(info.files);
}

// Also the time the file system keeps for itself: copying tools set the other back to what it was elsewhere.
std::string stampOf(const ClipInfo& info) {
  std::string s;
  for (const auto& f : info.files) {
    struct stat is {};
    if (::stat(f.c_str(), &is) != 0) is = {};
    s += fmt::format("{} {} {}.{} {}.{}\n", f.filename().string(), is.st_size, is.st_mtim.tv_sec,
                     is.st_mtim.tv_nsec, is.st_ctim.tv_sec, is.st_ctim.tv_nsec);
  }
  return s;
}

}  // namespace edge
