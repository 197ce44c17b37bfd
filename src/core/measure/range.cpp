#include "measure/range.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "measure/channel_limits.h"
#include "measure/highlights.h"
#include "measure/noise.h"

namespace edge {
namespace {

constexpr double kFiltered = 0.10, kFilteredStrongly = 0.30;  // vertical lag
constexpr double kTemporalFiltered = 0.10;
constexpr int kTellingPatches = 3;            // fewer can't say whether noise is filtered
constexpr double kUnprintedCorrection = 0.3;  // stops; a larger one is printed with the headline
constexpr double kScatterSeen = 0.03;         // stops about the line, beyond twice what the chart states
constexpr double kFlicker = 0.005;            // relative sd of the frame means
constexpr double kBent = 0.5;                 // correlation of neighbouring steps

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
    warn();
    return r_;
  }

 private:
  [[nodiscard]] ChannelQuestion question(int c, double factor) const {
    ChannelQuestion q;
    q.channel = c, q.varianceFactor = factor, q.black = o_.black[c], q.thresholds = thresholds_;
    q.chartScale = scatter_.scale;
    if (c == kY && !w_.mosaic)
      for (int i = 0; i < 3; ++i) q.channelClamped = q.channelClamped || r_.channel[i].clamped;
    return q;
  }

  void findFiltering() {
    for (int c = 0; c < kMeasured; ++c) {
      const ChannelFiltering& f = w_.filtering[c];
      const bool spatial = f.verticalLag > kFiltered, temporal = f.temporalRho > kTemporalFiltered;
      if (!r_.channel[c].usable || (!spatial && !temporal) || f.patches < kTellingPatches) continue;
      ChannelQuestion q = question(
          c, (spatial ? std::max(1.0, f.inflation) : 1) * (temporal ? temporalFactor(f.temporalRho) : 1));
      // A sum of 49 lags, of which 24 are independent and count twice; filtered noise has fewer samples.
      if (spatial) q.factorSigma = std::sqrt(24 * (1 + f.inflation) / std::max(1.0, f.samples));
      r_.corrected[c] = limitsOf(w_, q).range.range;
      r_.filtered = true;
    }
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
    r_.headline = floor ? minus(upper_, *floor).limit() : Limit{0, 0, true};
    const std::string raster = fmt::format("{} x {}", w_.developedWidth, w_.developedHeight);
    r_.headlineLabel = fmt::format("colour-complete to luma SNR {:g}, {}, per pixel at {}, as delivered",
                                   o_.headlineSnr, w_.frames > 1 ? "temporal" : "one frame: spatial", raster);
    const auto corrected = r_.corrected[kY].find(o_.headlineSnr);
    if (corrected == r_.corrected[kY].end()) return;
    const double difference = r_.channel[kY].range.at(o_.headlineSnr).stops - corrected->second.stops;
    if (std::abs(difference) > kUnprintedCorrection)
      r_.headlineLabel += fmt::format("; {:.1f} stops less when corrected for filtering", difference);
  }

  void findGrey() {
    const auto typed = o_.grey ? o_.grey : w_.grey;
    if (!typed && !(r_.channel[kY].slope > 0)) return;
    const Traced grey = typed ? fixedAt(*typed) : limits_[kY].grey;
    r_.greyStops = grey.stops;
    if (limits_[kY].lower.empty()) return;
    r_.aboveGrey = minus(upper_, grey).limit();
    r_.belowGrey = minus(grey, *lower(2)).limit();
    r_.noiseFloorBelowGrey = minus(grey, *lower(1)).limit();
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
      r_.states.push_back(clipped == 3         ? PatchState::Clipped
                          : rebuilt            ? PatchState::Rebuilt
                          : clipped > 0 || one ? PatchState::OneChannel
                          : snr >= 2           ? PatchState::Intact
                          : snr >= 1           ? PatchState::Noisy
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
          fmt::format(
              "{} patches are rebuilt from channels that do not clip: no colour, out of the headline; "
              "repeat at +1/3 and +2/3, or once with a wrong white balance or a colour filter",
              r_.rebuilt.size()),
          "patch " + w_.patches[r_.rebuilt.back()].name);
    if (high_.undetermined && !r_.colourComplete.atLeast)
      add("rebuilt-undetermined",
          "too little chroma noise for these codes: rebuilt highlights can't be told");
    warnGlare();
    warnGap();
    warnLine();
    warnFlicker();
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

  // Median over the steps that tell: the light's own change from frame to frame.
  void warnFlicker() {
    std::vector<double> relative;
    for (size_t k = 0; k < w_.patches.size(); ++k) {
      const ChannelMeasure& y = w_.patches[k].channel[kY];
      if (r_.states[k] == PatchState::Intact && r_.channel[kY].snr[k] > 10 && y.mean > 0)
        relative.push_back(std::sqrt(std::max(0.0, y.flickerVariance)) / y.mean);
    }
    if (relative.size() < 3 || w_.frames < 4) return;
    std::nth_element(relative.begin(), relative.begin() + static_cast<std::ptrdiff_t>(relative.size() / 2),
                     relative.end());
    const double median = relative[relative.size() / 2];
    if (median > kFlicker)
      add("flicker",
          fmt::format("the light changes by {:.1f} % from frame to frame: each frame's mean is taken off "
                      "before noise is read, but look for lamps and shutter that do not go together",
                      100 * median));
  }

  void warnLine() {
    const char* names[3] = {"red", "green", "blue"};
    for (int c = 0; c < 3; ++c)
      if (const auto& knee = r_.channel[c].knee) {
        add("soft-knee",
            fmt::format(
                "{} leaves the straight line from {:+.2f} stops on: a soft shoulder; the clip point is "
                "where the line would meet the top",
                names[c], knee->stops));
        break;
      }
    if (scatter_.scale < 2 || scatter_.stops < kScatterSeen) return;
    if (scatter_.drift > kBent)
      add("wrong-curve",
          fmt::format(
              "levels bend away from a straight line by {:.2f} stops rms: wrong curve, range or matrix?",
              scatter_.stops));
    else
      add("chart-scatter",
          fmt::format(
              "the steps scatter by {:.2f} stops about the line, more than the chart states: calibrate it, "
              "or light it more evenly",
              scatter_.stops));
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
  ChartScatter scatter_;
  ChannelLimits limits_[kMeasured];
  Traced upper_;  // colour-complete
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

void setBlack(RangeOptions& options, const WedgeMeasure& capOn) {
  for (int c = 0; c < kMeasured; ++c) {
    const PatchMeasure* darkest = &capOn.patches.at(0);
    for (const auto& p : capOn.patches)
      if (p.channel[c].mean < darkest->channel[c].mean) darkest = &p;
    options.black[c] = darkest->channel[c];
  }
}

double snrGapStops(double r) {
  return std::log2(4 * (1 + std::sqrt(1 + r * r)) / (1 + std::sqrt(1 + 4 * r * r)));
}

RangeResult analyseRange(const WedgeMeasure& wedge, const RangeOptions& options) {
  return Analysis(wedge, options).run();
}

}  // namespace edge
