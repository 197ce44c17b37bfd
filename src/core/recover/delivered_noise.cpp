#include "recover/delivered_noise.h"

#include <algorithm>
#include <array>
#include <utility>

#include "color/lab.h"

namespace edge {
namespace {

constexpr std::pair<Chroma, const char*> kChroma[] = {
    {Chroma::Full444, "444"}, {Chroma::Half422, "422"}, {Chroma::Quarter420, "420"}};

// Display code: colour differences become the mean of their pixels, luma stays.
void shareChroma(std::array<std::vector<float>, 3>& code, int width, int height, Chroma chroma,
                 const Vec3& w) {
  const int sx = chroma == Chroma::Full444 ? 1 : 2, sy = chroma == Chroma::Quarter420 ? 2 : 1;
  if (sx * sy == 1) return;
  for (int y = 0; y < height; y += sy)
    for (int x = 0; x < width; x += sx) {
      const int x1 = std::min(x + sx, width), y1 = std::min(y + sy, height);
      double differenceR = 0, differenceB = 0;
      const auto each = [&](auto body) {
        for (int v = y; v < y1; ++v)
          for (int u = x; u < x1; ++u) body(static_cast<size_t>(v) * width + u);
      };
      const auto luma = [&](size_t i) { return w[0] * code[0][i] + w[1] * code[1][i] + w[2] * code[2][i]; };
      const double n = (x1 - x) * (y1 - y);
      each([&](size_t i) {
        differenceR += (code[0][i] - luma(i)) / n, differenceB += (code[2][i] - luma(i)) / n;
      });
      each([&](size_t i) {
        const double l = luma(i), r = l + differenceR, b = l + differenceB;
        code[0][i] = static_cast<float>(r), code[2][i] = static_cast<float>(b);
        code[1][i] = static_cast<float>((l - w[0] * r - w[2] * b) / w[1]);
      });
    }
}

}  // namespace

std::optional<Chroma> parseChroma(const std::string& word) {
  for (const auto& [c, name] : kChroma)
    if (word == name) return c;
  return std::nullopt;
}

const char* wordOf(Chroma c) {
  return kChroma[static_cast<size_t>(c)].second;
}

std::vector<NoiseSums> DeliveredNoise::labSums(const PatchSample& sample, const BringBack& back) const {
  if (sample.frames.empty()) return {};
  const auto n = static_cast<size_t>(sample.width) * sample.height;
  const Vec3 w = lumaWeights(primaries);
  std::vector<RegionAccumulator> sums;
  for (const auto& frame : sample.frames) {
    Block block;
    block.width = sample.width, block.height = sample.height;
    for (int c = 0; c < 3; ++c) block.linear[c].resize(n);
    for (size_t i = 0; i < n; ++i) {
      const Vec3 v = back.apply({frame[3 * i], frame[3 * i + 1], frame[3 * i + 2]});
      for (int c = 0; c < 3; ++c) block.linear[c][i] = static_cast<float>(v[c]);
    }
    if (!factor.none()) block = resampled(block, factor.x, factor.y);
    std::array<std::vector<float>, 3> planes = {block.linear[0], block.linear[1], block.linear[2]};
    const auto eachPixel = [&](auto body) {
      for (size_t i = 0; i < planes[0].size(); ++i) {
        const Vec3 v = body({planes[0][i], planes[1][i], planes[2][i]});
        for (size_t c = 0; c < 3; ++c) planes[c][i] = static_cast<float>(v[c]);
      }
    };
    eachPixel([&](const Vec3& v) { return display.code(v); });
    shareChroma(planes, block.width, block.height, chroma, w);
    eachPixel([&](const Vec3& v) {
      const Lab lab = labOfDisplayLight(DisplayTransform::lightOfCode(v), primaries);
      return Vec3{lab.L, lab.a, lab.b};
    });
    if (sums.empty()) sums.assign(3, RegionAccumulator(block.width, block.height));
    for (size_t c = 0; c < 3; ++c) sums[c].add(planes[c].data());
  }
  return {sums[0].sums(), sums[1].sums(), sums[2].sums()};
}

}  // namespace edge
