// Clips in a folder and what they say of themselves: slate, metadata, name, time. Originals are only read.
#pragma once
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "match/slate_reader.h"

namespace edge {

// Movies, runs of numbered frames and single frames below `folder`, in the order of their names: a folder
// that holds one run is named by itself, runs that share one by their printf pattern. Hidden files, links and
// what is no clip are passed over. Errors: no such folder, more than kClipsLimit clips.
inline constexpr size_t kClipsLimit = 5000;
[[nodiscard]] std::vector<std::filesystem::path> clipsIn(const std::filesystem::path& folder);

// Bytes on disk, to see whether a clip still grows (of a pattern: of its whole folder); 0: gone.
[[nodiscard]] std::uintmax_t bytesOf(const std::filesystem::path& clip);

// As the file says: exposure index, and the camera's model; nothing and empty where it does not.
[[nodiscard]] std::optional<double> isoOf(const ClipInfo& info);
[[nodiscard]] std::string cameraOf(const ClipInfo& info);

struct ClipFacts {
  std::filesystem::path path;
  std::string problem, remedy;  // where it can't be read; all else is empty then
  std::string kind, pixels;     // "movie", "yuv422p10le"
  int width = 0, height = 0, bits = 0;
  bool mosaic = false;
  PixelFormat format;  // with what the file is tagged with
  double fps = 0;
  std::int64_t frames = 0;  // 0: not known before decoding
  std::optional<double> iso;
  std::string model;
  std::optional<double> fNumber, shutterSeconds;  // as the file has them
  std::optional<SlateCode> noted;                 // text of a slate among its metadata
  SlateFinding slate;
  std::string hash;                // of its content
  std::int64_t modified = 0;       // seconds since 1970, of its newest file
  std::string keptAs;              // slate of the take that the project keeps it for; empty: none
  bool elsewhere = false;          // known from the project alone: it is not in the folder that was read
  std::optional<double> measured;  // stops against the base of its configuration, where it was measured
};

inline constexpr double kSlateSeconds = 4;
// Never throws for what is in the clip: its problem is said in the result.
[[nodiscard]] ClipFacts readFacts(const std::filesystem::path& clip, const Progress& progress);

// "HASH  NAME" by line for every file of the clips, names relative to `folder`: `xxhsum -c` verifies it.
[[nodiscard]] std::string manifestOf(const std::vector<std::filesystem::path>& clips,
                                     const std::filesystem::path& folder, const Progress& progress);

}  // namespace edge
