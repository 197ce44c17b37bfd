#include "recover/spot.h"

#include <algorithm>
#include <array>
#include <cmath>

#include "base/units.h"
#include "media/clip.h"
#include "recover/clip_decode.h"

namespace edge {
namespace {

// Of the picture: so many pixels of one code at the top are an end, no accident.
constexpr double kEndShare = 1e-4;
constexpr double kClippedShare = 0.01;

// The largest code of each channel as recorded, where many pixels share it: after white balance and matrix an
// end is no single value any more.
std::array<float, 3> endsOf(const std::vector<float>& rgb) {
  std::array<float, 3> ends{};
  const size_t pixels = rgb.size() / 3;
  for (size_t c = 0; c < 3; ++c) {
    float most = 0;
    for (size_t i = 0; i < pixels; ++i) most = std::max(most, rgb[3 * i + c]);
    const float near = most * 0.999F;
    size_t shared = 0;
    for (size_t i = 0; i < pixels; ++i) shared += rgb[3 * i + c] >= near;
    const bool many = static_cast<double>(shared) > std::max(16.0, kEndShare * static_cast<double>(pixels));
    ends[c] = many ? near : INFINITY;
  }
  return ends;
}

}  // namespace

SpotFrame readSpotFrame(const std::filesystem::path& clip, const DecodeOptions& decode, std::int64_t number,
                        const Progress& progress) {
  const auto reader = openClip(clip);
  const Decoder decoder(reader->info().format, resolved(decode, reader->info()));
  SpotFrame out;
  out.width = decoder.developedWidth(), out.height = decoder.developedHeight();
  const size_t row = 3 * static_cast<size_t>(out.width);
  std::vector<float> rgb(row * static_cast<size_t>(out.height)), codes(rgb.size());
  forEachFrame(*reader, {number, 1}, progress, [&](const Frame& frame) {
    for (int y = 0; y < out.height; ++y)
      decoder.readRow(frame, y, 0, out.width, rgb.data() + row * static_cast<size_t>(y),
                      codes.data() + row * static_cast<size_t>(y), true);
  });
  const Vec3 w = lumaWeights(decoder.primaries());
  const auto ends = endsOf(codes);
  for (size_t i = 0; i < rgb.size(); i += 3) {
    out.luma.push_back(static_cast<float>(w[0] * rgb[i] + w[1] * rgb[i + 1] + w[2] * rgb[i + 2]));
    out.atTheEnd.push_back(codes[i] >= ends[0] || codes[i + 1] >= ends[1] || codes[i + 2] >= ends[2]);
  }
  return out;
}

std::optional<SpotReading> spotAt(const SpotFrame& f, double x, double y, double radius) {
  if (f.luma.empty() || !(x >= 0 && x <= 1 && y >= 0 && y <= 1)) return std::nullopt;
  const double cx = x * f.width, cy = y * f.height, r = std::max(1.5, radius * f.height);
  double sum = 0;
  int count = 0, ended = 0;
  for (int j = std::max(0, static_cast<int>(cy - r)); j < std::min(f.height, static_cast<int>(cy + r) + 1);
       ++j)
    for (int i = std::max(0, static_cast<int>(cx - r)); i < std::min(f.width, static_cast<int>(cx + r) + 1);
         ++i) {
      if (std::hypot(i + 0.5 - cx, j + 0.5 - cy) > r) continue;
      const size_t at = static_cast<size_t>(j) * static_cast<size_t>(f.width) + static_cast<size_t>(i);
      sum += f.luma[at], ++count, ended += f.atTheEnd[at];
    }
  if (count == 0 || !(sum > 0)) return std::nullopt;
  return SpotReading{std::log2(sum / count / kMiddleGrey), ended > kClippedShare * count};
}

}  // namespace edge
