#include "measure/quantisation.h"

#include <algorithm>
#include <cmath>

#include "measure/noise.h"

namespace edge {
namespace {

constexpr double kSubtractFrom = 0.6, kFitFrom = 0.25;  // sd in codes
constexpr size_t kCodesLookedAt = 20000;

// All samples lie on the grid of `bits`: either expanded (v * 65535 / top) or shifted left.
bool fitsBits(const std::vector<unsigned>& samples, int bits) {
  const double top = std::exp2(bits) - 1;
  const unsigned step = 1u << (16 - bits);
  const auto expanded = [&](unsigned v) {
    return std::abs(std::round(std::round(v * top / 65535) * 65535 / top) - v) <= 1;
  };
  return std::all_of(samples.begin(), samples.end(), expanded) ||
         std::all_of(samples.begin(), samples.end(), [&](unsigned v) { return v % step == 0; });
}

}  // namespace

void CodeHistogram::add(const std::vector<float>& codes, const CodeGrid& grid) {
  if (overflow_) return;
  if (!started_) {
    centre_ = std::lround(codes[codes.size() / 2] * grid.levels);
    started_ = true;
  }
  const auto levels = static_cast<float>(grid.levels);
  for (float c : codes) {
    const long bin = static_cast<long>(std::floor(c * levels + 0.5F)) - centre_ + kBins / 2;
    if (bin < 0 || bin >= kBins) {
      overflow_ = true;  // noise of many codes: no fit is needed
      return;
    }
    ++bins_[bin];
  }
}

std::vector<double> CodeHistogram::counts() const {
  return overflow_ || !started_ ? std::vector<double>() : std::vector<double>(bins_, bins_ + kBins);
}

QuantisationResult quantisationOf(double variance, double step, const CodeHistogram& codes) {
  const double rounding = step * step / 12;
  const double sdCodes = step > 0 ? std::sqrt(variance) / step : 1e9;
  // The threshold is meant for the true sd; the measured one still contains the rounding.
  if (sdCodes * sdCodes - 1.0 / 12 >= kSubtractFrom * kSubtractFrom)
    return {Quantisation::Subtracted, rounding};
  const auto counts = codes.counts();
  const auto fitted = counts.empty() ? std::nullopt : binnedGaussianSd(counts);
  if (!fitted || *fitted < kFitFrom) return {Quantisation::Limited, 0};
  double n = 0, mean = 0, square = 0;
  for (size_t i = 0; i < counts.size(); ++i) {
    const auto x = static_cast<double>(i);
    n += counts[i], mean += counts[i] * x, square += counts[i] * x * x;
  }
  const double seen = square / n - mean * mean / n / n;
  const double share = std::clamp(1 - *fitted * *fitted / seen, -1.0, 1.0);
  return {Quantisation::Fitted, share * variance};
}

double meanRoundingOf(double variance, double step) {
  if (!(step > 0)) return 0;
  const double kPi2 = 9.869604401089358;
  return step * step / 12 * std::exp(-4 * kPi2 * std::max(0.0, variance) / (step * step));
}

double roundedSkewness(double sdCodes, double code) {
  constexpr int kReach = 8;         // codes to either side, beyond which rounding leaves no skewness
  constexpr double kFinest = 0.05;  // codes
  const double sd = std::max(sdCodes, kFinest), at = code - std::floor(code);
  if (5 * sd > kReach) return 0;
  const auto below = [&](double x) { return 0.5 * std::erfc((at - x) / sd / std::sqrt(2.0)); };
  double mean = 0, square = 0, cube = 0;
  for (int k = -kReach; k <= kReach; ++k) {
    const double share = below(k + 0.5) - below(k - 0.5);
    mean += share * k;
    square += share * k * k;
    cube += share * k * k * k;
  }
  const double variance = square - mean * mean;
  return variance > 0 ? (cube - 3 * mean * square + 2 * mean * mean * mean) / std::pow(variance, 1.5) : 0;
}

CodeGrid effectiveGrid(const Frame& frame, const Decoder& decoder, size_t areas,
                       const std::function<Rect(size_t)>& area) {
  const PixelFormat& f = decoder.format();
  CodeGrid grid{decoder.levels()};
  if (f.sample != SampleType::U16 || f.bitDepth != 16 || f.layout == Layout::Cfa) return grid;
  std::vector<unsigned> samples;
  const size_t perArea = kCodesLookedAt / std::max<size_t>(1, areas);
  for (size_t k = 0; k < areas; ++k) {
    const Rect r = area(k);
    const size_t stride = std::max<size_t>(1, static_cast<size_t>(r.pixels()) / std::max<size_t>(1, perArea));
    for (const auto& view : frame.channels)
      for (size_t i = 0; i < static_cast<size_t>(r.pixels()); i += stride) {
        const int x = r.x + static_cast<int>(i) % r.width, y = r.y + static_cast<int>(i) / r.width;
        if (x < view.width && y < view.height)
          samples.push_back(*reinterpret_cast<const std::uint16_t*>(
              view.data + y * view.rowBytes + static_cast<std::ptrdiff_t>(x) * view.stepBytes));
      }
  }
  for (int bits : {8, 10, 12, 14})
    if (fitsBits(samples, bits)) {
      grid.levels = decoder.levels() * (std::exp2(bits) - 1) / 65535;
      return grid;
    }
  return grid;
}

}  // namespace edge
