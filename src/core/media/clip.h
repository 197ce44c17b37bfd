// A clip is anything that yields frames: a movie file, a folder of numbered frames, one frame, or a printf
// pattern.
#pragma once
#include <filesystem>
#include <functional>
#include <memory>
#include <string>

#include "base/progress.h"
#include "image/frame.h"
#include "media/missing.h"

namespace edge {

struct ClipInfo {
  std::string kind;  // "movie", "sequence", "frame"
  std::filesystem::path path;
  std::vector<std::filesystem::path> files;
  PixelFormat format;
  std::int64_t frames = 0;      // 0: not known before decoding
  double fps = 0;               // 0: not known
  std::string pixelFormatName;  // e.g. "yuv422p10le", "uint16 x 3", "cfa16"
  // How the pictures were coded, where that changed them: the name of a lossy codec; empty where decoding
  // gives back what was recorded.
  std::string lossyCodec;
  bool predictsFrames = false;  // frames coded from others; known once the clip has been read
  std::map<std::string, std::string> metadata;
};

// Yields frames in order. One clip, one reader, one thread.
class ClipReader {
 public:
  virtual ~ClipReader() = default;
  [[nodiscard]] const ClipInfo& info() const { return info_; }
  // False at the end. Errors name file and frame.
  virtual bool next(Frame& frame) = 0;
  // Passes over frames without handing them out.
  virtual void skip(std::int64_t frames) = 0;
  // Damaged ones before the last that was given; at the end also those that the container promised.
  [[nodiscard]] virtual MissingFrames missing() const { return {}; }

 protected:
  ClipInfo info_;
};

// Errors: missing, unreadable, empty, not a picture, gaps in numbering, two sequences in one folder, mixed
// formats.
[[nodiscard]] std::unique_ptr<ClipReader> openClip(const std::filesystem::path& clip);

struct FrameWindow {
  std::int64_t first = 0;
  std::int64_t count = 0;  // 0: to the end
};

struct FramesRead {
  std::int64_t frames = 0;
  MissingFrames missing;  // within the window; those promised after the last only when read to the end
};

// Streams the window through `body`, decoding ahead in other threads.
FramesRead forEachFrame(ClipReader& reader, FrameWindow window, const Progress& progress,
                        const std::function<void(const Frame&)>& body);

// Content hash of all files of the clip.
[[nodiscard]] std::string hashClip(const ClipInfo& info);
// Size and time of every file of it: another stamp, and it was written to.
[[nodiscard]] std::string stampOf(const ClipInfo& info);

}  // namespace edge
