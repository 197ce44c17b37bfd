#include "measure/highlights.h"

#include <algorithm>
#include <cmath>
#include <limits>

#include "measure/nonnegative_fit.h"
#include "measure/response.h"

namespace edge {
namespace {

constexpr double kRebuiltBelow = 0.6;      // chroma noise over what is expected
constexpr double kOneChannelBelow = 0.85;  // about 0.75 where one channel of three is held
constexpr double kNoChroma = 0.3;
constexpr double kTrueStep = 0.97;      // of the nominal luma step
constexpr double kUncalibrated = 0.05;  // stops of a chart's sigma, from which its steps are taken as nominal
constexpr double kUncalibratedStep = 0.85;
constexpr double kFitBelow = 1.2;  // stops under the patch, from which patches say what to expect
// Expected chroma noise below it is lost in rounding: where chroma is computed from three rounded channels,
// and where Cb and Cr are recorded, each rounded by itself.
constexpr double kSeenCodes = 0.25, kSeenRecordedCodes = 0.5;
constexpr double kNearClip = 4;    // noise sds from the luma clip: the clip itself cuts the noise
constexpr double kShiftCodes = 2;  // sds of the mean chroma, in its noise
constexpr double kLowestSnr = 3;

struct Point {
  double light, relative, weight;  // chroma variance over (d code / d ln light)^2
};

// Non-negative c0/E^2 + c1/E + c2 by least squares of relative residuals; NaN where none will do.
double expectedRelative(const std::vector<Point>& points, double light) {
  std::vector<std::vector<double>> rows;
  std::vector<double> right;
  for (const auto& p : points) {
    const double w = std::sqrt(p.weight) / p.relative;
    rows.push_back({w / (p.light * p.light), w / p.light, w});
    right.push_back(std::sqrt(p.weight));
  }
  const auto fit = nonNegativeFit(rows, right);
  if (!fit) return std::numeric_limits<double>::quiet_NaN();
  return (*fit)[0] / (light * light) + (*fit)[1] / light + (*fit)[2];
}

class Finder {
 public:
  Finder(const WedgeMeasure& w, const ChannelRange& y) : w_(w), y_(y), order_(brightestFirst(w)) {
    out_.chromaRatio.assign(w.patches.size(), std::numeric_limits<double>::quiet_NaN());
  }

  Highlights run() {
    if (w_.mosaic || w_.patches.size() < 6 || !(y_.slope > 0)) return out_;
    if (std::none_of(w_.patches.begin(), w_.patches.end(),
                     [](const PatchMeasure& p) { return p.chromaVariance > 0; }))
      return out_;
    findFloor();
    std::optional<size_t> darkest;
    for (size_t i = 0; i + 3 < order_.size(); ++i) {
      const PatchMeasure& p = w_.patches[order_[i]];
      if (isClipped(p) || isNearClip(p)) continue;
      const Kind kind = kindOf(i);
      if (kind == Kind::Undetermined) {
        out_.undetermined = true;
        break;
      }
      if (kind == Kind::True) break;
      (kind == Kind::Rebuilt ? out_.rebuilt : out_.oneChannel).push_back(order_[i]);
      darkest = i;
    }
    if (darkest) limitAt(*darkest);
    return out_;
  }

 private:
  enum class Kind { True, Rebuilt, OneChannel, Undetermined };

  [[nodiscard]] bool isClipped(const PatchMeasure& p) const {
    return !y_.clip.atLeast && p.stops > y_.clip.stops;
  }
  [[nodiscard]] bool isNearClip(const PatchMeasure& p) const {
    if (y_.clip.atLeast) return false;
    const double top = y_.slope * std::exp2(y_.clip.stops) + y_.offset;
    return p.channel[kY].mean > top - kNearClip * std::sqrt(p.channel[kY].variance);
  }

  // What rounding and the codec leave of chroma where there is none.
  void findFloor() {
    for (size_t k : order_) {
      const PatchMeasure& p = w_.patches[k];
      if (!isClipped(p)) break;
      floor_ = floor_ ? std::min(*floor_, p.chromaVariance) : p.chromaVariance;
    }
  }

  [[nodiscard]] double chromaOf(const PatchMeasure& p) const {
    const double rounding = w_.levels > 0 ? 2.0 / (12 * w_.levels * w_.levels) : 0;
    return std::max(
        0.0, p.chromaVariance - std::max(floor_.value_or(0), std::min(rounding, p.chromaVariance / 2)));
  }

  // A step of the chart is itself known to its sigma only.
  [[nodiscard]] static double neededStep(const PatchMeasure& p, const PatchMeasure& next, double nominal) {
    if (p.stopsSigma >= kUncalibrated) return kUncalibratedStep;
    return std::max(kUncalibratedStep, kTrueStep - 2 * std::hypot(p.stopsSigma, next.stopsSigma) / nominal);
  }

  Kind kindOf(size_t i) {
    const PatchMeasure& p = w_.patches[order_[i]];
    std::vector<Point> below;
    for (size_t j = i + 1; j < order_.size(); ++j) {
      const PatchMeasure& d = w_.patches[order_[j]];
      if (p.stops - d.stops < kFitBelow || y_.snr[order_[j]] < kLowestSnr || !(d.codeSlope > 0)) continue;
      const double v = chromaOf(d) / (d.codeSlope * d.codeSlope);
      if (v > 0) below.push_back({std::exp2(d.stops), v, d.channel[kY].samples});
    }
    if (below.size() < 3 || !(p.codeSlope > 0)) return Kind::True;
    const double expected = expectedRelative(below, std::exp2(p.stops)) * p.codeSlope * p.codeSlope;
    if (!(expected > 0)) return Kind::True;
    if (w_.levels > 0 && std::sqrt(expected) < (w_.subsampled ? kSeenRecordedCodes : kSeenCodes) / w_.levels)
      return Kind::Undetermined;
    const double rho = std::sqrt(chromaOf(p) / expected);
    out_.chromaRatio[order_[i]] = rho;
    const PatchMeasure& next = w_.patches[order_[i + 1]];
    const double nominal = p.stops - next.stops;
    const double signal = p.channel[kY].mean - y_.offset, before = next.channel[kY].mean - y_.offset;
    const double step = signal > 0 && before > 0 ? std::log2(signal / before) / nominal : 0;
    const double needed = neededStep(p, next, nominal);
    if (rho < kRebuiltBelow && step >= needed) return Kind::Rebuilt;
    const double shift = std::hypot(p.chromaCb - next.chromaCb, p.chromaCr - next.chromaCr);
    if (rho < kOneChannelBelow && step < needed && shift > kShiftCodes * std::sqrt(expected))
      return Kind::OneChannel;
    // Hardly any chroma noise where luma still rises: colour is gone, unless a shoulder has flattened both.
    if (rho < kNoChroma && !y_.knee) return Kind::OneChannel;
    return Kind::True;
  }

  void limitAt(size_t darkest) {
    const PatchMeasure &p = w_.patches[order_[darkest]], &next = w_.patches[order_[darkest + 1]];
    const double gap = p.stops - next.stops;
    // Anywhere in the gap alike: an even distribution.
    out_.from = Limit{p.stops - gap / 2, std::hypot(gap / std::sqrt(12.0), p.stopsSigma), false};
  }

  const WedgeMeasure& w_;
  const ChannelRange& y_;
  std::vector<size_t> order_;
  std::optional<double> floor_;
  Highlights out_;
};

}  // namespace

Highlights findRebuilt(const WedgeMeasure& wedge, const ChannelRange& luma) {
  return Finder(wedge, luma).run();
}

}  // namespace edge
