// Two clips of one scene: how alike they are, and the light between them.
#include <algorithm>
#include <cmath>
#include <numeric>

#include "begin/sort_out.h"

namespace edge {
namespace {

constexpr double kClear = 5;          // block noises over black from which a block is seen
constexpr size_t kFewestBlocks = 40;  // that tell anything
constexpr size_t kMostBlocks = 2500;
constexpr double kPlainlyAlike = 0.95;
constexpr int kCoarser = 4;  // blocks to a side, where single ones drown in noise

bool isSeen(const ClipLook& l, size_t i, double black, double top) {
  return l.code[i] > black + kClear * l.noise && l.code[i] < top;
}

// Blocks that both clips show, thinned evenly. `most`: how many the one that shows more of them has.
std::vector<size_t> shared(const ClipLook& a, const ClipLook& b, double black, double top,
                           size_t* most = nullptr) {
  std::vector<size_t> out;
  if (a.code.size() != b.code.size()) return out;
  size_t inA = 0, inB = 0;
  for (size_t i = 0; i < a.code.size(); ++i) {
    const bool x = isSeen(a, i, black, top), y = isSeen(b, i, black, top);
    inA += x, inB += y;
    if (x && y) out.push_back(i);
  }
  if (most) *most = std::max(inA, inB);
  if (out.size() <= kMostBlocks) return out;
  std::vector<size_t> thin;
  for (size_t k = 0; k < kMostBlocks; ++k) thin.push_back(out[k * out.size() / kMostBlocks]);
  if (most) *most = *most * kMostBlocks / out.size();
  return thin;
}

std::vector<double> ranks(const std::vector<float>& values, const std::vector<size_t>& at) {
  std::vector<size_t> order(at.size());
  std::iota(order.begin(), order.end(), size_t{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](size_t a, size_t b) { return values[at[a]] < values[at[b]]; });
  std::vector<double> rank(at.size());
  for (size_t k = 0; k < order.size(); ++k) rank[order[k]] = static_cast<double>(k);
  return rank;
}

double medianOf(std::vector<double>& v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

// Means of so many blocks to a side: noise falls by as much.
std::vector<float> coarser(const std::vector<float>& p, int width, int height) {
  std::vector<float> out;
  for (int y = 0; p.size() > 0 && y + kCoarser <= height; y += kCoarser)
    for (int x = 0; x + kCoarser <= width; x += kCoarser) {
      float sum = 0;
      for (int k = 0; k < kCoarser * kCoarser; ++k)
        sum += p[static_cast<size_t>(y + k / kCoarser) * static_cast<size_t>(width) +
                 static_cast<size_t>(x + k % kCoarser)];
      out.push_back(sum / (kCoarser * kCoarser));
    }
  return out;
}
ClipLook coarser(const ClipLook& l) {
  ClipLook out;
  out.format = l.format;
  out.width = l.width / kCoarser, out.height = l.height / kCoarser;
  out.code = coarser(l.code, l.width, l.height);
  out.light = coarser(l.light, l.width, l.height);
  out.noise = l.noise / kCoarser;
  return out;
}

std::optional<Likeness> alike(const ClipLook& a, const ClipLook& b, double black, double top) {
  size_t most = 0;
  const auto at = shared(a, b, black, top, &most);
  if (at.size() < kFewestBlocks) return std::nullopt;
  const auto x = ranks(a.code, at), y = ranks(b.code, at);
  const double mean = (static_cast<double>(at.size()) - 1) / 2;
  double xx = 0, yy = 0, xy = 0;
  for (size_t i = 0; i < at.size(); ++i) {
    xx += (x[i] - mean) * (x[i] - mean), yy += (y[i] - mean) * (y[i] - mean);
    xy += (x[i] - mean) * (y[i] - mean);
  }
  return Likeness{xy / std::sqrt(xx * yy), static_cast<double>(at.size()) / static_cast<double>(most)};
}

std::optional<LightRatio> ratio(const ClipLook& from, const ClipLook& to, double black, double top) {
  if (from.light.empty() || to.light.empty()) return std::nullopt;
  // Where blocks are as good as black the curve says little: the better half decides, chosen by the brighter
  // clip, whose noise does not choose with it.
  auto at = shared(from, to, black, top);
  if (at.size() < kFewestBlocks) return std::nullopt;
  const auto sum = [&](const ClipLook& l) {
    double s = 0;
    for (const size_t i : at) s += l.light[i];
    return s;
  };
  const auto& by = sum(from) > sum(to) ? from.light : to.light;
  std::sort(at.begin(), at.end(), [&](size_t a, size_t b) { return by[a] > by[b]; });
  at.resize(std::max(kFewestBlocks, at.size() / 2));
  std::vector<double> ratios;
  const double dark = from.linear() ? black : 0;
  for (const size_t i : at) {
    const double x = from.light[i] - dark, y = to.light[i] - dark;
    if (x > 0 && y > 0) ratios.push_back(std::log2(y / x));
  }
  if (ratios.size() < kFewestBlocks) return std::nullopt;
  LightRatio r;
  const auto half = ratios.begin() + static_cast<std::ptrdiff_t>(ratios.size() / 2);
  std::vector<double> bright(ratios.begin(), half), dim(half, ratios.end());
  r.bend = medianOf(bright) - medianOf(dim);
  r.stops = medianOf(ratios);
  r.blocks = ratios.size();
  std::vector<double> off;
  for (double v : ratios) off.push_back(std::abs(v - r.stops));
  // 1.4826: of a median deviation to a standard one; 1.2533: of the error of a median to that of a mean
  // (normal distribution). Blocks of one object err alike: an eighth of them count.
  r.sigma = 1.4826 * 1.2533 * medianOf(off) / std::sqrt(static_cast<double>(r.blocks) / 8);
  r.bendSigma = 2 * r.sigma;  // of two halves
  return r;
}

}  // namespace

std::optional<Likeness> likeness(const ClipLook& a, const ClipLook& b, double black, double top) {
  if (a.code.size() != b.code.size()) return std::nullopt;
  const auto fine = alike(a, b, black, top);
  if (fine && fine->rank > kPlainlyAlike) return fine;
  const auto coarse = alike(coarser(a), coarser(b), black, top);
  return fine && coarse ? (fine->rank > coarse->rank ? fine : coarse) : fine ? fine : coarse;
}

std::optional<LightRatio> lightBetween(const ClipLook& from, const ClipLook& to, double black, double top) {
  if (from.code.size() != to.code.size()) return std::nullopt;
  const auto fine = ratio(from, to, black, top);
  return fine ? fine : ratio(coarser(from), coarser(to), black, top);
}

}  // namespace edge
