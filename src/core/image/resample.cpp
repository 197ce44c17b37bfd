#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "image/decode.h"

namespace edge {
namespace {

// Means over rows of `from` of widths `factor`, by coverage: first along x, then along y.
std::vector<float> along(const std::vector<float>& from, int width, int height, double factor, int outWidth) {
  std::vector<float> out(static_cast<size_t>(outWidth) * height);
  for (int x = 0; x < outWidth; ++x) {
    const double a = x * factor, b = a + factor;
    const int first = static_cast<int>(a), last = std::min(width - 1, static_cast<int>(std::ceil(b)) - 1);
    for (int y = 0; y < height; ++y) {
      double sum = 0;
      for (int i = first; i <= last; ++i)
        sum += from[static_cast<size_t>(y) * width + i] *
               (std::min(b, i + 1.0) - std::max(a, static_cast<double>(i)));
      out[static_cast<size_t>(y) * outWidth + x] = static_cast<float>(sum / factor);
    }
  }
  return out;
}

std::vector<float> transposed(const std::vector<float>& from, int width, int height) {
  std::vector<float> out(from.size());
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x)
      out[static_cast<size_t>(x) * height + y] = from[static_cast<size_t>(y) * width + x];
  return out;
}

}  // namespace

RasterFactor factorOf(int width, int height, const std::optional<Raster>& raster) {
  if (!raster) return {};
  const RasterFactor k{static_cast<double>(width) / raster->width,
                       static_cast<double>(height) / raster->height};
  if (!(k.x >= 1 && k.y >= 1 && std::isfinite(k.x) && std::isfinite(k.y)))
    throw Error(fmt::format("a raster of {} x {} is larger than the clip's {} x {}", raster->width,
                            raster->height, width, height),
                "", "raster", "choose the delivery raster, not larger than the clip");
  return k;
}

Block resampled(const Block& b, double fx, double fy) {
  Block out;
  out.width = static_cast<int>(b.width / fx + 1e-9), out.height = static_cast<int>(b.height / fy + 1e-9);
  const auto plane = [&](const std::vector<float>& from) {
    if (from.empty()) return std::vector<float>();
    const auto narrow = along(from, b.width, b.height, fx, out.width);
    return transposed(along(transposed(narrow, out.width, b.height), b.height, out.width, fy, out.height),
                      out.height, out.width);
  };
  for (int c = 0; c < 5; ++c) out.linear[c] = plane(b.linear[c]), out.code[c] = plane(b.code[c]);
  return out;
}

}  // namespace edge
