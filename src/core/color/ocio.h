// The two things asked of OpenColorIO, behind functions: its headers are heavy and its loading costs time.
#pragma once
#include <array>
#include <filesystem>
#include <functional>

namespace edge {

// A transform file applied to a neutral value.
[[nodiscard]] std::function<double(double)> openNeutralTransform(const std::filesystem::path& file);

// A LUT file applied to R, G, B, in single precision.
[[nodiscard]] std::function<void(float* rgb, int pixels)> openTransform(const std::filesystem::path& file);

}  // namespace edge
