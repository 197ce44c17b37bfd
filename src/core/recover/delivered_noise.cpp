#include "recover/delivered_noise.h"

#include <algorithm>
#include <array>

namespace edge {
namespace {

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

template <class Body>
void eachPixel(std::array<std::vector<float>, 3>& planes, Body body) {
  for (size_t i = 0; i < planes[0].size(); ++i) {
    const float pixel[3] = {planes[0][i], planes[1][i], planes[2][i]};
    float changed[3];
    body(pixel, changed);
    for (size_t c = 0; c < 3; ++c) planes[c][i] = changed[c];
  }
}

}  // namespace

PatchSample corrected(const PatchSample& sample, const std::function<Vec3(const Vec3&)>& light,
                      size_t frames) {
  PatchSample out;
  out.width = sample.width;
  out.height = sample.height;
  out.x = sample.x;
  out.y = sample.y;
  for (size_t f = 0; f < std::min(frames, sample.frames.size()); ++f) {
    std::vector<float> frame(sample.frames[f].size());
    for (size_t i = 0; i + 2 < frame.size(); i += 3) {
      const float* p = sample.frames[f].data() + i;
      const Vec3 v = light({p[0], p[1], p[2]});
      for (size_t c = 0; c < 3; ++c) frame[i + c] = static_cast<float>(v[c]);
    }
    out.frames.push_back(std::move(frame));
  }
  return out;
}

CodeFrames DeliveredLook::codeFrames(const PatchSample& sample) const {
  const auto n = static_cast<size_t>(sample.width) * static_cast<size_t>(sample.height);
  const Vec3 w = lumaWeights(primaries);
  CodeFrames out;
  for (const auto& frame : sample.frames) {
    Block block;
    block.width = sample.width;
    block.height = sample.height;
    for (size_t c = 0; c < 3; ++c) {
      block.linear[c].resize(n);
      for (size_t i = 0; i < n; ++i) block.linear[c][i] = frame[3 * i + c];
    }
    if (!factor.none()) block = resampled(block, factor.x, factor.y);
    std::array<std::vector<float>, 3> planes = {std::move(block.linear[0]), std::move(block.linear[1]),
                                                std::move(block.linear[2])};
    eachPixel(planes, [&](const float* in, float* codes) { display.code(in, codes); });
    shareChroma(planes, block.width, block.height, chroma, w);
    out.width = block.width;
    out.height = block.height;
    out.frames.push_back(std::move(planes));
  }
  return out;
}

LabFrames DeliveredLook::labOf(const CodeFrames& codes) const {
  LabFrames out;
  out.width = codes.width;
  out.height = codes.height;
  for (const auto& frame : codes.frames) {
    auto planes = frame;
    eachPixel(planes, [&](const float* in, float* lab) { display.lab(in, primaries, lab); });
    out.frames.push_back(std::move(planes));
  }
  return out;
}

std::vector<NoiseSums> LabFrames::sums() const {
  if (frames.empty()) return {};
  std::vector<NoiseSums> out;
  for (size_t c = 0; c < 3; ++c) {
    RegionAccumulator sum(width, height);
    for (const auto& f : frames) sum.add(f[c].data());
    out.push_back(sum.sums());
  }
  return out;
}

LightnessFrames LabFrames::lightness() const {
  LightnessFrames out{width, height, {}};
  for (const auto& f : frames) out.frames.push_back(f[0]);
  return out;
}

std::optional<double> LabFrames::relativeError(std::initializer_list<size_t> planes) const {
  constexpr int kMostBands = 12, kLeastSide = 2;
  constexpr double kClearlyMore = 1.5;  // columns that hang together show in bands of columns alone
  const auto n = static_cast<double>(frames.size());
  if (frames.size() < 2 || width < 2 * kLeastSide || height < 2 * kLeastSide) return std::nullopt;
  std::vector<double> variance(static_cast<size_t>(width) * static_cast<size_t>(height));
  for (const size_t plane : planes)
    for (size_t i = 0; i < variance.size(); ++i) {
      const double first = frames[0][plane][i];
      double sum = 0, squares = 0;
      for (const auto& f : frames) {
        sum += f[plane][i] - first;
        squares += (f[plane][i] - first) * (f[plane][i] - first);
      }
      variance[i] += (squares - sum * sum / n) / (n - 1);
    }
  const auto scatter = [&](bool rows) {
    const int side = rows ? height : width, bands = std::min(kMostBands, side / kLeastSide);
    std::vector<double> sum(static_cast<size_t>(bands)), count(sum.size());
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        const auto b = static_cast<size_t>((rows ? y : x) * bands / side);
        sum[b] += variance[static_cast<size_t>(y) * static_cast<size_t>(width) + static_cast<size_t>(x)];
        count[b] += 1;
      }
    double mean = 0, squares = 0;
    for (size_t b = 0; b < sum.size(); ++b) mean += sum[b] / count[b] / bands;
    for (size_t b = 0; b < sum.size(); ++b) squares += std::pow(sum[b] / count[b] - mean, 2);
    return mean > 0 ? std::sqrt(squares / (bands - 1) / bands) / mean : 0.0;
  };
  const double byRows = scatter(true), byColumns = scatter(false);
  return (byColumns > kClearlyMore * byRows ? byColumns : byRows) / 2;
}

}  // namespace edge
