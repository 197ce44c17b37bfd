#include "recover/area_top.h"

#include <algorithm>
#include <cmath>

#include "recover/take.h"

namespace edge {
namespace {

constexpr size_t kFewest = 200;
constexpr double kOnTop = 20;       // pixels of a pile, at least
constexpr int kSearch = 4;          // codes below the highest among which the pile is looked for
constexpr int kFrom = 24, kTo = 4;  // codes below the pile whose density says what to expect on it
constexpr int kBelow = 40;          // codes below it whose pixels say how much one moves
constexpr double kAbove = 0.2;      // of a pile, that may lie above it: edges that were sharpened
constexpr double kHalfWidth = 1;    // codes to either side of the pile's value
constexpr double kStill = 0.25;     // of the usual variance
constexpr double kSureSigmas = 5;
constexpr double kMoreStill = 0.3;  // share of the pile's pixels that stand still beyond the usual
constexpr double kHighest = 0.9995;
constexpr double kTiny = 1e-4;  // of code

// In ten-bit codes; above 1 in shares of the value, as CodeDistribution counts.
double tenBit(double code) {
  return code <= 1 ? code * CodeDistribution::kPerUnit : CodeDistribution::kPerUnit * (1 + std::log(code));
}

// The middle of the code (as two halves) that holds most pixels among the highest.
double pileOf(const std::vector<double>& at, double highest) {
  constexpr int kBins = 2 * (kSearch + 2);  // half codes
  double bins[kBins] = {};
  for (double v : at)
    if (const double d = (highest + 1 - v) * 2; d >= 0 && d < kBins) ++bins[static_cast<int>(d)];
  int best = 0;
  double most = -1;
  for (int b = 0; b + 1 < kBins; ++b)
    if (bins[b] + bins[b + 1] > most) {
      most = bins[b] + bins[b + 1];
      best = b;
    }
  return highest + 1 - (best + 1) / 2.0;
}

// Mean variance of the pixels just below a pile, in squares of code; 0: too few.
double varianceBelow(const std::vector<double>& at, const std::vector<float>& variances, double pile) {
  double below = 0, sum = 0;
  for (size_t i = 0; i < at.size(); ++i)
    if (at[i] < pile - kTo && at[i] > pile - kBelow) {
      ++below;
      sum += variances[i];
    }
  return below < kOnTop ? 0 : sum / below;
}

bool standsStill(const std::vector<double>& at, const std::vector<float>& variances, double pile) {
  const double limit = kStill * varianceBelow(at, variances, pile);
  if (!(limit > 0)) return false;
  double onTop = 0, stillOnTop = 0, below = 0, stillBelow = 0;
  for (size_t i = 0; i < at.size(); ++i) {
    const bool still = variances[i] < limit;
    if (std::abs(at[i] - pile) <= kHalfWidth) {
      ++onTop;
      stillOnTop += still;
    } else if (at[i] < pile - kTo && at[i] > pile - kBelow) {
      ++below;
      stillBelow += still;
    }
  }
  const double usual = stillBelow / below;
  const double sigma = std::sqrt(std::max(usual * (1 - usual), 1 / below) * (1 / onTop + 1 / below));
  return stillOnTop / onTop > usual + std::max(kMoreStill, kSureSigmas * sigma);
}

}  // namespace

AreaTop topOf(const std::vector<float>& codes, const std::vector<float>& variances, double frames) {
  AreaTop top;
  if (codes.size() < kFewest) return top;
  std::vector<double> at(codes.size());
  for (size_t i = 0; i < codes.size(); ++i) at[i] = tenBit(codes[i]);
  std::vector<double> sorted = at;
  const auto nth =
      sorted.begin() + static_cast<std::ptrdiff_t>(std::min(static_cast<double>(sorted.size() - 1),
                                                            kHighest * static_cast<double>(sorted.size())));
  std::nth_element(sorted.begin(), nth, sorted.end());
  const double pile = pileOf(at, *nth);
  double onTop = 0, above = 0, between = 0;
  for (double v : at) {
    onTop += std::abs(v - pile) <= kHalfWidth;
    above += v > pile + kHalfWidth;
    between += v < pile - kTo && v >= pile - kFrom;
  }
  const double expected = between / (kFrom - kTo) * 2 * kHalfWidth;
  top.code = pile <= CodeDistribution::kPerUnit ? pile / CodeDistribution::kPerUnit
                                                : std::exp(pile / CodeDistribution::kPerUnit - 1);
  top.excess = (onTop - expected) / static_cast<double>(at.size());
  top.piled =
      onTop >= kOnTop && onTop > expected + kSureSigmas * std::sqrt(expected + 1) && above < kAbove * onTop;
  if (variances.empty()) return top;
  top.noise = std::sqrt(varianceBelow(at, variances, pile) / frames) *
              (tenBit(top.code + kTiny) - tenBit(top.code - kTiny)) / (2 * kTiny);
  top.still = top.piled && standsStill(at, variances, pile);
  return top;
}

}  // namespace edge
