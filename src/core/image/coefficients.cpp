#include "image/coefficients.h"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "image/accumulator.h"

namespace edge {
namespace {

constexpr int kSides[] = {4, 8, 16};      // of block transforms: ITU-T H.264 8.5, H.265 8.6, SMPTE VC-3, JPEG
constexpr double kMostSamples = 1 << 16;  // of a size of block: enough for the figure, and cheap
constexpr double kFewestBlocks = 24;
constexpr double kNothing = 1e-3;  // of the mean square: a coefficient that was never sent

// Standard deviation without defect pixels, which would hide themselves in it.
double spread(const float* values, size_t count) {
  double mean = 0, sd = 1e30;
  for (int round = 0; round < 5; ++round) {
    double sum = 0, squares = 0, n = 0;
    for (size_t i = 0; i < count; ++i) {
      const double off = values[i] - mean;
      if (std::abs(off) > kDefectSds * sd) continue;
      sum += off, squares += off * off, ++n;
    }
    if (!(n > 0)) return 0;
    const double shift = sum / n, now = std::sqrt(std::max(0.0, squares / n - shift * shift));
    if (round > 1 && now > 0.999 * sd) return now;
    mean += shift, sd = round == 0 ? std::max(now, 1e-12) : now;
  }
  return sd;
}

std::vector<float> basisOf(int side) {
  std::vector<float> b(static_cast<size_t>(side) * side);
  for (int k = 0; k < side; ++k)
    for (int i = 0; i < side; ++i)
      b[static_cast<size_t>(k) * side + i] = static_cast<float>(
          std::sqrt((k ? 2.0 : 1.0) / side) * std::cos(std::numbers::pi * (i + 0.5) * k / side));
  return b;
}

}  // namespace

CoefficientShape::CoefficientShape(int x, int y, int width, int height) : width_(width) {
  for (const int n : kSides) {
    Size s;
    s.side = n, s.x = (n - x % n) % n, s.y = (n - y % n) % n;
    s.across = (width - s.x) / n, s.down = (height - s.y) / n;
    if (s.across < 1 || s.down < 1) continue;
    s.basis = basisOf(n);
    s.squares.assign(static_cast<size_t>(n) * n, 0), s.fourths = s.sums = s.squares;
    sizes_.push_back(std::move(s));
  }
}

void CoefficientShape::add(const float* values, size_t count) {
  const auto full = [](const Size& s) { return s.count * s.side * s.side >= kMostSamples; };
  if (std::all_of(sizes_.begin(), sizes_.end(), full)) return;
  // Every frame by its own noise: a filter in time leaves the first frames noisier, and a mixture is not
  // Gaussian.
  spread_ = static_cast<float>(spread(values, count));
  if (!(spread_ > 0)) return;
  for (Size& s : sizes_)
    for (int j = 0; j < s.down && s.count * s.side * s.side < kMostSamples; ++j)
      for (int i = 0; i < s.across; ++i)
        addBlock(s, values + static_cast<std::ptrdiff_t>(s.y + j * s.side) * width_ + s.x + i * s.side);
}

void CoefficientShape::addBlock(Size& s, const float* block) {
  const auto n = static_cast<size_t>(s.side);
  half_.assign(n * n, 0), out_.assign(n * n, 0);
  // The level of the block is taken off first: single precision is then enough for dim noise on bright steps.
  float level = 0;
  for (size_t y = 0; y < n; ++y)
    for (size_t x = 0; x < n; ++x) level += block[y * width_ + x] / static_cast<float>(n * n);
  for (size_t y = 0; y < n; ++y)
    for (size_t x = 0; x < n; ++x)
      if (std::abs(block[y * width_ + x] - level) > kDefectSds * spread_)
        return;  // a hot pixel is in all coefficients
  for (size_t y = 0; y < n; ++y)
    for (size_t k = 1; k < n; ++k) {
      float sum = 0;
      for (size_t x = 0; x < n; ++x) sum += s.basis[k * n + x] * (block[y * width_ + x] - level);
      half_[y * n + k] = sum / spread_;
    }
  for (size_t v = 1; v < n; ++v)
    for (size_t y = 0; y < n; ++y) {
      const float b = s.basis[v * n + y];
      for (size_t k = 1; k < n; ++k) out_[v * n + k] += b * half_[y * n + k];
    }
  for (size_t i = 0; i < n * n; ++i) {
    const double square = static_cast<double>(out_[i]) * out_[i];
    s.sums[i] += std::abs(out_[i]), s.squares[i] += square, s.fourths[i] += square * square;
  }
  ++s.count;
}

CoefficientMoments CoefficientShape::Size::moments() const {
  double all = 0, used = 0;
  for (double v : squares) all += v;
  const double least = kNothing * all / static_cast<double>(squares.size());
  CoefficientMoments m;
  for (size_t i = 0; i < squares.size(); ++i) {
    if (!(squares[i] > least)) continue;
    const double mean = squares[i] / count;
    m.kurtosis += fourths[i] / count / (mean * mean), m.absolute += sums[i] / count / std::sqrt(mean), ++used;
  }
  if (!(used > 0)) return {};
  // Of n Gaussian values the ratio of moments is 3n/(n + 2) on average.
  m.kurtosis *= (count + 2) / count / used, m.absolute /= used;
  m.sigma = std::sqrt((1 - 3 / std::numbers::pi) / (count * used));
  return m;
}

CoefficientMoments CoefficientShape::moments() const {
  CoefficientMoments least;
  for (const Size& s : sizes_) {
    if (s.count < kFewestBlocks) continue;
    const CoefficientMoments m = s.moments();
    if (m.absolute > 0 && (least.absolute == 0 || m.absolute < least.absolute)) least = m;
  }
  return least;
}

}  // namespace edge
