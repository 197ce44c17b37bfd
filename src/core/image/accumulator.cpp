#include "image/accumulator.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

// The correlation is read from this much of a rectangle and this many frame pairs: pooled over the patches of
// a chart its standard error is then near 0.002.
constexpr int kLagSide = 96;
constexpr int kLagPairs = 4;  // of a large rectangle; small ones are read from as many samples
constexpr int kMostLagPairs = 16;
constexpr double kMostlyPlain = 0.98;
constexpr int kChangesKept = 24;  // frames whose changes are kept one by one

float dot(const float* a, const float* b, int n) {
  float s = 0;
#pragma omp simd reduction(+ : s)
  for (int i = 0; i < n; ++i) s += a[i] * b[i];
  return s;
}

// Standard deviation about zero of what is no defect: values beyond kDefectSds are taken out until none is
// left.
double plainSd(const std::vector<float>& v) {
  double limit = 1e300, sd = 0;
  for (int round = 0; round < 12; ++round) {
    double squares = 0, n = 0;
    for (float x : v)
      if (std::abs(x) <= limit) squares += static_cast<double>(x) * x, n += 1;
    const double next = std::sqrt(squares / std::max(1.0, n));
    if (round > 0 && next > 0.999 * sd) break;
    sd = next, limit = kDefectSds * sd;
  }
  return sd;
}

}  // namespace

// On a whole rectangle 1, x, y, x^2 - mean, y^2 - mean and xy are orthogonal: each coefficient by itself.
void removePolynomial(std::vector<double>& image, int width, int height) {
  const auto axis = [](int n) {
    std::vector<double> first(static_cast<size_t>(n)), second(static_cast<size_t>(n));
    double mean = 0;
    for (int i = 0; i < n; ++i) {
      const double x = n > 1 ? 2.0 * i / (n - 1) - 1 : 0;
      first[static_cast<size_t>(i)] = x, second[static_cast<size_t>(i)] = x * x, mean += x * x / n;
    }
    for (double& v : second) v -= mean;
    return std::pair(first, second);
  };
  const auto squares = [](const std::vector<double>& v) {
    double s = 0;
    for (double x : v) s += x * x;
    return std::max(s, 1e-300);
  };
  // Named one by one: a sum that is vectorised can't refer to a structured binding in every compiler.
  const auto alongX = axis(width), alongY = axis(height);
  const auto &x1 = alongX.first, &x2 = alongX.second, &y1 = alongY.first, &y2 = alongY.second;
  double c0 = 0, cx = 0, cxx = 0, cy = 0, cyy = 0, cxy = 0;
  for (int y = 0; y < height; ++y) {
    const double* v = image.data() + static_cast<size_t>(y) * static_cast<size_t>(width);
    double sum = 0, sumX = 0, sumXx = 0;
#pragma omp simd reduction(+ : sum, sumX, sumXx)
    for (int x = 0; x < width; ++x) sum += v[x], sumX += v[x] * x1[x], sumXx += v[x] * x2[x];
    c0 += sum, cx += sumX, cxx += sumXx;
    cy += y1[y] * sum, cyy += y2[y] * sum, cxy += y1[y] * sumX;
  }
  c0 /= static_cast<double>(width) * height;
  cx /= squares(x1) * height, cxx /= squares(x2) * height;
  cy /= squares(y1) * width, cyy /= squares(y2) * width;
  cxy /= squares(x1) * squares(y1);
  for (int y = 0; y < height; ++y) {
    double* v = image.data() + static_cast<size_t>(y) * static_cast<size_t>(width);
    const double row = c0 + cy * y1[y] + cyy * y2[y], slope = cx + cxy * y1[y];
#pragma omp simd
    for (int x = 0; x < width; ++x) v[x] -= row + slope * x1[x] + cxx * x2[x];
  }
}

void LagSums::add(const LagSums& o) {
  for (int dx = 0; dx <= kLagReach; ++dx)
    for (int dy = 0; dy <= 2 * kLagReach; ++dy)
      product[dx][dy] += o.product[dx][dy], count[dx][dy] += o.count[dx][dy];
  const auto least = [](int& own, int other) { own = own == 0 ? other : std::min(own, other); };
  least(columns, o.columns);
  least(rows, o.rows);
  least(areaColumns, o.areaColumns);
  least(areaRows, o.areaRows);
}

void LagSums::scale(double factor) {
  for (auto& row : product)
    for (double& v : row) v *= factor;
}

RegionAccumulator::RegionAccumulator(int width, int height)
    : width_(width), height_(height), sum_(static_cast<size_t>(width) * height), work_(sum_.size()) {}

