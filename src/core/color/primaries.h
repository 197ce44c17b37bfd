// RGB colour spaces by their matrix to CIE XYZ (D65) and the luma weights of Y'CbCr.
#pragma once
#include <array>
#include <optional>
#include <string>

namespace edge {

using Vec3 = std::array<double, 3>;
using Mat3 = std::array<Vec3, 3>;  // rows

enum class Primaries { Bt709, Bt2020, Bt601 };

[[nodiscard]] std::optional<Primaries> parsePrimaries(const std::string& name);  // bt709, bt2020, bt601
[[nodiscard]] const char* nameOf(Primaries p);

// Weights of R, G, B in luma: BT.709-6 0.2126/0.7152/0.0722, BT.2020-2 0.2627/0.6780/0.0593, BT.601-7
// 0.299/0.587/0.114.
[[nodiscard]] Vec3 lumaWeights(Primaries p);

// Linear RGB to XYZ with Y = 1 for white (1,1,1), D65. BT.601 pictures are shown with BT.709 primaries.
[[nodiscard]] Mat3 rgbToXyz(Primaries p);

[[nodiscard]] Vec3 multiply(const Mat3& m, const Vec3& v);
[[nodiscard]] Mat3 multiply(const Mat3& a, const Mat3& b);
[[nodiscard]] std::optional<Mat3> inverse(const Mat3& m);  // nullopt when singular

}  // namespace edge
