#include "measure/noise.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr int kNearReach = 3;    // lags summed where nothing lies beyond them
constexpr int kFilterReach = 7;  // and where the picture is sharpened
constexpr double kFilterSeen = 0.03, kSumSeen = 0.07;
constexpr double kLeak = 0.6;
constexpr std::pair<int, int> kNearest[] = {{1, 0}, {0, 1}, {1, 1}, {1, -1}, {2, 0}, {0, 2}};
constexpr double kStrongStripes = 0.1;  // of all noise, of stripes in one direction
constexpr double kLagSeen = 0.012;      // autocorrelation that counts as not yet died out
constexpr double kMostDefects = 0.002;  // share of changes that can be defect pixels
constexpr double kCut = 1000;           // kurtosis said of noise that is mostly gone

// Sum of squares about the pixel means: what moves.
double residualSquares(const NoiseSums& s) {
  return s.total - s.pixelMeans;
}

double gaussianShare(double low, double high) {  // probability between two standard scores
  return 0.5 * (std::erfc(-high / std::sqrt(2.0)) - std::erfc(-low / std::sqrt(2.0)));
}

double logLikelihood(const std::vector<double>& counts, double mean, double sd) {
  double sum = 0;
  for (size_t i = 0; i < counts.size(); ++i) {
    if (counts[i] == 0) continue;
    const double at = static_cast<double>(i) - mean;
    sum += counts[i] * std::log(std::max(1e-300, gaussianShare((at - 0.5) / sd, (at + 0.5) / sd)));
  }
  return sum;
}

// Maximum of a one-humped function by golden section.
template <class F>
double maximise(F f, double a, double b) {
  constexpr double kGolden = 0.6180339887498949;
  double c = b - kGolden * (b - a), d = a + kGolden * (b - a), fc = f(c), fd = f(d);
  for (int i = 0; i < 48; ++i)
    if (fc > fd) {
      b = d, d = c, fd = fc;
      c = b - kGolden * (b - a), fc = f(c);
    } else {
      a = c, c = d, fc = fd;
      d = a + kGolden * (b - a), fd = f(d);
    }
  return (a + b) / 2;
}

}  // namespace

std::optional<double> temporalVariance(const NoiseSums& s) {
  const double n = static_cast<double>(s.rows) * s.columns;
  if (s.frames < 2 || n < 2) return std::nullopt;
  return std::max(0.0, residualSquares(s)) / ((n - 1) * (s.frames - 1));
}

std::optional<NoiseSplit> splitNoise(const NoiseSums& s) {
  const double N = s.frames, H = s.rows, W = s.columns;
  if (N < 2 || H < 4 || W < 4) return std::nullopt;
  // Interaction with time: what rows and columns do beyond their mean over the frames.
  const double movingRows = std::max(0.0, s.rowFrames - s.plainRows);
  const double movingColumns = std::max(0.0, s.columnFrames - s.plainColumns);
  const double msTv = movingRows / ((N - 1) * (H - 1)), msTh = movingColumns / ((N - 1) * (W - 1));
  const double msE = (residualSquares(s) - movingRows - movingColumns) / ((N - 1) * (H - 1) * (W - 1));
  // The polynomial took two degrees of freedom of the rows, two of the columns and one of the pixels.
  const double msVh = s.fixedPixels / ((H - 1) * (W - 1) - 1);
  const double msV = s.fixedRows / (H - 3), msH = s.fixedColumns / (W - 3);
  const double msT = H * W * s.frameMeanSquares / (N - 1);
  NoiseSplit r;
  r.pixelTemporal = msE;
  r.rowTemporal = (msTv - msE) / W;
  r.columnTemporal = (msTh - msE) / H;
  r.flicker = (msT - msTv - msTh + msE) / (H * W);
  if (N >= kFramesForFixed) r.pixelFixed = (msVh - msE) / N;
  if (N >= kFramesForFixedRows) {
    r.rowFixed = (msV - msTv - msVh + msE) / (N * W);
    r.columnFixed = (msH - msTh - msVh + msE) / (N * H);
  }
  return r;
}

double skewness(const NoiseSums& s) {
  if (!(s.plainCount > 0)) return 0;
  const double variance = s.plainSquares / s.plainCount;
  // A flat area of floating-point values has only its own rounding, whose shape says nothing.
  const double rounding = 1e-7 * s.level;
  return variance > rounding * rounding ? s.plainCubes / s.plainCount / std::pow(variance, 1.5) : 0;
}

std::optional<Shape> shapeOf(const NoiseSums& s) {
  const double n = s.changeCount + s.changeDefects;
  if (!(s.changeSquares > 0) || !(n > 0)) return std::nullopt;
  // What is set apart must be few: of sparse noise the tail is the noise itself.
  if (s.changeDefects > kMostDefects * n) return Shape{kCut, 0};
  const double variance = s.changeSquares / s.changeCount;
  return Shape{s.changeFourths / s.changeCount / (variance * variance) - 3, std::sqrt(1.5 * 24 / n)};
}

namespace {

// Autocovariance without what stripes add: the same all along a row (temporal row noise) or a column, read at
// the far end of the window, where filters have died out. The mean that was taken off each frame holds a
// share of them, which lies as a constant `removed` under every lag: with row variance r and column variance
// c of an area of W x H, what is read along a row is r + removed, along a column c + removed, removed = -r/H
// - c/W.
struct Covariance {
  const LagSums& lags;
  double rows = 0, columns = 0, removed = 0;
  int from, to;  // the far end

