#include "measure/range.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "measure/channel_limits.h"
#include "measure/highlights.h"
#include "measure/noise.h"
#include "measure/response.h"

namespace edge {
namespace {

constexpr double kFiltered = 0.10, kFilteredStrongly = 0.30;  // vertical lag
constexpr double kSharpened = -0.05;       // lowest lag
constexpr double kFilteredFactor = 0.10;   // of ln variance: 0.07 stop of range where read noise limits
constexpr double kTemporalFiltered = 0.05;
constexpr double kFactorErrors = 1.25;     // the factors' errors are themselves read from about ten patches
constexpr double kStepped = 0.2;  // excess kurtosis of differences of neighbours
constexpr double kNoMedian = 2;   // inflation below it: the smallest median of all makes it 5
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
      if (!r_.channel[c].usable) continue;
      if (!w_.lossyCodec.empty()) {
        ChannelQuestion q = question(c, 1);
        q.beforeCoding = true;
        r_.corrected[c] = limitsOf(w_, q).range.range;
        continue;
      }
      const bool spatial = isFiltered(f), temporal = isTemporal(f);
      if ((!spatial && !temporal) || f.patches < kTellingPatches) continue;
      (spatial && f.inflation < 1 ? r_.sharpened : r_.filtered) = true;
      if (temporal) r_.filtered = true;
      const bool told = (!spatial || (f.settled && f.sameForAll && isLinear(f))) && (!temporal || f.temporalKnown);
      mendable_ = mendable_ && told;
      if (!told) continue;
      ChannelQuestion q = question(c, (spatial ? f.inflation : 1) * (temporal ? f.temporalFactor : 1));
      q.factorSigma = kFactorErrors * std::hypot(spatial ? f.inflationSigma / f.inflation : 0,
                                                 temporal ? f.temporalFactorSigma : 0) +
                      (spatial ? f.rounding : 0);
      r_.corrected[c] = limitsOf(w_, q).range.range;
    }
    if (!mendable_)
      for (auto& list : r_.corrected) list.clear();
  }

  // By its factor on the variance, or by what correlates neighbours.
  static bool isFiltered(const ChannelFiltering& f) {
    const double sigma = f.inflationSigma / f.inflation;
    return f.verticalLag > kFiltered || f.horizontalLag > kFiltered || f.lowestLag < kSharpened ||
           std::abs(std::log(f.inflation)) > std::max(kFilteredFactor, 5 * sigma);
  }
  // A median or an edge-preserving filter: neighbours differ in steps, not like Gaussian noise.
  static bool isLinear(const ChannelFiltering& f) {
    if (!(f.edgeKurtosisSigma > 0)) return f.inflation < kNoMedian;  // less than a code: can't be seen
    return f.edgeKurtosis < std::max(kStepped, 6 * f.edgeKurtosisSigma);
  }
  static bool isTemporal(const ChannelFiltering& f) {
    return std::abs(f.temporalRho) > std::max(kTemporalFiltered, 5 * f.temporalSigma);
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
      r_.headlineLabel += fmt::format("; {:.1f} stops {} before {}", std::abs(difference), difference > 0 ? "less" : "more",
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
      r_.states.push_back(clipped == 3         ? PatchState::Clipped
                          : rebuilt            ? PatchState::Rebuilt
                          : clipped > 0 || one ? PatchState::OneChannel
                          : y.trust[k] == NoiseTrust::Removed ? PatchState::Unknown
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
    warnFiltered();
    warnTaken();
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
    const bool removed = std::find(r_.channel[kY].trust.begin(), r_.channel[kY].trust.end(), NoiseTrust::Removed) !=
                         r_.channel[kY].trust.end();
    if (at == lower.end())
      add("lower-not-reached", fmt::format("luma never reaches SNR {:g}: no range can be given", o_.headlineSnr));
    else if (at->second.atLeast)
      add("lower-not-reached",
          removed ? "what is known of the noise ends before the floor: noise was removed below it"
                  : "the chart ends before the floor: a longer wedge or less light is needed");
  }

  void warnFiltered() {
    double lag = 0, rho = 0, lowest = 0;
    for (int c = 0; c < kMeasured; ++c) {
      const ChannelFiltering& f = w_.filtering[c];
      if (!r_.channel[c].usable || f.patches < kTellingPatches) continue;
      lag = std::max({lag, f.verticalLag, f.horizontalLag}), rho = std::max(rho, std::abs(f.temporalRho));
      lowest = std::min(lowest, f.lowestLag);
    }
    if (r_.filtered)
      add("filtered",
          fmt::format("noise is {}filtered (correlation of neighbours {:.2f}, of frames {:.2f}): see "
                      "filter_corrected",
                      lag > kFilteredStrongly ? "strongly " : "", lag, rho));
    if (r_.sharpened)
      add("sharpened",
          fmt::format("the picture is sharpened (correlation of neighbours down to {:.2f}): noise is raised, "
                      "see filter_corrected",
                      lowest));
    if (!mendable_)
      add("unreliable",
          "noise is filtered in a way that can't be taken off: not alike for all levels, wider than can be "
          "followed, not linear (a median, say), or no simple filter in time");
    if (r_.channel[kY].clamped && (r_.filtered || r_.sharpened))
      add("unreliable", "noise is filtered and black is clamped: the range can't be trusted");
  }

  // Noise that a codec, a reducer or rounding took away.
  void warnTaken() {
    const auto& y = r_.channel[kY];
    const auto first = [&](auto test) -> std::optional<size_t> {
      for (size_t k : brightestFirst(w_))
        if (r_.states[k] != PatchState::Clipped && test(k)) return k;
      return std::nullopt;
    };
    const auto trusts = [&](NoiseTrust t) { return first([&](size_t k) { return y.trust[k] == t; }); };
    if (!w_.lossyCodec.empty())
      add("lossy-codec",
          fmt::format("{} changes noise: figures as delivered are those after coding; before it: see "
                      "filter_corrected{}",
                      w_.lossyCodec, r_.corrected[kY].empty() ? " (too much is gone to tell)" : ""));
    if (w_.repeatedFrames > 0 || w_.nearRepeats > 0)
      add("repeated-frames",
          w_.frames < 2 ? std::string("every frame is the same: nothing can be said of noise")
                        : fmt::format("{} frames repeat the one before{}: they count once",
                                      w_.repeatedFrames + w_.nearRepeats,
                                      w_.repeatedFields ? " in one field (pulled down)" : ""));
    if (w_.interlaced)
      add("interlaced", "the file says that its frames are interlaced: two fields of different moments in each");
    if (const auto k = trusts(NoiseTrust::Removed))
      add("noise-removed",
          "from here down noise was removed (coring, noise reduction, coding): what was below it is not known",
          "patch " + w_.patches[*k].name);
    if (const auto k = first([&](size_t i) { return y.trust[i] == NoiseTrust::Quantised && y.snr[i] < 200; }))
      add("quantised", "noise below a quarter of a code: limited by rounding, not known to be clean",
          "patch " + w_.patches[*k].name);
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
    if (const auto& dim = r_.channel[kY].dimmer)
      add("chart-scatter",
          fmt::format("the brightest step is {:.2f} stops dimmer than its calibration, with no sign of a clip: "
                      "uneven light or a wrong density",
                      *dim),
          "patch " + w_.patches[brightestFirst(w_)[0]].name);
    if (w_.otherRangeFits)
      return add("range-tag",
                 fmt::format("levels bend as {} range and are straight as {} range: the clip's tag or the choice is "
                             "wrong",
                             w_.range, w_.range == "legal" ? "full" : "legal"));
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
    for (const auto& p : capOn.patches) options.shading[c].push_back(p.channel[c].mean - darkest->channel[c].mean);
  }
}

double snrGapStops(double r) {
  return std::log2(4 * (1 + std::sqrt(1 + r * r)) / (1 + std::sqrt(1 + 4 * r * r)));
}

RangeResult analyseRange(const WedgeMeasure& wedge, const RangeOptions& options) {
  return Analysis(wedge, options).run();
}

}  // namespace edge
