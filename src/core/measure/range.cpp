#include "measure/range.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "measure/highlights.h"
#include "measure/response.h"

namespace edge {
namespace {

constexpr double kFiltered = 0.10, kFilteredStrongly = 0.30;  // vertical lag
constexpr double kTemporalFiltered = 0.10;
constexpr double kClampSkewness = 0.3;
constexpr double kUnprintedCorrection = 0.3;  // stops; a larger one is printed with the headline
const double kLn2 = std::log(2.0);

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
    for (int c = 0; c < kMeasured; ++c) r_.channel[c] = measureChannel(c, 1);
    findFiltering();
    findUpper();
    findHeadline();
    findGrey();
    classify();
    warn();
    return r_;
  }

 private:
  ChannelRange measureChannel(int c, double varianceFactor) const {
    ChannelRange out;
    out.usable = c == kY || !w_.subsampled;
    const ResponsePoints p = pointsOf(w_, c, varianceFactor);
    const Response r = fitResponse(p, blackLevel(c));
    out.slope = r.slope, out.offset = r.offset;
    out.slopeSigma = r.slopeSigma, out.offsetSigma = r.offsetSigma;
    out.clip = r.clip;
    out.snr.assign(w_.patches.size(), 0);
    out.model = fitNoiseModel(p, r);
    out.clamped = isClamped(c, p, r, out.model);
    std::vector<double> snr(p.light.size());
    for (size_t i = 0; i < snr.size(); ++i) {
      const double signal = std::max(0.0, r.slope * p.light[i]);
      double variance = p.variance[i];
      const bool belowClamp = out.clamped && out.model.valid && signal < 3 * std::sqrt(variance);
      if (belowClamp) variance = out.model.varianceAt(p.light[i]) * r.slope * r.slope;
      snr[i] = signal / std::sqrt(variance);
      out.snr[p.patch[i]] = snr[i];
    }
    if (!out.usable || !(r.slope > 0)) return out;
    for (double t : thresholds_) {
      out.lower[t] = lowerLimit(p, r, snr, t, c, out.clamped);
      out.range[t] = combine(out.clip, out.lower[t]);
    }
    return out;
  }

  [[nodiscard]] std::optional<double> blackLevel(int c) const {
    return o_.black[c] ? std::optional(o_.black[c]->mean) : std::nullopt;
  }

  static Limit combine(const Limit& upper, const Limit& lower) {
    return {upper.stops - lower.stops, std::hypot(upper.sigma, lower.sigma), upper.atLeast || lower.atLeast};
  }

  // From bright to dark, between the patches that bracket the threshold.
  Limit lowerLimit(const ResponsePoints& p, const Response& r, const std::vector<double>& snr,
                   double threshold, int c, bool clamped) const {
    size_t i = 0;
    while (i < snr.size() && r.clipped[i]) ++i;
    size_t last = snr.size();
    for (; i < snr.size(); ++i) {
      if (snr[i] >= threshold) {
        last = i;
        continue;
      }
      if (last < snr.size()) break;
    }
    if (last == snr.size()) return {p.stops.back(), 0, true};
    if (i == snr.size()) return {p.stops.back(), p.chartSigma.back(), true};
    const double high = std::log2(snr[last]), low = std::log2(std::max(snr[i], 1e-6)),
                 want = std::log2(threshold);
    const double share = (high - want) / (high - low);
    const double gap = p.stops[last] - p.stops[i];
    const double slope = std::max(0.3, (high - low) / gap);
    return {p.stops[last] - share * gap, lowerSigma(p, r, last, i, share, slope, c, clamped), false};
  }

  // Sampling of the noise, of the line's slope, and of the chart where noise still depends on light.
  double lowerSigma(const ResponsePoints& p, const Response& r, size_t a, size_t b, double share,
                    double slope, int c, bool clamped) const {
    const double inflation = std::max(1.0, w_.filtering[c].inflation);
    const auto relative = [&](size_t i) {
      const double dof = p.samples[i] * std::max(1.0, p.frames[i] - 1) / inflation;
      return std::sqrt(1 / (2 * dof)) / kLn2;
    };
    const double wa = 1 - share, wb = share;
    const double noise = std::hypot(wa * relative(a), wb * relative(b)) / slope;
    const double line = r.slopeSigma / r.slope / kLn2 / slope;
    const double chart = std::hypot(wa * p.chartSigma[a], wb * p.chartSigma[b]) * std::abs(1 - slope) / slope;
    const double bend = 0.02 * (p.stops[b] - p.stops[a]);  // a chord across a bent curve, at one-stop steps
    return std::sqrt(noise * noise + line * line + chart * chart + bend * bend + (clamped ? 0.06 * 0.06 : 0));
  }

