#include "color/primaries.h"

#include <cmath>

namespace edge {
namespace {

// Columns are the primaries' XYZ scaled so that their sum is the white point (SMPTE RP 177).
Mat3 fromChromaticities(const std::array<std::array<double, 2>, 3>& xy, const std::array<double, 2>& white) {
  Mat3 p{};
  for (int c = 0; c < 3; ++c) {
    p[0][c] = xy[c][0] / xy[c][1];
    p[1][c] = 1;
    p[2][c] = (1 - xy[c][0] - xy[c][1]) / xy[c][1];
  }
  const Vec3 w = {white[0] / white[1], 1, (1 - white[0] - white[1]) / white[1]};
  const Vec3 scale = multiply(*inverse(p), w);
  for (auto& row : p)
    for (int c = 0; c < 3; ++c) row[c] *= scale[c];
  return p;
}

constexpr std::array<double, 2> kD65 = {0.3127, 0.3290};

}  // namespace

std::optional<Primaries> parsePrimaries(const std::string& name) {
  if (name == "bt709") return Primaries::Bt709;
  if (name == "bt2020") return Primaries::Bt2020;
  if (name == "bt601") return Primaries::Bt601;
  return std::nullopt;
}

const char* nameOf(Primaries p) {
  return p == Primaries::Bt709 ? "bt709" : p == Primaries::Bt2020 ? "bt2020" : "bt601";
}

Vec3 lumaWeights(Primaries p) {
  switch (p) {
    case Primaries::Bt2020:
      return {0.2627, 0.6780, 0.0593};
    case Primaries::Bt601:
      return {0.299, 0.587, 0.114};
    default:
      return {0.2126, 0.7152, 0.0722};
  }
}

Mat3 rgbToXyz(Primaries p) {
  static const Mat3 bt709 = fromChromaticities({{{0.640, 0.330}, {0.300, 0.600}, {0.150, 0.060}}}, kD65);
  static const Mat3 bt2020 = fromChromaticities({{{0.708, 0.292}, {0.170, 0.797}, {0.131, 0.046}}}, kD65);
  return p == Primaries::Bt2020 ? bt2020 : bt709;
}

Vec3 multiply(const Mat3& m, const Vec3& v) {
  Vec3 r{};
  for (int i = 0; i < 3; ++i) r[i] = m[i][0] * v[0] + m[i][1] * v[1] + m[i][2] * v[2];
  return r;
}

Mat3 multiply(const Mat3& a, const Mat3& b) {
  Mat3 r{};
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) r[i][j] = a[i][0] * b[0][j] + a[i][1] * b[1][j] + a[i][2] * b[2][j];
  return r;
}

std::optional<Mat3> inverse(const Mat3& m) {
  const auto minor = [&](int r0, int c0, int r1, int c1) {
    return m[r0][c0] * m[r1][c1] - m[r0][c1] * m[r1][c0];
  };
  const double det = m[0][0] * minor(1, 1, 2, 2) - m[0][1] * minor(1, 0, 2, 2) + m[0][2] * minor(1, 0, 2, 1);
  if (!std::isfinite(det) || std::abs(det) < 1e-12) return std::nullopt;
  Mat3 r{};
  for (int i = 0; i < 3; ++i)
    for (int j = 0; j < 3; ++j) {
      const int a = (j + 1) % 3, b = (j + 2) % 3, c = (i + 1) % 3, d = (i + 2) % 3;
      r[i][j] = (m[a][c] * m[b][d] - m[a][d] * m[b][c]) / det;
    }
  return r;
}

}  // namespace edge
