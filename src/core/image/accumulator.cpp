#include "image/accumulator.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

namespace edge {
namespace {

// The correlation is read from this much of a rectangle and this many frame pairs: pooled over the patches of
// a chart its standard error is then near 0.002.
constexpr int kLagSide = 96;
constexpr int kLagPairs = 4;

float dot(const float* a, const float* b, int n) {
  float s = 0;
#pragma omp simd reduction(+ : s)
  for (int i = 0; i < n; ++i) s += a[i] * b[i];
  return s;
}

}  // namespace

void removePolynomial(std::vector<double>& image, int width, int height) {
  using Row6 = Eigen::Matrix<double, 6, 1>;
  const auto basis = [&](int i) {
    const double x = 2.0 * (i % width) / std::max(1, width - 1) - 1,
                 y = 2.0 * (i / width) / std::max(1, height - 1) - 1;
    return Row6(1, x, y, x * x, x * y, y * y);
  };
  Eigen::Matrix<double, 6, 6> normal = Eigen::Matrix<double, 6, 6>::Zero();
  Row6 right = Row6::Zero();
  const int n = static_cast<int>(image.size());
  for (int i = 0; i < n; ++i) {
    const Row6 b = basis(i);
    normal += b * b.transpose();
    right += b * image[i];
  }
  const Row6 fit = normal.completeOrthogonalDecomposition().solve(right);
  for (int i = 0; i < n; ++i) image[i] -= basis(i).dot(fit);
}

void LagSums::add(const LagSums& o) {
  for (int dx = 0; dx < 4; ++dx)
    for (int dy = 0; dy < 7; ++dy) product[dx][dy] += o.product[dx][dy], count[dx][dy] += o.count[dx][dy];
  columns = std::max(columns, o.columns);
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
  double squares = 0, cubes = 0;
  for (int row = 0; row < height_; ++row) {
    const size_t at = static_cast<size_t>(row) * width_;
    const float* v = values + at;
    float *y = work_.data() + at, *sum = sum_.data() + at;
    float s2 = 0, s3 = 0;
#pragma omp simd reduction(+ : s2, s3)
    for (int i = 0; i < width_; ++i) {
      y[i] = v[i] - m;
      sum[i] += y[i];
      s2 += y[i] * y[i];
      s3 += y[i] * y[i] * y[i];
    }
    squares += s2, cubes += s3;
  }
  total_ += squares;
  cube_ += cubes;
  addRowsAndColumns(work_);
  if (frames_ == 0)
    first_ = work_;
  else {
    for (int row = 0; row < height_; ++row)
      neighbourProducts_ += dot(work_.data() + static_cast<size_t>(row) * width_,
                                previous_.data() + static_cast<size_t>(row) * width_, width_);
    if (frames_ <= kLagPairs) addLags(work_);
  }
  previous_.swap(work_);
  work_.resize(sum_.size());
  ++frames_;
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
    float mean = 0;
    for (int i = 0; i < w; ++i) mean += d[static_cast<size_t>(r) * w + i] = y[at + i] - previous_[at + i];
    mean /= static_cast<float>(w);
    for (int i = 0; i < w; ++i) d[static_cast<size_t>(r) * w + i] -= mean;
  }
  lags_.columns = w;
  for (int dy = -3; dy <= 3; ++dy)
    for (int dx = 0; dx <= 3; ++dx) {
      if (dx == 0 && dy < 0) continue;
      double s = 0;
      const int from = std::max(0, -dy), to = std::min(h, h - dy);
      for (int r = from; r < to; ++r)
        s += dot(d.data() + static_cast<size_t>(r) * w, d.data() + static_cast<size_t>(r + dy) * w + dx,
                 w - dx);
      lags_.product[dx][dy + 3] += s;
      lags_.count[dx][dy + 3] += static_cast<double>(to - from) * (w - dx);
    }
}

NoiseSums RegionAccumulator::sums() const {
  NoiseSums s;
  s.frames = frames_, s.rows = height_, s.columns = width_;
  const double n = std::max(1, frames_);
  s.level = reference_ + meanSum_ / n;
  s.frameMeanSquares = std::max(0.0, meanSquares_ - meanSum_ * meanSum_ / n);
  s.total = total_, s.cube = cube_;
  s.rowFrames = rowSquares_, s.columnFrames = columnSquares_;
  double products = neighbourProducts_;
  for (size_t i = 0; i < sum_.size(); ++i) {
    const double sum = sum_[i], mean = sum / n;
    s.pixelMeans += sum * mean;
    if (frames_ > 1) products += (n - 1) * mean * mean - mean * (2 * sum - first_[i] - previous_[i]);
  }
  s.lagTime = products;
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