  // A clamp cuts the noise below black: its skewness beyond that of photons shows it, cap-on or below SNR 1.
  bool isClamped(int c, const ResponsePoints& p, const Response& r, const NoiseModel& model) const {
    if (o_.black[c]) return o_.black[c]->skewness > kClampSkewness;
    const size_t darkest = p.light.size() - 1;
    const double signal = r.slope * p.light[darkest];
    if (!(r.slope > 0) || signal >= std::sqrt(p.variance[darkest])) return false;
    double photons = 0;
    if (model.valid) {
      const double v = model.varianceAt(p.light[darkest]);
      if (v > 0) photons = p.light[darkest] * model.photon * model.photon / std::pow(v, 1.5);
    }
    return w_.patches[p.patch[darkest]].channel[c].skewness - photons > kClampSkewness;
  }

  void findFiltering() {
    for (int c = 0; c < kMeasured; ++c) {
      const ChannelFiltering& f = w_.filtering[c];
      const bool spatial = f.verticalLag > kFiltered, temporal = f.temporalRho > kTemporalFiltered;
      if (!r_.channel[c].usable || (!spatial && !temporal)) continue;
      const double factor = (spatial ? std::max(1.0, f.inflation) : 1) *
                            (temporal ? (1 + f.temporalRho) / (1 - f.temporalRho) : 1);
      r_.corrected[c] = measureChannel(c, factor).range;
      r_.filtered = true;
    }
  }

  void findUpper() {
    const Limit *reached = nullptr, *open = nullptr;
    for (int c = 0; c < 3; ++c) {
      const Limit& l = r_.channel[c].clip;
      const Limit*& slot = l.atLeast ? open : reached;
      if (!slot || l.stops < slot->stops) slot = &l;
    }
    r_.colourComplete = reached ? *reached : *open;
    high_ = findRebuilt(w_, r_.channel[kY]);
    r_.chromaRatio = high_.chromaRatio, r_.rebuilt = high_.rebuilt;
    if (!high_.from || (!r_.colourComplete.atLeast && r_.colourComplete.stops <= high_.from->stops)) return;
    r_.colourComplete = *high_.from;
    if (!high_.rebuilt.empty()) {
      const Limit& top = r_.channel[kY].clip;
      r_.rebuiltStops = Limit{top.stops - high_.from->stops, std::hypot(top.sigma, high_.from->sigma), top.atLeast};
    }
  }

  void findHeadline() {
    const auto& y = r_.channel[kY];
    const auto lower = y.lower.find(o_.headlineSnr);
    r_.headline = lower == y.lower.end() ? Limit{0, 0, true} : combine(r_.colourComplete, lower->second);
    const std::string raster = fmt::format("{} x {}", w_.developedWidth, w_.developedHeight);
    r_.headlineLabel = fmt::format("colour-complete to luma SNR {:g}, {}, per pixel at {}, as delivered",
                                   o_.headlineSnr, w_.frames > 1 ? "temporal" : "one frame: spatial", raster);
    const auto corrected = r_.corrected[kY].find(o_.headlineSnr);
    if (corrected == r_.corrected[kY].end()) return;
    const double difference = y.range.at(o_.headlineSnr).stops - corrected->second.stops;
    if (std::abs(difference) > kUnprintedCorrection)
      r_.headlineLabel += fmt::format("; {:.1f} stops less when corrected for filtering", difference);
  }

  void findGrey() {
    const auto& y = r_.channel[kY];
    r_.greyStops = o_.grey ? o_.grey : w_.grey;
    if (!r_.greyStops && y.slope > 0) r_.greyStops = std::log2(kMiddleGrey / y.slope);
    if (!r_.greyStops || y.lower.empty()) return;
    const Limit grey = {*r_.greyStops, 0, false};
    r_.aboveGrey = combine(r_.colourComplete, grey);
    r_.belowGrey = combine(grey, y.lower.at(2));
    r_.noiseFloorBelowGrey = combine(grey, y.lower.at(1));
    findSafeShadow();
  }

