// The two things asked of OpenColorIO, behind functions: its headers are heavy and its loading costs time.
#pragma once
#include <array>
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

namespace edge {

// A transform file applied to a neutral value.
[[nodiscard]] std::function<double(double)> openNeutralTransform(const std::filesystem::path& file);

// Transforms that the installed library itself brings and that take codes to light along the neutral axis:
// its own names and descriptions, read at run time.
struct LibraryTransform {
  std::string name, words;
};
[[nodiscard]] std::vector<LibraryTransform> libraryTransforms();
[[nodiscard]] std::function<double(double)> openLibraryTransform(const std::string& name);

// A LUT file applied to R, G, B, in single precision.
[[nodiscard]] std::function<void(float* rgb, int pixels)> openTransform(const std::filesystem::path& file);

}  // namespace edge
