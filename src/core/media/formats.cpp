#include "media/formats.h"

#include <algorithm>

#include "base/files.h"

namespace edge {
namespace {

constexpr const char* kOpenExr[] = {".exr"};
constexpr const char* kDng[] = {".dng"};
constexpr const char* kTiff[] = {".tif", ".tiff"};
constexpr const char* kDpx[] = {".dpx"};
constexpr const char* kPng[] = {".png"};
constexpr const char* kMovie[] = {".mkv", ".mov", ".mp4", ".mxf", ".avi", ".m4v", ".webm"};

constexpr ClipFormat kFormats[] = {
    {"OpenEXR", kOpenExr, readImage, "linear"}, {"DNG", kDng, readDng, "linear"},
    {"TIFF", kTiff, readImage, nullptr},        {"DPX", kDpx, readImage, nullptr},
    {"PNG", kPng, readImage, nullptr},          {"movie", kMovie, nullptr, nullptr},
};

}  // namespace

std::span<const ClipFormat> clipFormats() {
  return kFormats;
}

const ClipFormat* clipFormatOf(const std::filesystem::path& file) {
  const std::string extension = lowerExtension(file);
  for (const auto& f : kFormats)
    if (std::find(f.extensions.begin(), f.extensions.end(), extension) != f.extensions.end()) return &f;
  return nullptr;
}

bool isStill(const std::filesystem::path& file) {
  const ClipFormat* format = clipFormatOf(file);
  return format && format->readStill;
}

std::optional<std::string> curveByFormat(const ClipInfo& info) {
  const ClipFormat* format = clipFormatOf(info.files.front());
  return format && format->defaultCurve ? std::optional<std::string>(format->defaultCurve) : std::nullopt;
}

}  // namespace edge
