#include "measure/range_warnings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kFilteredStrongly = 0.30;  // lag of neighbours
constexpr double kScatterSeen = 0.03;       // stops about the line, beyond twice what the chart states
constexpr double kFlicker = 0.005;          // relative sd of the frame means
constexpr double kBent = 0.5;               // correlation of neighbouring steps

class Warnings {
 public:
  Warnings(const WedgeMeasure& w, const RangeOptions& o, const RangeResult& r, const RangeDoubts& x)
      : w_(w), o_(o), r_(r), x_(x) {}

  std::vector<Warning> run() {
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
    if (x_.undetermined && !r_.colourComplete.atLeast)
      add("rebuilt-undetermined",
          "too little chroma noise for these codes: rebuilt highlights can't be told");
    warnGlare();
    warnGap();
    warnLine();
    warnFlicker();
    warnOf(w_.missing, "", out_);
    for (size_t k = 0; k < r_.states.size(); ++k)
      if (r_.states[k] == PatchState::OneChannel) {
        add("one-channel-clipped", "not all channels clip here: its colour is gone",
            "patch " + w_.patches[k].name);
        break;
      }
    return std::move(out_);
  }

 private:
  void add(const char* code, std::string message, std::string where = "") {
    out_.push_back({code, std::move(message), std::move(where)});
  }

  void warnLimits() {
    if (r_.colourComplete.atLeast)
      add("upper-not-reached", "the brightest patch is not clipped: open up until step 1 clips");
    const auto& lower = r_.channel[kY].lower;
    const auto at = lower.find(o_.headlineSnr);
    const bool removed = std::find(r_.channel[kY].trust.begin(), r_.channel[kY].trust.end(),
                                   NoiseTrust::Removed) != r_.channel[kY].trust.end();
    if (at == lower.end())
      add("lower-not-reached",
          fmt::format("luma never reaches SNR {:g}: no range can be given", o_.headlineSnr));
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
    if (!x_.mendable)
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
      add("repeated-frames", w_.frames < 2
                                 ? std::string("every frame is the same: nothing can be said of noise")
                                 : fmt::format("{} frames repeat the one before{}: they count once",
                                               w_.repeatedFrames + w_.nearRepeats,
                                               w_.repeatedFields ? " in one field (pulled down)" : ""));
    if (w_.interlaced)
      add("interlaced",
          "the file says that its frames are interlaced: two fields of different moments in each");
    if (const auto k = trusts(NoiseTrust::Removed))
      add("noise-removed",
          "from here down noise was removed (coring, noise reduction, coding): what was below it is not "
          "known",
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
          fmt::format(
              "the brightest step is {:.2f} stops dimmer than its calibration, with no sign of a clip: "
              "uneven light or a wrong density",
              *dim),
          "patch " + w_.patches[brightestFirst(w_)[0]].name);
    if (w_.otherRangeFits)
      return add(
          "range-tag",
          fmt::format("levels bend as {} range and are straight as {} range: the clip's tag or the choice is "
                      "wrong",
                      w_.range, w_.range == "legal" ? "full" : "legal"));
    if (x_.scatter.scale < 2 || x_.scatter.stops < kScatterSeen) return;
    if (x_.scatter.drift > kBent)
      add("wrong-curve",
          fmt::format(
              "levels bend away from a straight line by {:.2f} stops rms: wrong curve, range or matrix?",
              x_.scatter.stops));
    else
      add("chart-scatter",
          fmt::format(
              "the steps scatter by {:.2f} stops about the line, more than the chart states: calibrate it, "
              "or light it more evenly",
              x_.scatter.stops));
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
  const RangeResult& r_;
  const RangeDoubts& x_;
  std::vector<Warning> out_;
};

}  // namespace

std::vector<Warning> warningsOf(const WedgeMeasure& wedge, const RangeOptions& options,
                                const RangeResult& result, const RangeDoubts& doubts) {
  return Warnings(wedge, options, result, doubts).run();
}

}  // namespace edge
