// The part of a clip in which nothing happens but noise: after the slate and the hand that held it, before a
// lamp blinks or someone walks in.
#pragma once
#include <memory>
#include <optional>
#include <vector>

#include "base/warning.h"
#include "media/clip.h"

namespace edge {

// A frame as 32 x 18 levels, each from a few dozen samples.
[[nodiscard]] std::vector<float> thumbOf(const PixelFormat& format, const Frame& frame);

// Longest run of thumbs that are alike; a slow drift and a regular flicker are the clip's own and don't end
// it. count 0: to the end of what was given. Fewer than four thumbs: all of them.
[[nodiscard]] FrameWindow steadyPart(const std::vector<std::vector<float>>& thumbs);

// Hands a clip's frames on and keeps a thumb of each: whoever measures them all alike hears of a slate or a
// hand that was measured, too. Of a very long clip the first ten thousand frames are kept.
class WatchedClip : public ClipReader {
 public:
  explicit WatchedClip(std::unique_ptr<ClipReader> clip);
  bool next(Frame& frame) override;
  void skip(std::int64_t frames) override { clip_->skip(frames); }
  [[nodiscard]] MissingFrames missing() const override { return clip_->missing(); }
  // "unsteady", with the window to ask for; nothing: the frames that were given are alike.
  [[nodiscard]] std::optional<Warning> unsteady() const;

 private:
  std::unique_ptr<ClipReader> clip_;
  std::vector<std::vector<float>> thumbs_;
  std::vector<std::int64_t> numbers_;  // of their frames
};

}  // namespace edge
