#include <fmt/format.h>
#include <cmath>
#include <nlohmann/json.hpp>

#include "measure/range.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kChannelNames[kMeasured] = {"R", "G", "B", "Y"};

json finite(double v) {
  return std::isfinite(v) ? json(v) : json();
}

json rangesJson(const std::map<double, Limit>& range) {
  json j = json::object();
  for (const auto& [threshold, limit] : range) j[fmt::format("snr{:g}", threshold)] = toJson(limit);
  for (const char* key : {"snr1", "snr2", "snr10"})
    if (!j.contains(key)) j[key] = nullptr;
  return j;
}

// A signed variance as a standard deviation; below detection is unknown.
json sdJson(const std::optional<double>& variance) {
  return variance && *variance > 0 ? json(std::sqrt(*variance)) : json();
}

// A number, or {"at_least": x}; its standard error under the same key in "sigma" beside it.
void putPlain(json& object, const char* key, const std::optional<Limit>& limit) {
  object[key] = plainJson(limit);
  object["sigma"][key] = limit ? json(limit->sigma) : json();
}

// Nothing where the noise is not known; a lower bound where rounding hides it.
json snrJson(const ChannelRange& c, size_t k) {
  return c.usable && c.trust[k] != NoiseTrust::Removed ? json(c.snr[k]) : json();
}

json patchJson(const WedgeMeasure& w, const RangeResult& r, size_t k) {
  const PatchMeasure& p = w.patches[k];
  json j = {
      {"name", p.name}, {"stops", p.stops}, {"state", wordOf(r.states[k])}, {"size", {p.width, p.height}}};
  for (int c = 0; c < 3; ++c) {
    j["code"][kChannelNames[c]] = finite(p.channel[c].code);
    j["linear"][kChannelNames[c]] = p.channel[c].mean;
  }
  j["linear"]["Y"] = p.channel[kY].mean;
  for (int c = 0; c < kMeasured; ++c) j["snr"][kChannelNames[c]] = snrJson(r.channel[c], k);
  if (k < r.chromaRatio.size() && std::isfinite(r.chromaRatio[k])) j["chroma_ratio"] = r.chromaRatio[k];
  const ChannelMeasure& y = p.channel[kY];
  const double temporal = std::max(0.0, y.variance - y.quantisationVariance);
  const double fixed = std::max(0.0, y.fixedVariance.value_or(0)) +
                       std::max(0.0, y.fixedRowVariance.value_or(0)) +
                       std::max(0.0, y.fixedColumnVariance.value_or(0));
  const double row = std::max(0.0, y.rowVariance) + std::max(0.0, y.fixedRowVariance.value_or(0));
  const double column = std::max(0.0, y.columnVariance) + std::max(0.0, y.fixedColumnVariance.value_or(0));
  j["noise"] = {{"total", std::sqrt(temporal + fixed)},
                {"temporal", std::sqrt(temporal)},
                {"fixed", sdJson(y.fixedVariance)},
                {"row", sdJson(row)},
                {"column", sdJson(column)},
                {"flicker", sdJson(y.flickerVariance)},
                {"channel", "Y"},
                {"unit", "scene-linear"},
                {"trust", wordOf(r.channel[kY].trust[k])},
                {"kurtosis", y.kurtosis},
                {"lag", {{"vertical", y.verticalLag}, {"horizontal", y.horizontalLag}}},
                {"defects", y.defects},
                {"quantisation_limited", y.quantisation == Quantisation::Limited}};
  return j;
}

json modelJson(const ChannelRange& y) {
  if (!y.model.valid) return nullptr;
  return {{"read", y.model.read},
          {"photon", y.model.photon},
          {"fixed", y.model.fixed},
          {"formula", "sd^2 / a^2 = read + photon E + fixed E^2, E = 2^stops"}};
}

}  // namespace

json toJson(const std::optional<Limit>& limit) {
  if (!limit) return nullptr;
  return {{limit->atLeast ? "at_least" : "stops", limit->stops}, {"sigma", limit->sigma}};
}

