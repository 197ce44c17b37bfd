#include "measure/noise.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

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
  const double msVh = s.fixedPixels / ((H - 1) * (W - 1));
  const double msV = s.fixedRows / (H - 1), msH = s.fixedColumns / (W - 1);
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
  const double n = static_cast<double>(s.rows) * s.columns * s.frames;
  const double variance = s.total / n;
  // A flat area of floating-point values has only its own rounding, whose shape says nothing.
  const double rounding = 1e-7 * s.level;
  return variance > rounding * rounding ? s.cube / n / std::pow(variance, 1.5) : 0;
}

std::optional<Filtering> filteringOf(const LagSums& lags) {
  if (lags.empty() || !(lags.at(0, 0) > 0)) return std::nullopt;
  const double variance = lags.at(0, 0);
  double sum = 0, row = 0;
  for (int dy = -3; dy <= 3; ++dy)
    for (int dx = -3; dx <= 3; ++dx) {
      const bool mirrored = dx < 0 || (dx == 0 && dy < 0);
      const double v = mirrored ? lags.at(-dx, -dy) : lags.at(dx, dy);
      sum += v;
      if (dy == 0) row += v;
    }
  // The removed row mean takes 1/W of a row's sum from each of the seven lags along it, the variance among
  // them.
  const double kept = 1 - 7.0 / lags.columns;
  const double whole = variance + row / kept / lags.columns;
  return Filtering{lags.at(0, 1) / variance, std::max(1e-3, sum / kept / whole)};
}

double temporalLag(double lagProducts, double squares, int frames) {
  if (frames < 4 || !(squares > 0)) return 0;
  const double n = frames;
  return std::clamp((lagProducts / squares + 1 / n) / (1 - 3 / n), -0.95, 0.95);
}

double temporalFactor(double rho) {
  return (1 + rho) / (1 - rho);
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
