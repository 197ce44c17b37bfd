#include "report/explain.h"

#include <fmt/format.h>

#include <cmath>
#include <map>

#include "base/numbers.h"
#include "report/explain_latitude.h"

namespace edge {
namespace {

constexpr const char* kUnexplained = "Not explained";

std::string wedgeInputs(const Finding& f) {
  const WedgeMeasure& w = *f.wedge;
  return fmt::format("Inputs: {} patches of the wedge, {} frames, {} x {}, {}; curve {}, {} range.",
                     w.patches.size(), w.frames, w.rasterWidth, w.rasterHeight,
                     w.mosaic       ? "mosaic, developed by 2x2 cell"
                     : w.subsampled ? "4:2:2"
                                    : "4:4:4",
                     w.curve.substr(w.curve.find_last_of('/') + 1), w.range);
}

std::string clipPoints(const RangeResult& r) {
  constexpr const char* kNames[3] = {"red", "green", "blue"};
  std::string s = "Channels end, in stops of the chart:";
  for (int c = 0; c < 3; ++c)
    s += fmt::format(" {} {}{}{}", kNames[c], r.channel[c].clip.atLeast ? "beyond " : "",
                     formatSigned(r.channel[c].clip.stops, 2), c < 2 ? "," : ".");
  return s;
}

Explanation explainSnr(const Finding& f, double threshold) {
  const RangeResult& r = *f.range;
  Explanation e{fmt::format("Range to SNR {:g}", threshold), {}};
  e.paragraphs.push_back(
      "Signal a·E from one straight line through the unclipped patches (m = a·E + g, weighted least "
      "squares), "
      "noise the temporal standard deviation per pixel; SNR = a·E / sd. The limit is where log2 SNR, "
      "interpolated between the two patches around it, meets the threshold.");
  const auto& y = r.channel[kY];
  if (const auto at = y.lower.find(threshold); at != y.lower.end())
    e.paragraphs.push_back(
        fmt::format("Luma meets SNR {:g} at {} ±{} on the chart's scale; luma clips at {}. Slope a = {:.5g} "
                    "±{:.2g}, offset g = {:.3g}.",
                    threshold, formatSigned(at->second.stops, 2), formatNumber(at->second.sigma, 2),
                    formatSigned(y.clip.stops, 2), y.slope, y.slopeSigma, y.offset));
  return e;
}

Explanation explainRange(const Finding& f, const std::string& key, const RangeOptions& o) {
  const RangeResult& r = *f.range;
  Explanation e;
  if (key == "headline") {
    e.title = "Dynamic range, headline";
    e.paragraphs = {fmt::format("Lowest channel clip ({}) minus the place where luma reaches SNR {:g}.",
                                formatSigned(r.colourComplete.stops, 2), o.headlineSnr),
                    "A stop where one channel is gone has lost its colour and does not count. SNR 2 is the "
                    "default because a "
                    "tone whose noise is half its size still grades; SNR 1 flatters. Drag the threshold in "
                    "the SNR plot for another school.",
                    clipPoints(r)};
  } else if (key == "above-grey" || key == "below-grey") {
    e.title = key == "above-grey" ? "Stops above grey" : "Stops below grey";
    e.paragraphs = {
        fmt::format("18 % grey lies at {} on the chart's scale: where the line gives scene-linear 0.18{}.",
                    r.greyStops ? formatSigned(*r.greyStops, 2) : "?",
                    f.wedge->grey ? " (the chart names its grey patch)" : ""),
        key == "above-grey" ? clipPoints(r) : "Down to luma SNR 2."};
  } else if (key == "noise-floor") {
    e.title = "Noise floor below grey";
    e.paragraphs = {
        "The level below grey at which luma noise is as large as the signal (SNR 1), temporal, per pixel."};
  } else if (key == "steps") {
    e.title = "Steps above the noise";
    e.paragraphs = {
        fmt::format("{} patches are unclipped with luma SNR of at least 1. Whole numbers only: ±0.5 is "
                    "inherent; an eye sees 2 to 4 more.",
                    r.stepsVisible)};
  } else if (key == "filtering") {
    e.title = "Filtering of the noise";
    const ChannelFiltering& y = f.wedge->filtering[kY];
    e.paragraphs = {fmt::format("Luma noise correlates by {:.3f} with the line below (above 0.10: filtered, "
                                "above 0.30: strongly) and by {:.3f} from frame to frame.",
                                y.verticalLag, y.temporalRho),
                    fmt::format("White-equivalent variance is {:.2f} times the measured one.", y.inflation)};
  } else if (key == "safe") {
    e.title = "Safe shadow below grey";
    e.paragraphs = {
        "The darkest tone with luma SNR of at least 2 of which a sixth of a stop still moves the code by "
        "more than its "
        "noise over an area of 32 x 32 pixels, stripes counted. Below it a picture can be seen but not "
        "graded with "
        "confidence; to SNR 1 reaches the noise floor."};
  } else if (key == "total") {
    e.title = "Range with fixed pattern";
    e.paragraphs = {
        "As luma to SNR 2, but pattern that stands still counts as noise: pixel, row and column parts of the "
        "three-way "
        "split are added to the moving variance (ISO 15739 calls this total noise)."};
  } else if (key == "corrected") {
    const bool lossy = !f.wedge->lossyCodec.empty();
    e.title = lossy ? "Range before coding" : "Range with the filter taken off";
    if (lossy)
      e.paragraphs = {
          "A codec quantises in blocks of a transform. From how few and how large the coefficients of each "
          "step "
          "are it follows what the quantiser took of its noise; that is put back.",
          "Steps of which too little is left take their noise from the model through the others; below the "
          "last "
          "that tells, the range is \"at least\". Its error holds the doubt about the encoder."};
    else
      e.paragraphs = {
          "Smoothed noise is smaller but coarser. Its variance is brought to that of white noise of the same "
          "strength at large areas: the sum of the autocovariance to three pixels away, one factor per "
          "channel "
          "from all steps.",
          fmt::format("Here the luma variance counts {:.2f} times. Median-type filters can't be corrected.",
                      f.wedge->filtering[kY].inflation)};
  } else if (key == "raster") {
    e.title = "At the delivery raster";
    e.paragraphs = {
        fmt::format("Every frame is resampled from {} x {} to {} x {} by area average in scene-linear, then "
                    "measured as "
                    "the headline.",
                    f.wedge->developedWidth, f.wedge->developedHeight, f.rasterWedge->developedWidth,
                    f.rasterWedge->developedHeight),
        fmt::format("White noise would gain {:.2f} stops of SNR by the formula log2(width/width); filtered "
                    "noise gains "
                    "less.",
                    std::log2(static_cast<double>(f.wedge->developedWidth) / f.rasterWedge->developedWidth))};
  } else if (key == "rebuilt") {
    e.title = "Rebuilt highlights";
    e.paragraphs = {
        "Above the point where the first channel ends the camera goes on with luma made of the others. Its "
        "chroma noise "
        "falls below 0.6 of what the darker steps lead one to expect: that gives it away. No colour is left, "
        "so these "
        "stops are a bonus beside the headline, not part of it."};
  } else if (key == "upper") {
    e.title = "Where it clips";
    e.paragraphs = {
        "The plateau of the clipped patches meets the unity-slope line of the four or five patches below 0.8 "
        "of it.",
        clipPoints(r)};
  } else if (const auto snr = key.rfind("snr", 0) == 0 ? parseNumber(key.substr(3)) : std::nullopt;
             snr && *snr > 0) {
    return explainSnr(f, *snr);
  } else {
    return {kUnexplained, {"No explanation is written for \"" + key + "\": please report this."}};
  }
  e.paragraphs.push_back(wedgeInputs(f));
  e.paragraphs.push_back(clipLine(f, ClipKind::Wedge));
  return e;
}

// Noise of a step taken apart, in scene-linear.
std::string splitWords(const ChannelMeasure& y) {
  const auto part = [](const char* name, const std::optional<double>& variance) {
    if (!variance) return fmt::format("{} needs more frames", name);
    return *variance > 0 ? fmt::format("{} {:.2g}", name, std::sqrt(*variance))
                         : fmt::format("{} below detection", name);
  };
  return "Luma noise taken apart (scene-linear sd): " +
         part("moving pixel", y.variance - y.quantisationVariance - std::max(0.0, y.rowVariance) -
                                  std::max(0.0, y.columnVariance)) +
         ", " + part("rows", y.rowVariance) + ", " + part("columns", y.columnVariance) +
         "; standing: " + part("pixel", y.fixedVariance) + ", " + part("rows", y.fixedRowVariance) + ", " +
         part("columns", y.fixedColumnVariance) + "; " + part("flicker", y.flickerVariance) + ".";
}

Explanation explainPatch(const Finding& f, const std::string& name) {
  for (size_t k = 0; k < f.wedge->patches.size(); ++k) {
    const PatchMeasure& p = f.wedge->patches[k];
    if (p.name != name) continue;
    const ChannelMeasure& y = p.channel[kY];
    return {
        "Step " + name,
        {fmt::format("{}: {}.", wordOf(f.range->states[k]), whyOf(*f.wedge, *f.range, k)),
         fmt::format("Calibrated at {} ±{} stops. Luma SNR {:.2f}.", formatSigned(p.stops, 3),
                     formatNumber(p.stopsSigma, 3), f.range->channel[kY].snr[k]),
         splitWords(y),
         fmt::format(
             "Scene-linear mean R {:.4g}, G {:.4g}, B {:.4g}, Y {:.4g}; temporal sd of Y {:.3g} ({} of it "
             "rounding to codes).",
             p.channel[kR].mean, p.channel[kG].mean, p.channel[kB].mean, y.mean, std::sqrt(y.variance),
             y.variance > 0 ? fmt::format("{:.1f} %", 100 * y.quantisationVariance / y.variance) : "none"),
         fmt::format("Region: {} x {} pixels inside the step, {} frames.", p.width, p.height,
                     f.wedge->frames)}};
  }
  return {"Step " + name, {"This step is not on the chart."}};
}

}  // namespace

Explanation explain(const Finding& f, const std::string& key, const RangeOptions& options,
                    const CriteriaProfile& criteria) {
  const bool patch = key.rfind("patch:", 0) == 0, latitude = isLatitudeKey(key);
  if (latitude ? !f.latitude : !f.range)
    return {"Not measured yet",
            {latitude ? "This figure appears when the bracket of this configuration has been measured."
                      : "This figure appears when the wedge of this configuration has been measured."}};
  if (latitude) return explainLatitude(f, key, criteria);
  if (patch) return explainPatch(f, key.substr(6));
  if (key == "raster" && !f.rasterWedge)
    return {"Not measured yet", {"The wedge has not been measured at the delivery raster yet: use Analyse."}};
  return explainRange(f, key, options);
}

}  // namespace edge