void RegionAccumulator::add(const float* values) {
  const int n = static_cast<int>(sum_.size());
  double mean = 0;
  for (int row = 0; row < height_; ++row) {
    float s = 0;
    const float* v = values + static_cast<size_t>(row) * width_;
#pragma omp simd reduction(+ : s)
    for (int i = 0; i < width_; ++i) s += v[i];
    mean += s;
  }
  mean /= n;
  if (frames_ == 0) reference_ = mean;
  meanSum_ += mean - reference_;
  meanSquares_ += (mean - reference_) * (mean - reference_);
  const auto m = static_cast<float>(mean);
  double squares = 0;
  for (int row = 0; row < height_; ++row) {
    const size_t at = static_cast<size_t>(row) * width_;
    const float* v = values + at;
    float *y = work_.data() + at, *sum = sum_.data() + at;
    float s2 = 0;
#pragma omp simd reduction(+ : s2)
    for (int i = 0; i < width_; ++i) {
      y[i] = v[i] - m;
      sum[i] += y[i];
      s2 += y[i] * y[i];
    }
    squares += s2;
  }
  total_ += squares;
  addRowsAndColumns(work_);
  addPlain(work_);
  if (frames_ < kLagPairs) addEdges(work_);
  if (frames_ > 0) {
    addChanges(work_);
    if (frames_ <= lagPairs()) addLags(work_);
  }
  for (int lag = kTimeLags - 1; lag > 0; --lag) previous_[lag].swap(previous_[lag - 1]);
  previous_[0].swap(work_);
  work_.resize(sum_.size());
  ++frames_;
}

int RegionAccumulator::lagPairs() const {
  const double share = static_cast<double>(kLagSide) * kLagSide / (static_cast<double>(width_) * height_);
  return std::clamp(static_cast<int>(kLagPairs * share), kLagPairs, kMostLagPairs);
}

void RegionAccumulator::addPlain(const std::vector<float>& y) {
  if (frames_ == 0) plainLimit_ = static_cast<float>(kDefectSds * plainSd(y));
  const float limit = plainLimit_;
  double sum = 0, squares = 0, cubes = 0, count = 0;
  for (int row = 0; row < height_; ++row) {
    const float* v = y.data() + static_cast<size_t>(row) * width_;
    float n = 0, s1 = 0, s2 = 0, s3 = 0;
#pragma omp simd reduction(+ : n, s1, s2, s3)
    for (int i = 0; i < width_; ++i) {
      const float keep = std::abs(v[i]) <= limit ? 1.0F : 0.0F, q = keep * v[i] * v[i];
      n += keep;
      s1 += keep * v[i];
      s2 += q;
      s3 += q * v[i];
    }
    count += n, sum += s1, squares += s2, cubes += s3;
  }
  sums_.plainCount += count, sums_.plainSum += sum, sums_.plainSquares += squares, sums_.plainCubes += cubes;
}

void RegionAccumulator::addEdges(const std::vector<float>& y) {
  const auto n = static_cast<std::ptrdiff_t>(width_) - 1;
  if (frames_ == 0) {
    std::vector<float> edges;
    for (int row = 0; row < height_; ++row) {
      const float* v = y.data() + static_cast<size_t>(row) * width_;
      for (std::ptrdiff_t i = 0; i < n; ++i) edges.push_back(v[i + 1] - v[i]);
    }
    edgeLimit_ = static_cast<float>(kDefectSds * plainSd(edges));
  }
  for (int row = 0; row < height_; ++row) {
    const float* v = y.data() + static_cast<size_t>(row) * width_;
    float kept = 0, squares = 0, fourths = 0;
#pragma omp simd reduction(+ : kept, squares, fourths)
    for (std::ptrdiff_t i = 0; i < n; ++i) {
      const float d = v[i + 1] - v[i], d2 = d * d, keep = std::abs(d) <= edgeLimit_ ? 1.0F : 0.0F;
      kept += keep;
      squares += keep * d2;
      fourths += keep * d2 * d2;
    }
    sums_.edgeCount += kept, sums_.edgeSquares += squares, sums_.edgeFourths += fourths;
  }
}

void RegionAccumulator::addChanges(const std::vector<float>& y) {
  const int w = std::min(width_, kLagSide), h = std::min(height_, kLagSide);
  const int x0 = (width_ - w) / 2, y0 = (height_ - h) / 2;
  if (frames_ == 1) {
    std::vector<float> change(y.size());
    for (size_t i = 0; i < y.size(); ++i) change[i] = y[i] - previous_[0][i];
    changeLimit_ = static_cast<float>(kDefectSds * plainSd(change));
  }
  for (int lag = 0; lag < std::min(frames_, kTimeLags); ++lag) {
    auto& list = sums_.changeByLag[lag];
    if (static_cast<int>(list.size()) >= kChangesKept) continue;
    double squares = 0, plain = 0, fourths = 0, kept = 0;
    for (int r = 0; r < h; ++r) {
      const size_t at = static_cast<size_t>(y0 + r) * width_ + x0;
      const float *a = y.data() + at, *b = previous_[lag].data() + at;
      float s = 0, p = 0, q = 0, n = 0;
      if (lag > 0) {
#pragma omp simd reduction(+ : s)
        for (int i = 0; i < w; ++i) s += (a[i] - b[i]) * (a[i] - b[i]);
      } else {
#pragma omp simd reduction(+ : s, p, q, n)
        for (int i = 0; i < w; ++i) {
          const float d = a[i] - b[i], d2 = d * d;
          // A hot pixel is noisy in its own way, and rounded on another slope of the curve.
          const bool plain =
              std::abs(d) <= changeLimit_ && std::abs(a[i]) <= plainLimit_ && std::abs(b[i]) <= plainLimit_;
          const float keep = plain ? 1.0F : 0.0F;
          s += d2;
          n += keep;
          p += keep * d2;
          q += keep * d2 * d2;
        }
      }
      squares += s, plain += p, fourths += q, kept += n;
    }
    list.push_back(squares / (static_cast<double>(w) * h));
    if (lag > 0) continue;
    sums_.changeCount += kept, sums_.changeSquares += plain, sums_.changeFourths += fourths;
    sums_.changeDefects += static_cast<double>(w) * h - kept;
  }
}

