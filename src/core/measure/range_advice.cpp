#include "measure/range_advice.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "measure/response.h"

namespace edge {
namespace {

constexpr double kBrink = 0.05;  // stops a step stays under the clip
constexpr double kRightWithin = 0.15;

// A raw file says at which level it is full; a developed one does not.
Limit clipOf(const WedgeMeasure& w, const RangeResult& r) {
  if (!r.colourComplete.atLeast || !w.mosaic) return r.colourComplete;
  std::optional<Limit> lowest;
  for (int c = 0; c < 3; ++c) {
    const ChannelRange& ch = r.channel[c];
    if (!(ch.slope > 0) || ch.offset >= 1) continue;
    const Limit l{std::log2((1 - ch.offset) / ch.slope), ch.slopeSigma / ch.slope / std::log(2.0), false};
    if (!lowest || l.stops < lowest->stops) lowest = l;
  }
  return lowest.value_or(r.colourComplete);
}

std::string advice(const ExposureAdvice& a, const std::string& first, const std::string& second) {
  if (a.right)
    return fmt::format("exposed as it should be: step {} clips, step {} is at the brink", first, second);
  if (a.atLeast) return fmt::format("no step clips: open at least {:.1f} stop, then look again", a.openStops);
  return fmt::format("{} {:.1f} stop so that step {} clips and step {} is at the brink",
                     a.openStops > 0 ? "open" : "close", std::abs(a.openStops), first, second);
}

}  // namespace

ExposureAdvice adviseExposure(const WedgeMeasure& w, const RangeResult& r) {
  ExposureAdvice a;
  const auto order = brightestFirst(w);
  if (order.size() < 2) {
    a.words = "a wedge of one step can't be exposed for its edges";
    return a;
  }
  const PatchMeasure &first = w.patches[order[0]], &second = w.patches[order[1]];
  const Limit clip = clipOf(w, r);
  a.atLeast = clip.atLeast;
  a.openStops = clip.atLeast ? first.stops - second.stops : clip.stops - second.stops - kBrink;
  a.sigma = clip.sigma;
  a.right = !a.atLeast && std::abs(a.openStops) < kRightWithin;
  a.words = advice(a, first.name, second.name);
  const auto& lower = r.channel[kY].lower;
  const double darkest = w.patches[order.back()].stops;
  // Opening moves the floor down on the chart's scale by as much.
  if (const auto at = lower.find(1); at != lower.end() && !at->second.atLeast && !a.atLeast)
    a.chartShortBy = std::max(0.0, darkest - (at->second.stops - a.openStops));
  if (a.chartShortBy > 0)
    a.words += fmt::format(
        "; the wedge then ends {:.1f} stops above the floor: a longer one, or a second pass with "
        "less light",
        a.chartShortBy);
  return a;
}

std::vector<RangeLimitation> limitationsOf(const WedgeMeasure& w, const RangeResult& r, bool withBlack) {
  std::vector<RangeLimitation> list;
  const auto has = [&](const char* code) {
    return std::any_of(r.warnings.begin(), r.warnings.end(),
                       [&](const Warning& x) { return x.code == code; });
  };
  if (has("upper-not-reached"))
    list.push_back({"chart", "The brightest step does not clip: the upper end is \"at least\".",
                    adviseExposure(w, r).words + "."});
  if (has("lower-not-reached"))
    list.push_back({"chart", "The chart ends before the floor: the lower end is \"at least\".",
                    "Shoot a longer wedge, or the same one again with several stops less light on it."});
  if (has("chart-scatter"))
    list.push_back({"chart", fmt::format("The steps scatter by {:.2f} stops about the line.", r.chartScatter),
                    "Have the wedge's densities calibrated, or shoot it once more turned by 180 degrees."});
  if (!withBlack && !r.channel[kY].clamped)
    list.push_back({"glare", "Without a cap-on clip veiling glare and a pedestal look alike.",
                    "Shoot a second with the cap on at the same settings."});
  if (has("glare"))
    list.push_back({"glare", "Veiling glare lifts the dark steps and adds its noise.",
                    "Mask the surround of the wedge, flag the lens, darken the room; take out filters."});
  if (w.subsampled)
    list.push_back({"codec", "Chroma is subsampled: single channels' noise can't be read, only luma's.",
                    "Record 4:4:4 or raw for figures of single channels."});
  if (has("quantised"))
    list.push_back({"quantisation", "In some steps the noise is below a quarter of a code.",
                    "Record more bits; or one stop darker, where the noise is larger than a code."});
  if (w.frames < 16)
    list.push_back({"frames",
                    w.frames == 1 ? "One frame: fixed and moving noise can't be told apart."
                                  : fmt::format("{} frames: fixed rows and columns want 16.", w.frames),
                    "Let it run for a second: 24 frames are enough for every figure."});
  if (r.channel[kY].clamped)
    list.push_back({"clamp", "Black is clamped: noise below SNR 3 is modelled from the brighter steps.",
                    "Record raw or a mode with a pedestal; a clamp can't be undone."});
  if (!w.lossyCodec.empty())
    list.push_back(
        {"codec",
         fmt::format(
             "{} changes noise: as delivered is after coding, the other figure an estimate of before it.",
             w.lossyCodec),
         "Record raw or without loss for a figure of the sensor, or at the highest data rate."});
  if (has("noise-removed"))
    list.push_back({"noise",
                    "Noise was removed from some step on: how clean the darker ones are can't be told.",
                    "Switch noise reduction and coring off (0 is not always off), or record raw."});
  if (has("repeated-frames"))
    list.push_back({"frames", "Frames repeat: only what is new in each was counted.",
                    "Record at the rate the camera really scans at."});
  if (has("range-tag"))
    list.push_back({"light", "The codes fit the other range, legal or full, than the one they are read in.",
                    "Say which it is where the decoding is set."});
  if (r.sharpened)
    list.push_back({"filter", "The picture is sharpened: the figure as delivered is too low.",
                    "Switch sharpening off (0 is not always off), or use the corrected figure."});
  if (r.filtered)
    list.push_back(
        {"filter", "Noise is filtered: the figure as delivered flatters the sensor.",
         "Switch noise reduction and sharpening off (0 is not always off), or use the corrected figure."});
  if (!r.rebuilt.empty())
    list.push_back({"highlights", "Highlights are rebuilt; where colour ends is known to half a step only.",
                    "Repeat at +1/3 and +2/3, or once with a wrong white balance or a colour filter."});
  if (has("rebuilt-undetermined"))
    list.push_back({"highlights", "Too little chroma noise: rebuilt highlights would not show.",
                    "Repeat with a wrong white balance or a colour filter, or record more bits."});
  if (has("soft-knee"))
    list.push_back({"highlights",
                    "A soft shoulder: the clip point is where the straight line would meet the top.",
                    "Record log or raw without a knee; measure finer steps above it."});
  if (has("wrong-curve"))
    list.push_back({"light", "Levels bend away from a straight line.",
                    "Check curve and range of the decoding, or measure the curve from a bracket."});
  return list;
}

nlohmann::json toJson(const ExposureAdvice& a) {
  return {{a.atLeast ? "open_at_least" : "open_stops", a.openStops},
          {"sigma", a.sigma},
          {"right", a.right},
          {"chart_short_by", a.chartShortBy},
          {"words", a.words}};
}

nlohmann::json toJson(const std::vector<RangeLimitation>& limitations) {
  nlohmann::json j = nlohmann::json::array();
  for (const auto& l : limitations)
    j.push_back({{"subject", l.subject}, {"words", l.words}, {"shoot", l.shoot}});
  return j;
}

}  // namespace edge
