#include "measure/trust.h"

#include <algorithm>
#include <cmath>

#include "measure/coding.h"

namespace edge {
namespace {

constexpr double kCored = 0.4;  // excess kurtosis of changes, beyond photons'
constexpr double kCoredTogether = 0.12;
constexpr double kCodedShape = 0.15;  // from which a lossy codec has plainly cut coefficients away
constexpr double kCodedLag = 0.12;    // correlation of neighbours it leaves
constexpr double kCodedSd = 0.8;      // codes of noise, below which it cuts most
constexpr double kBelowLine = 0.12;   // of ln variance under the line, beyond sampling
constexpr double kBelowLineRounded = 0.4;
constexpr int kLinePoints = 4, kFewestPoints = 3;

// Photons' own share of the kurtosis of a difference: c1^3 E/(2 v^2), Poisson.
double photonKurtosis(const NoiseModel& m, double light) {
  const double v = m.valid ? m.varianceAt(light) : 0;
  return v > 0 ? std::pow(m.photon, 3) * light / (2 * v * v) : 0;
}

class Judge {
 public:
  Judge(const WedgeMeasure& w, int channel, const Response& r, bool clamped, ResponsePoints& p)
      : w_(w), c_(channel), r_(r), clamped_(clamped), p_(p), model_(fitNoiseModel(p, r)) {}

  void run() {
    const bool still = w_.repeatedFrames > 0 && w_.frames < 2, lossy = !w_.lossyCodec.empty();
    const std::optional<size_t> cored = lossy ? std::nullopt : coredFrom();
    bool gone = false;
    for (size_t i = 0; i < p_.mean.size(); ++i) {
      if (r_.clipped[i]) continue;
      NoiseTrust& t = p_.trust[i];
      const ChannelMeasure& m = w_.patches[p_.patch[i]].channel[c_];
      const bool none = still || !(m.variance > 0);
      if (none && (still || !(m.step > 0))) t = NoiseTrust::Removed;
      // A codec takes what is small, wherever it lies: what is darker may stand. A camera that cores takes
      // the more the darker.
      if (lossy && t == NoiseTrust::Quantised) t = NoiseTrust::Removed;
      if (lossy && t == NoiseTrust::Known && isCoded(m, w_.patches[p_.patch[i]].coefficients))
        t = NoiseTrust::Coded;
      if (t == NoiseTrust::Known && ((cored && i >= *cored) || isBelowLine(i)))
        t = NoiseTrust::Removed, gone = true;
      if (gone) t = NoiseTrust::Removed;
    }
  }

 private:
  // The brightest point from which on noise is not Gaussian: by itself, or, showing less of it, together with
  // all darker ones.
  [[nodiscard]] std::optional<size_t> coredFrom() const {
    std::optional<size_t> from;
    double sum = 0, squares = 0, n = 0;
    for (size_t i = p_.mean.size(); i-- > 0;) {
      const ChannelMeasure& m = w_.patches[p_.patch[i]].channel[c_];
      // Rounding makes a shape of its own where noise is less than a code; luma of a mosaic has that of its
      // sites.
      const ChannelMeasure& s = w_.mosaic && c_ == kY ? w_.patches[p_.patch[i]].channel[kG] : m;
      const bool hidden = s.step > 0 && s.variance < kShownSd * kShownSd * s.step * s.step;
      if (w_.frames < 2 || r_.clipped[i] || hidden || (clamped_ && isDark(i)) || !(m.kurtosisSigma > 0))
        continue;
      const double beyond = m.kurtosis - photonKurtosis(model_, p_.light[i]);
      sum += beyond, squares += m.kurtosisSigma * m.kurtosisSigma, n += 1;
      const bool alone = beyond > std::max(kCored, 6 * m.kurtosisSigma);
      const bool together = beyond > std::max(kCoredTogether / 2, 2 * m.kurtosisSigma) &&
                            sum / n > std::max(kCoredTogether, 5 * std::sqrt(squares) / n);
      if (alone || together) from = i;
    }
    return from;
  }
  [[nodiscard]] bool isDark(size_t i) const { return r_.slope * p_.light[i] < 3 * std::sqrt(p_.variance[i]); }

  [[nodiscard]] static bool isCoded(const ChannelMeasure& m, const CoefficientMoments& c) {
    const double sdCodes = m.step > 0 ? std::sqrt(m.variance) / m.step : 1e9;
    return std::abs(m.verticalLag) > kCodedLag || std::abs(m.horizontalLag) > kCodedLag ||
           m.kurtosis > std::max(kCodedShape, 4 * m.kurtosisSigma) || sdCodes < kCodedSd || c.absolute == 0 ||
           c.kurtosis > kCodedKurtosis;  // not seen: a resampled picture
  }

  // Straight line through ln v of the nearest brighter points that are known; its slope is 0 (read noise)
  // to 2.
  [[nodiscard]] bool isBelowLine(size_t i) const {
    if ((clamped_ && isDark(i)) || p_.mean[i] >= r_.ceiling) return false;
    std::vector<size_t> use;
    for (size_t j = i; j-- > 0 && use.size() < kLinePoints;)
      if (!r_.clipped[j] && p_.trust[j] == NoiseTrust::Known && p_.mean[j] < r_.ceiling) use.push_back(j);
    if (use.size() < kFewestPoints) return false;
    double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (size_t j : use) {
      const double s = sigma(j), w = 1 / (s * s), x = std::log(p_.light[j] / p_.light[i]),
                   y = std::log(p_.variance[j]);
      sw += w, sx += w * x, sy += w * y, sxx += w * x * x, sxy += w * x * y;
    }
    const double det = sw * sxx - sx * sx;
    if (!(det > 0)) return false;
    const double slope = std::clamp((sw * sxy - sx * sy) / det, 0.0, 2.0);
    const double at = (sy - slope * sx) / sw;  // of the line at this point
    const double error = std::hypot(sigma(i), std::sqrt(sxx / det));
    const bool rounded =
        w_.patches[p_.patch[i]].channel[c_].quantisation == Quantisation::Fitted || !w_.lossyCodec.empty();
    return at - std::log(p_.variance[i]) > std::max(rounded ? kBelowLineRounded : kBelowLine, 5 * error);
  }
  // Of ln variance: sampling, and the light known to the chart's sigma only.
  [[nodiscard]] double sigma(size_t j) const {
    const double dof = p_.samples[j] * std::max(1.0, p_.frames[j] - 1);
    const double inflation = (1 + std::max(1.0, w_.filtering[c_].inflation)) / 2;
    return std::hypot(std::sqrt(2 * inflation / dof), p_.chartSigma[j] * std::log(2.0));
  }

  const WedgeMeasure& w_;
  int c_;
  const Response& r_;
  bool clamped_;
  ResponsePoints& p_;
  NoiseModel model_;
};

}  // namespace

void judgeNoise(const WedgeMeasure& w, int channel, const Response& r, bool clamped, ResponsePoints& p) {
  Judge(w, channel, r, clamped, p).run();
}

}  // namespace edge