json plainJson(const std::optional<Limit>& limit) {
  if (!limit) return nullptr;
  return limit->atLeast ? json{{"at_least", limit->stops}} : json(limit->stops);
}

json rangeToJson(const WedgeMeasure& w, const RangeResult& r) {
  json j;
  for (int c = 0; c < kMeasured; ++c) {
    const char* name = kChannelNames[c];
    j["dynamic_range"][name] = rangesJson(r.channel[c].range);
    if (c == kY) j["dynamic_range"]["Y"]["raster"] = {w.developedWidth, w.developedHeight};
    if (c < 3) putPlain(j["upper"], name, r.channel[c].clip), j["knee"][name] = toJson(r.channel[c].knee);
    j["filtering"][name] = {{"vertical_lag", w.filtering[c].verticalLag},
                            {"inflation", w.filtering[c].inflation},
                            {"horizontal_lag", w.filtering[c].horizontalLag},
                            {"lowest_lag", w.filtering[c].lowestLag},
                            {"steps", w.filtering[c].edgeKurtosis},
                            {"steps_sigma", w.filtering[c].edgeKurtosisSigma},
                            {"inflation_sigma", w.filtering[c].inflationSigma},
                            {"settled", w.filtering[c].settled},
                            {"same_for_all", w.filtering[c].sameForAll},
                            {"temporal", w.filtering[c].temporalRho},
                            {"temporal_factor", w.filtering[c].temporalFactor}};
    if (!r.corrected[c].empty()) j["filter_corrected"][name] = rangesJson(r.corrected[c]);
  }
  putPlain(j["upper"], "colour_complete", r.colourComplete);
  j["headline"] = r.headline ? toJson(r.headline) : json{{"stops", nullptr}, {"sigma", nullptr}};
  j["headline"]["label"] = r.headlineLabel;
  putPlain(j["split"], "above_grey", r.aboveGrey);
  putPlain(j["split"], "below_grey", r.belowGrey);
  j["split"]["grey_stops"] = r.greyStops ? json(*r.greyStops) : json();
  j["steps_visible"] = r.stepsVisible;
  j["noise_floor_below_grey"] = plainJson(r.noiseFloorBelowGrey);
  j["noise_floor_sigma"] = r.noiseFloorBelowGrey ? json(r.noiseFloorBelowGrey->sigma) : json();
  j["safe_shadow_below_grey"] = plainJson(r.safeShadow);
  j["safe_shadow_sigma"] = r.safeShadow ? json(r.safeShadow->sigma) : json();
  j["total_noise"] = r.total.empty() ? json() : rangesJson(r.total);
  j["chart_scatter"] = r.chartScatter;
  j["rebuilt"] = nullptr;
  if (!r.rebuilt.empty()) {
    j["rebuilt"] = toJson(r.rebuiltStops);
    for (size_t k : r.rebuilt) j["rebuilt"]["patches"].push_back(w.patches[k].name);
  }
  j["response"] = {{"slope", r.channel[kY].slope},
                   {"slope_sigma", r.channel[kY].slopeSigma},
                   {"offset", r.channel[kY].offset},
                   {"offset_sigma", r.channel[kY].offsetSigma}};
  j["noise_model"] = modelJson(r.channel[kY]);
  j["lossy_codec"] = w.lossyCodec.empty() ? json() : json(w.lossyCodec);
  j["frames"] = w.frames;
  j["repeated_frames"] = w.repeatedFrames + w.nearRepeats;
  j["patches"] = json::array();
  for (size_t k = 0; k < w.patches.size(); ++k) j["patches"].push_back(patchJson(w, r, k));
  j["warnings"] = json::array();
  for (const auto& x : r.warnings)
    j["warnings"].push_back({{"code", x.code}, {"message", x.message}, {"where", x.where}});
  return j;
}

}  // namespace edge