  Covariance(const LagSums& l, int reach) : lags(l), from(std::max(kNearReach + 1, reach - 2)), to(reach) {
    double alongRow = 0, alongColumn = 0;
    int n = 0;
    for (int d = from; d <= to; ++d, ++n) {
      alongRow += lags.at(d, 0);
      alongColumn += lags.at(0, d);
    }
    if (n == 0) return;
    alongRow /= n;
    alongColumn /= n;
    const double p = 1.0 / lags.areaRows, q = 1.0 / lags.areaColumns;
    rows = (alongRow * (1 - q) + alongColumn * q) / (1 - p - q);
    columns = (alongColumn * (1 - p) + alongRow * p) / (1 - p - q);
    removed = -rows * p - columns * q;
  }
  [[nodiscard]] double at(int dx, int dy) const {
    const bool mirrored = dx < 0 || (dx == 0 && dy < 0);
    if (mirrored) return at(-dx, -dy);
    return lags.at(dx, dy) - stripes(dx, dy);
  }
  // Strong stripes scatter by themselves from row to row (column to column): what they do at this distance is
  // read at the same far end, not taken for their mean.
  [[nodiscard]] double stripes(int dx, int dy) const {
    const double variance = lags.at(0, 0);
    if (rows > kStrongStripes * variance && columns < kStrongStripes * variance) {
      double far = 0;
      for (int d = from; d <= to; ++d) far += (lags.at(d, dy) + lags.at(d, -dy)) / 2 / (to - from + 1);
      return far + (dx == 0 ? columns : 0);
    }
    if (columns > kStrongStripes * variance && rows < kStrongStripes * variance) {
      double far = 0;
      for (int d = from; d <= to; ++d) far += (lags.at(dx, d) + lags.at(dx, -d)) / 2 / (to - from + 1);
      return far + (dy == 0 ? rows : 0);
    }
    return removed + (dy == 0 ? rows : 0) + (dx == 0 ? columns : 0);
  }
  // Sum over the window; the frame's removed mean took area/pixels of it.
  [[nodiscard]] double sum(int reach) const {
    double s = 0;
    for (int dy = -reach; dy <= reach; ++dy)
      for (int dx = -reach; dx <= reach; ++dx) s += at(dx, dy);
    return s / (1 - std::pow(2.0 * reach + 1, 2) / (static_cast<double>(lags.columns) * lags.rows));
  }
};

}  // namespace

std::optional<Filtering> filteringOf(const LagSums& lags) {
  const int side = std::min(lags.columns, lags.rows);
  if (lags.empty() || !(lags.at(0, 0) > 0) || side < 4 * kNearReach) return std::nullopt;
  // Pairs of frames that share a frame are not independent: their products count two thirds.
  const double n = lags.count[0][kLagReach] / 1.5;
  const int most = std::clamp((side - 2) / 3, kNearReach, kLagReach);
  const Covariance c(lags, most);
  const double variance = c.at(0, 0), seen = std::max(kLagSeen, 4 / std::sqrt(n));
  int last = 0;
  for (int d = 1; d <= most; ++d)
    if (std::max(std::abs(c.at(d, 0)), std::abs(c.at(0, d))) > seen * variance) last = d;
  double near = 0;
  for (const auto& [dx, dy] : kNearest) near = std::max(near, std::abs(c.at(dx, dy)) / variance);
  const auto sigmaOf = [n](int r) { return std::sqrt(2 * (std::pow(2.0 * r + 1, 2) - 1) / n); };
  const bool filtered =
      near > std::max(kFilterSeen, 5 / std::sqrt(n)) ||
      std::abs(c.sum(kNearReach) / variance - 1) > std::max(kSumSeen, 4 * sigmaOf(kNearReach));
  // The small negative tails of sharpening add up; those of a blur end with its last lag that is seen.
  const bool sharpened = filtered && c.sum(kNearReach) < variance;
  const int reach = std::clamp(last + 1, sharpened ? std::min(kFilterReach, most) : kNearReach, most);
  Filtering f;
  f.settled = last < most || last <= 1;
  f.verticalLag = c.at(0, 1) / variance, f.horizontalLag = c.at(1, 0) / variance;
  for (const auto& [dx, dy] : kNearest) f.lowestLag = std::min(f.lowestLag, c.at(dx, dy) / variance);
  f.inflation = std::max(1e-3, c.sum(reach) / variance);
  // Power at other frequencies leaks in through the edges of the window.
  f.inflationSigma = std::hypot(f.inflation, kLeak) * sigmaOf(reach);
  return f;
}

std::optional<double> binnedGaussianSd(const std::vector<double>& counts) {
  double n = 0, mean = 0, square = 0;
  int occupied = 0;
  for (size_t i = 0; i < counts.size(); ++i) {
    const auto x = static_cast<double>(i);
    n += counts[i], mean += counts[i] * x, square += counts[i] * x * x;
    occupied += counts[i] > 0;
  }
  if (occupied < 2) return std::nullopt;
  mean /= n;
  const double start = std::sqrt(std::max(1e-4, square / n - mean * mean));
  double sd = start;
  for (int round = 0; round < 6; ++round) {
    mean = maximise([&](double m) { return logLikelihood(counts, m, sd); }, mean - 0.6, mean + 0.6);
    sd = maximise([&](double s) { return logLikelihood(counts, mean, s); }, start / 8, start * 1.5 + 0.05);
  }
  return sd;
}

}  // namespace edge