void RegionAccumulator::addRowsAndColumns(const std::vector<float>& y) {
  std::vector<float> column(width_);
  for (int row = 0; row < height_; ++row) {
    const float* v = y.data() + static_cast<size_t>(row) * width_;
    float s = 0;
#pragma omp simd reduction(+ : s)
    for (int i = 0; i < width_; ++i) {
      s += v[i];
      column[i] += v[i];
    }
    rowSquares_ += static_cast<double>(s) * s / width_;
  }
  for (float c : column) columnSquares_ += static_cast<double>(c) * c / height_;
}

void RegionAccumulator::addLags(const std::vector<float>& y) {
  const int w = std::min(width_, kLagSide), h = std::min(height_, kLagSide);
  if (w < 8 || h < 8) return;
  const int x0 = (width_ - w) / 2, y0 = (height_ - h) / 2;
  std::vector<float> d(static_cast<size_t>(w) * h);
  for (int r = 0; r < h; ++r) {
    const size_t at = static_cast<size_t>(y0 + r) * width_ + x0;
    for (int i = 0; i < w; ++i) d[static_cast<size_t>(r) * w + i] = y[at + i] - previous_[0][at + i];
  }
  lags_.columns = w;
  lags_.rows = h;
  lags_.areaColumns = width_;
  lags_.areaRows = height_;
  const int reach = std::min({kLagReach, w - 1, h - 1});
  for (int dy = -reach; dy <= reach; ++dy)
    for (int dx = 0; dx <= reach; ++dx) {
      if (dx == 0 && dy < 0) continue;
      double s = 0;
      const int from = std::max(0, -dy), to = std::min(h, h - dy);
      for (int r = from; r < to; ++r)
        s += dot(d.data() + static_cast<size_t>(r) * w, d.data() + static_cast<size_t>(r + dy) * w + dx,
                 w - dx);
      lags_.product[dx][dy + kLagReach] += s;
      lags_.count[dx][dy + kLagReach] += static_cast<double>(to - from) * (w - dx);
    }
}

NoiseSums RegionAccumulator::sums() const {
  NoiseSums s = sums_;
  s.frames = frames_, s.rows = height_, s.columns = width_;
  const double n = std::max(1, frames_);
  s.level = reference_ + meanSum_ / n;
  // A few hot pixels must not lift a dark patch; where more is set apart it is the patch's own shape.
  if (s.plainCount > kMostlyPlain * n * static_cast<double>(sum_.size()))
    s.level += s.plainSum / s.plainCount;
  s.frameMeanSquares = std::max(0.0, meanSquares_ - meanSum_ * meanSum_ / n);
  s.total = total_;
  s.rowFrames = rowSquares_, s.columnFrames = columnSquares_;
  for (const double sum : sum_) s.pixelMeans += sum * sum / n;
  finishFixed(s);
  return s;
}

void RegionAccumulator::finishFixed(NoiseSums& s) const {
  std::vector<double> mean(sum_.begin(), sum_.end());
  const double n = std::max(1, frames_);
  for (auto& v : mean) v /= n;
  const auto marginals = [&](double& rows, double& columns) {
    std::vector<double> row(height_), column(width_);
    for (int r = 0; r < height_; ++r)
      for (int c = 0; c < width_; ++c) {
        const double v = mean[static_cast<size_t>(r) * width_ + c];
        row[r] += v / width_, column[c] += v / height_;
      }
    for (double v : row) rows += n * width_ * v * v;
    for (double v : column) columns += n * height_ * v * v;
  };
  marginals(s.plainRows, s.plainColumns);
  removePolynomial(mean, width_, height_);
  marginals(s.fixedRows, s.fixedColumns);
  for (double v : mean) s.spatialResidual += v * v;
  s.fixedPixels = n * s.spatialResidual - s.fixedRows - s.fixedColumns;
}

}  // namespace edge