  // Darkest stop where SNR >= 2 and a sixth of a stop moves the code by more than its noise over a 32-px
  // area. The mean over the area has noise sd/32, so a sixth of a stop (12.2 %) must exceed it: SNR > 1/(32
  // (2^(1/6)-1)).
  void findSafeShadow() {
    const double needed = std::max(2.0, std::sqrt(2.0) / (32 * (std::exp2(1.0 / 6) - 1)));
    const auto& lower = r_.channel[kY].lower;
    if (const auto at = lower.find(needed); at != lower.end() && !at->second.atLeast)
      r_.safeShadow = *r_.greyStops - at->second.stops;
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
      r_.states.push_back(clipped == 3  ? PatchState::Clipped
                          : rebuilt     ? PatchState::Rebuilt
                          : clipped > 0 || one ? PatchState::OneChannel
                          : snr >= 2    ? PatchState::Intact
                          : snr >= 1    ? PatchState::Noisy
                                        : PatchState::Lost);
      r_.stepsVisible += clipped == 0 && !rebuilt && !one && snr >= 1;
    }
  }

  void add(const char* code, std::string message, std::string where = "") {
    r_.warnings.push_back({code, std::move(message), std::move(where)});
  }

  void warn() {
    const auto& y = r_.channel[kY];
    if (w_.frames < 8)
      add("few-frames", w_.frames == 1 ? "one frame only: fixed and moving noise can't be told apart"
                                       : "fewer than 8 frames: fixed noise is not separated");
    for (const auto& p : w_.patches)
      if (p.width < 32 || p.height < 32) {
        add("small-patch", "patches of less than 32 x 32 pixels: larger error", "patch " + p.name);
        break;
      }
    warnLimits();
    if (y.clamped) add("clamped-black", "black is clamped: figures below SNR 3 are modelled below the clamp");
    if (r_.filtered) warnFiltered();
    if (y.clamped && r_.filtered)
      add("unreliable", "noise is filtered and black is clamped: the range can't be trusted");
    for (size_t k = 0; k < w_.patches.size(); ++k)
      if (w_.patches[k].channel[kY].quantisation == Quantisation::Limited &&
          r_.states[k] != PatchState::Clipped && y.snr[k] < 200) {
        add("quantised", "noise below a quarter of a code: limited by rounding, not known to be clean",
            "patch " + w_.patches[k].name);
        break;
      }
    if (!r_.rebuilt.empty())
      add("rebuilt-highlights",
          fmt::format("{} patches are rebuilt from channels that do not clip: no colour, out of the headline; "
                      "repeat at +1/3 and +2/3, or once with a wrong white balance or a colour filter",
                      r_.rebuilt.size()),
          "patch " + w_.patches[r_.rebuilt.back()].name);
    if (high_.undetermined && !r_.colourComplete.atLeast)
      add("rebuilt-undetermined", "too little chroma noise for these codes: rebuilt highlights can't be told");
    warnGlare();
    warnGap();
    if (w_.missingFrames > 0)
      add("truncated",
          fmt::format("the clip ends early: {} frames promised are not there", w_.missingFrames));
    for (size_t k = 0; k < r_.states.size(); ++k)
      if (r_.states[k] == PatchState::OneChannel) {
        add("one-channel-clipped", "not all channels clip here: its colour is gone",
            "patch " + w_.patches[k].name);
        break;
      }
  }

  void warnLimits() {
    if (r_.colourComplete.atLeast)
      add("upper-not-reached", "the brightest patch is not clipped: open up until step 1 clips");
    const auto& lower = r_.channel[kY].lower;
    const auto at = lower.find(o_.headlineSnr);
    if (at == lower.end() || at->second.atLeast)
      add("lower-not-reached", "the chart ends before the floor: a longer wedge or less light is needed");
  }

  void warnFiltered() {
    double lag = 0, rho = 0;
    for (int c = 0; c < kMeasured; ++c)
      if (!r_.corrected[c].empty())
        lag = std::max(lag, w_.filtering[c].verticalLag), rho = std::max(rho, w_.filtering[c].temporalRho);
    add("filtered",
        fmt::format("noise is {}filtered (vertical lag {:.2f}, temporal {:.2f}): see filter_corrected",
                    lag > kFilteredStrongly ? "strongly " : "", lag, rho));
  }

  void warnGlare() {
    const auto& y = r_.channel[kY];
    if (!o_.black[kY] || y.clamped || !(y.slope > 0)) return;
    const double glare = y.offset - o_.black[kY]->mean;
    const double atFloor = y.lower.count(2) ? y.slope * std::exp2(y.lower.at(2).stops) : 0;
    if (glare > 3 * y.offsetSigma && glare > 0.1 * atFloor)
      add("glare", fmt::format("veiling glare of {:.2g} scene-linear lifts the dark patches", glare));
  }

  void warnGap() {
    const auto& range = r_.channel[kY].range;
    const auto one = range.find(1.0), two = range.find(2.0);
    if (one == range.end() || two == range.end() || one->second.atLeast || two->second.atLeast) return;
    const double gap = one->second.stops - two->second.stops;
    if (gap < 1.0 - 0.05 || gap > 1.9)
      add("implausible-gap",
          fmt::format("SNR 1 and SNR 2 lie {:.2f} stops apart; 1.0 to 1.9 is usual: clamp, coring or glare?",
                      gap));
  }

  const WedgeMeasure& w_;
  const RangeOptions& o_;
  Highlights high_;
  std::vector<double> thresholds_;
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
    default:
      return "lost";
  }
}

double snrGapStops(double r) {
  return std::log2(4 * (1 + std::sqrt(1 + r * r)) / (1 + std::sqrt(1 + 4 * r * r)));
}

RangeResult analyseRange(const WedgeMeasure& wedge, const RangeOptions& options) {
  return Analysis(wedge, options).run();
}

}  // namespace edge
