#include "measure/coding.h"

#include <algorithm>
#include <cmath>
#include <numbers>
#include <vector>

namespace edge {
namespace {

constexpr double kLeastSd = 0.3, kMostSd = 6;  // steps
constexpr int kSds = 100, kRoundings = 23;
constexpr double kMostRounding = 0.55;
constexpr double kSampleRounding = 0.01;  // steps squared: decoded samples are rounded to codes again
// How far moments of real encoders lie from the model's, which has one step for a whole patch.
constexpr double kKurtosisSd = 0.05;  // of ln(kurtosis - 2)
constexpr double kAbsoluteSd = 0.01;
constexpr double kGaussian = 0.15;  // kurtosis of samples: cored noise has more
constexpr double kSeen = 0.015;     // under a Gaussian's moment
constexpr size_t kTelling = 4;      // patches
const double kGaussianAbsolute = std::sqrt(2 / std::numbers::pi);

double gaussianBetween(double low, double high) {
  return (std::erfc(low / std::numbers::sqrt2) - std::erfc(high / std::numbers::sqrt2)) / 2;
}

const std::vector<Quantised>& model() {
  static const std::vector<Quantised> kModel = [] {
    std::vector<Quantised> m;
    for (int i = 0; i < kSds; ++i)
      for (int j = 0; j < kRoundings; ++j)
        m.push_back(quantised(kLeastSd * std::pow(kMostSd / kLeastSd, static_cast<double>(i) / (kSds - 1)),
                              kMostRounding * j / (kRoundings - 1)));
    return m;
  }();
  return kModel;
}

}  // namespace

Quantised quantised(double sd, double f) {
  const double zero = 1 - std::erfc((1 - f) / sd / std::numbers::sqrt2);
  double first = zero * std::sqrt(2 * kSampleRounding / std::numbers::pi), second = 0, fourth = 0;
  for (int k = 1; k < 40; ++k) {
    const double share = 2 * gaussianBetween((k - f) / sd, (k + 1 - f) / sd);
    first += share * k, second += share * k * k, fourth += share * k * k * k * k;
  }
  const double left = second / (sd * sd), r = kSampleRounding;
  fourth += 6 * second * r + 3 * r * r, second += r;
  return {fourth / (second * second), first / std::sqrt(second), left};
}

double leftByCoding(const CoefficientMoments& seen) {
  if (!(seen.absolute > 0)) return 0;
  double weights = 0, sum = 0;
  for (const Quantised& q : model()) {
    if (!(q.kurtosis > 2) || !(seen.kurtosis > 2)) continue;
    const double k = std::log((seen.kurtosis - 2) / (q.kurtosis - 2)) / kKurtosisSd,
                 a = (seen.absolute - q.absolute) / kAbsoluteSd;
    const double weight = std::exp(-(k * k + a * a) / 2);
    weights += weight, sum += weight * std::log(q.left);
  }
  return weights > 0 ? sum / weights : 0;
}

bool wasCoded(const WedgeMeasure& w) {
  std::vector<double> under;
  double sigma = 0;
  for (const auto& p : w.patches) {
    const ChannelMeasure& y = p.channel[kY];
    const bool shown = y.step > 0 && y.variance > kShownSd * kShownSd * y.step * y.step;
    if (!shown || !(p.coefficients.absolute > 0) || std::abs(y.kurtosis) > kGaussian) continue;
    under.push_back(kGaussianAbsolute - p.coefficients.absolute);
    sigma = std::max(sigma, p.coefficients.sigma);
  }
  if (under.size() < kTelling) return false;
  const auto middle = under.begin() + static_cast<std::ptrdiff_t>(under.size() / 2);
  std::nth_element(under.begin(), middle, under.end());
  return *middle > std::max(kSeen, 6 * sigma);
}

}  // namespace edge
