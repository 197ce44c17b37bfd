// What a clip can be made of: one table of kinds of file, with who opens them and what their codes mean.
#pragma once
#include <filesystem>
#include <optional>
#include <span>
#include <string>

#include "media/readers.h"

namespace edge {

struct ClipFormat {
  const char* name;
  std::span<const char* const> extensions;                                   // lower case, with the dot
  DecodedStill (*readStill)(const std::filesystem::path&, bool headerOnly);  // null: a movie
  const char* defaultCurve;                                                  // null: a person has to say
};
[[nodiscard]] std::span<const ClipFormat> clipFormats();
// By the file's extension; null where it is none of ours (it may still be a movie that decodes).
[[nodiscard]] const ClipFormat* clipFormatOf(const std::filesystem::path& file);
[[nodiscard]] bool isStill(const std::filesystem::path& file);
// The curve that a clip's kind of file settles by itself: linear for OpenEXR and DNG.
[[nodiscard]] std::optional<std::string> curveByFormat(const ClipInfo& info);

}  // namespace edge
