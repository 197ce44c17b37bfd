#include "measure/range.h"
#include "measure/filtering.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "measure/channel_limits.h"
#include "measure/highlights.h"
#include "measure/noise.h"
#include "measure/range_warnings.h"
#include "measure/response.h"

namespace edge {
namespace {

constexpr double kFactorErrors = 1.25;  // the factors' errors are themselves read from about ten patches
constexpr double kStepped = 0.2;        // excess kurtosis of differences of neighbours
constexpr double kNoMedian = 2;         // inflation below it: the smallest median of all makes it 5
constexpr double kUnprintedCorrection = 0.3;  // stops; a larger one is printed with the headline

class Analysis {
 public:
  Analysis(const WedgeMeasure& w, const RangeOptions& o) : w_(w), o_(o) {
    thresholds_ = o.snr;
    thresholds_.push_back(o.headlineSnr);
    for (double t : {1.0, 2.0}) thresholds_.push_back(t);
    std::sort(thresholds_.begin(), thresholds_.end());
    thresholds_.erase(std::unique(thresholds_.begin(), thresholds_.end()), thresholds_.end());
  }

  RangeResult run() {
    const ChartScatter scatter = chartScatter(w_, kY);
    scatter_ = scatter, r_.chartScatter = scatter.stops;
    for (int c = 0; c < kMeasured; ++c) {
      limits_[c] = limitsOf(w_, question(c, 1));
      r_.channel[c] = limits_[c].range;
    }
    findFiltering();
    findTotal();
    findUpper();
    findHeadline();
    findGrey();
    classify();
    r_.warnings = warningsOf(w_, o_, r_, {scatter_, high_.undetermined, mendable_});
    return r_;
  }

 private:
  [[nodiscard]] ChannelQuestion question(int c, double factor) const {
    ChannelQuestion q;
    q.channel = c, q.varianceFactor = factor, q.black = o_.black[c], q.thresholds = thresholds_;
    q.chartScale = scatter_.scale, q.shading = o_.shading[c];
    if (c != kY || w_.mosaic) return q;
    q.clipKnown = true;
    for (int i = 0; i < 3; ++i) {
      q.channelClamped = q.channelClamped || r_.channel[i].clamped;
      q.clipKnown = q.clipKnown && !r_.channel[i].clip.atLeast;
    }
    return q;
  }

  // What noise was before something took part of it away: a linear filter in space or time, or a codec.
  void findFiltering() {
    for (int c = 0; c < kMeasured; ++c) {
      const ChannelFiltering& f = w_.filtering[c];
      const bool lossy = !w_.lossyCodec.empty(), telling = f.patches >= kTellingPatches,
                 spatial = telling && isFilteredInSpace(f), temporal = telling && isFilteredInTime(f);
      if (!r_.channel[c].usable || !(lossy || spatial || temporal)) continue;
      if (spatial) (f.inflation < 1 ? r_.sharpened : r_.filtered) = true;
      if (temporal) r_.filtered = true;
      // Frames predicted from others are alike by themselves.
      const bool told = (!spatial || (f.settled && f.sameForAll && isLinear(f))) &&
                        (!temporal || (f.temporalKnown && !w_.predictsFrames));
      mendable_ = mendable_ && told;
      if (!told) continue;
      ChannelQuestion q = question(c, (spatial ? f.inflation : 1) * (temporal ? f.temporalFactor : 1));
      q.factorSigma = kFactorErrors * std::hypot(spatial ? f.inflationSigma / f.inflation : 0,
                                                 temporal ? f.temporalFactorSigma : 0) +
                      (spatial ? f.rounding : 0);
      q.beforeCoding = lossy;
      r_.corrected[c] = limitsOf(w_, q).range.range;
    }
    if (!mendable_)
      for (auto& list : r_.corrected) list.clear();
  }

