// What a clip looks like, without plan, slate or name: a small picture, its noise, whether it is empty or
// barred. A few frames are read; originals are never touched (docs/method.md, "Begin from clips").
#pragma once
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "image/decode.h"
#include "media/clip.h"

namespace edge {

struct ClipLook {
  std::filesystem::path clip;   // a movie, a folder of frames, a frame, or a printf pattern
  std::string problem, remedy;  // where it can't be read; all else is empty then
  std::string camera;           // as the file says; empty: it does not
  std::string codec;            // pixels, and the lossy codec if there is one
  PixelFormat format;
  double fps = 0;
  std::optional<double> iso;
  std::string hash;    // of its content
  FrameWindow steady;  // what is measured: after a slate and the hand that held it (match/steady.h)
  // Block means of luma. `code`: recorded codes; scene-linear of raw and floating point. `light`:
  // scene-linear; empty where the curve is not known.
  int width = 0, height = 0;
  std::vector<float> code, light;
  double noise = 0;      // temporal sd of one block of `code`
  double structure = 0;  // correlation of its even with its odd frames: 0: nothing but noise; 1 for one frame
  double jump = 0;       // of `code`, the middle one of the steps from frame to frame
  double barred = 0;     // share of a frame's variance that lies between rows
  int crossings = 0;     // of the rows' means through their mean: two a bar

  [[nodiscard]] bool linear() const { return format.layout == Layout::Cfa || format.isFloat(); }
};

// The clips of all these folders (clipsIn), each once. Errors: as clipsIn.
[[nodiscard]] std::vector<std::filesystem::path> unplannedClips(
    const std::vector<std::filesystem::path>& folders);

// `decode`: for clips that need a curve; its range and matrix for all. Never throws for what is in the clip.
[[nodiscard]] ClipLook lookAt(const std::filesystem::path& clip, const DecodeOptions& decode,
                              const Progress& progress);

// All of them, beside each other.
[[nodiscard]] std::vector<ClipLook> lookAtAll(const std::vector<std::filesystem::path>& clips,
                                              const DecodeOptions& decode, const Progress& progress);

}  // namespace edge