  // A median or an edge-preserving filter: neighbours differ in steps, not like Gaussian noise.
  static bool isLinear(const ChannelFiltering& f) {
    if (!(f.edgeKurtosisSigma > 0)) return f.inflation < kNoMedian;  // less than a code: can't be seen
    return f.edgeKurtosis < std::max(kStepped, 6 * f.edgeKurtosisSigma);
  }
  void findTotal() {
    if (w_.frames < kFramesForFixed) return;
    ChannelQuestion q = question(kY, 1);
    q.withFixed = true;
    r_.total = limitsOf(w_, q).range.range;
  }

  void findUpper() {
    const Traced *reached = nullptr, *open = nullptr;
    for (int c = 0; c < 3; ++c) {
      const Traced& l = limits_[c].clip;
      const Traced*& slot = l.atLeast ? open : reached;
      if (!slot || l.stops < slot->stops) slot = &l;
    }
    upper_ = reached ? *reached : *open;
    high_ = findRebuilt(w_, r_.channel[kY]);
    r_.chromaRatio = high_.chromaRatio, r_.rebuilt = high_.rebuilt;
    if (high_.from && (upper_.atLeast || upper_.stops > high_.from->stops)) {
      upper_ = fixedAt(high_.from->stops);
      upper_.extra = high_.from->sigma * high_.from->sigma;
      if (!high_.rebuilt.empty()) r_.rebuiltStops = minus(limits_[kY].clip, upper_).limit();
    }
    r_.colourComplete = upper_.limit();
  }

  [[nodiscard]] std::optional<Traced> lower(double snr) const {
    const auto at = limits_[kY].lower.find(snr);
    return at == limits_[kY].lower.end() ? std::nullopt : std::optional(at->second);
  }

  void findHeadline() {
    const auto floor = lower(o_.headlineSnr);
    if (floor) r_.headline = minus(upper_, *floor).limit();
    const std::string raster = fmt::format("{} x {}", w_.developedWidth, w_.developedHeight);
    r_.headlineLabel = fmt::format("colour-complete to luma SNR {:g}, {}, per pixel at {}, as delivered",
                                   o_.headlineSnr, w_.frames > 1 ? "temporal" : "one frame: spatial", raster);
    if (!w_.lossyCodec.empty()) r_.headlineLabel += " (after " + w_.lossyCodec + " coding)";
    const auto corrected = r_.corrected[kY].find(o_.headlineSnr);
    const auto delivered = r_.channel[kY].range.find(o_.headlineSnr);
    if (corrected == r_.corrected[kY].end() || delivered == r_.channel[kY].range.end()) return;
    const double difference = delivered->second.stops - corrected->second.stops;
    if (std::abs(difference) > kUnprintedCorrection)
      r_.headlineLabel +=
          fmt::format("; {:.1f} stops {} before {}", std::abs(difference), difference > 0 ? "less" : "more",
                      w_.lossyCodec.empty() ? "filtering" : "coding");
  }

  void findGrey() {
    const auto typed = o_.grey ? o_.grey : w_.grey;
    if (!typed && !(r_.channel[kY].slope > 0)) return;
    const Traced grey = typed ? fixedAt(*typed) : limits_[kY].grey;
    r_.greyStops = grey.stops;
    r_.aboveGrey = minus(upper_, grey).limit();
    if (const auto two = lower(2)) r_.belowGrey = minus(grey, *two).limit();
    if (const auto one = lower(1)) r_.noiseFloorBelowGrey = minus(grey, *one).limit();
    if (limits_[kY].lower.empty()) return;
    // A sixth of a stop (12.2 %) must exceed the noise of the difference of two 32-px means: SNR >
    // sqrt(2)/(32 (2^(1/6)-1)) = 0.36, so that SNR 2 decides, unless stripes do not average out over the
    // area.
    const double stripes = stripeShare();
    const double needed =
        std::sqrt(2.0) / (std::exp2(1.0 / 6) - 1) * std::sqrt(1.0 / (32 * 32) + stripes / 32);
    if (const auto safe = needed <= 2 ? lower(2) : limitAt(needed))
      r_.safeShadow = minus(grey, *safe).limit();
  }

  // Stripes in rows or columns over the noise of a pixel, as variances, in the darkest steps.
  [[nodiscard]] double stripeShare() const {
    double share = 0;
    int n = 0;
    for (size_t k = w_.patches.size(); k-- > 0 && n < 3;) {
      const ChannelMeasure& y = w_.patches[k].channel[kY];
      if (!(y.variance > 0)) continue;
      share += std::max({0.0, y.rowVariance, y.columnVariance}) / y.variance, ++n;
    }
    return n ? share / n : 0;
  }

  [[nodiscard]] std::optional<Traced> limitAt(double snr) const {
    ChannelQuestion q = question(kY, 1);
    q.thresholds = {snr};
    const auto found = limitsOf(w_, q).lower;
    return found.empty() ? std::nullopt : std::optional(found.begin()->second);
  }

  void classify() {
    const auto& y = r_.channel[kY];
    for (size_t k = 0; k < w_.patches.size(); ++k) {
      int clipped = 0;
      for (int c = 0; c < 3; ++c) {
        const Limit& l = r_.channel[c].clip;
        clipped += !l.atLeast && w_.patches[k].stops > l.stops;
      }
      const double snr = y.snr[k];
      const auto in = [&](const std::vector<size_t>& list) {
        return std::find(list.begin(), list.end(), k) != list.end();
      };
      const bool rebuilt = in(high_.rebuilt), one = in(high_.oneChannel);
      r_.states.push_back(clipped == 3                        ? PatchState::Clipped
                          : rebuilt                           ? PatchState::Rebuilt
                          : clipped > 0 || one                ? PatchState::OneChannel
                          : y.trust[k] == NoiseTrust::Removed ? PatchState::Unknown
                          : snr >= 2                          ? PatchState::Intact
                          : snr >= 1                          ? PatchState::Noisy
                                                              : PatchState::Lost);
      r_.stepsVisible += clipped == 0 && !rebuilt && !one && snr >= 1;
    }
  }

  const WedgeMeasure& w_;
  const RangeOptions& o_;
  Highlights high_;
  ChartScatter scatter_;
  ChannelLimits limits_[kMeasured];
  Traced upper_;  // colour-complete
  std::vector<double> thresholds_;
  bool mendable_ = true;  // what filters the noise can be taken off
  RangeResult r_;
};

}  // namespace

const char* wordOf(PatchState s) {
  switch (s) {
    case PatchState::Clipped:
      return "clipped";
    case PatchState::OneChannel:
      return "one-channel";
    case PatchState::Rebuilt:
      return "rebuilt";
    case PatchState::Intact:
      return "intact";
    case PatchState::Noisy:
      return "noisy";
    case PatchState::Unknown:
      return "noise-removed";
    default:
      return "lost";
  }
}

const char* wordOf(NoiseTrust t) {
  constexpr const char* kWords[] = {"known", "coded", "quantised", "removed"};
  return kWords[static_cast<int>(t)];
}

void setBlack(RangeOptions& options, const WedgeMeasure& capOn) {
  for (int c = 0; c < kMeasured; ++c) {
    const PatchMeasure* darkest = &capOn.patches.at(0);
    for (const auto& p : capOn.patches)
      if (p.channel[c].mean < darkest->channel[c].mean) darkest = &p;
    options.black[c] = darkest->channel[c];
    options.shading[c].clear();
    for (const auto& p : capOn.patches)
      options.shading[c].push_back(p.channel[c].mean - darkest->channel[c].mean);
  }
}

double snrGapStops(double r) {
  return std::log2(4 * (1 + std::sqrt(1 + r * r)) / (1 + std::sqrt(1 + 4 * r * r)));
}

RangeResult analyseRange(const WedgeMeasure& wedge, const RangeOptions& options) {
  return Analysis(wedge, options).run();
}

}  // namespace edge
