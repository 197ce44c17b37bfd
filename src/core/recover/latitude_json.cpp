#include <cmath>
#include <nlohmann/json.hpp>

#include "recover/latitude.h"

using nlohmann::json;

namespace edge {
namespace {

json number(const std::optional<double>& v) {
  return v && std::isfinite(*v) ? json(*v) : json();
}
std::optional<double> optionalNumber(const json& j) {
  return j.is_number() ? std::optional(j.get<double>()) : std::nullopt;
}
json rgb(const std::array<std::optional<double>, 3>& v) {
  return {{"R", number(v[0])}, {"G", number(v[1])}, {"B", number(v[2])}};
}

json toJson(const std::optional<Raster>& r) {
  return r ? json{{"width", r->width}, {"height", r->height}} : json();
}

json metricsJson(const TakeMetrics& m) {
  json patches = json::object();
  for (const auto& [name, delta] : m.deltaByPatch) patches[name] = delta;
  json shift = {{"a", m.shiftA}, {"b", m.shiftB}, {"words", shiftWords(m.shiftA, m.shiftB)}};
  if (m.darkShiftA)
    shift["dark"] = {
        {"a", *m.darkShiftA}, {"b", *m.darkShiftB}, {"words", shiftWords(*m.darkShiftA, *m.darkShiftB)}};
  json j = {
      {"clipped_skin", rgb(m.clippedSkin)},
      {"clipped_where", m.clippedWhere},
      {"colour_shift", shift},
      {"delta_e00", {{"mean", m.deltaMean}, {"max", m.deltaMax}, {"patches", patches}}},
      {"noise_per_pixel", {{"luma", number(m.lumaNoisePerPixel)}, {"chroma", number(m.chromaNoisePerPixel)}}},
      {"stripes", number(m.stripes)},
      {"stripes_moving", number(m.movingStripes)},
      {"detail", nullptr}};
  for (const auto& s : criteria())
    if (s.output) j[s.output] = number(m[s.id]);
  return j;
}

json reasonsJson(const std::vector<Reason>& reasons) {
  json j = json::array();
  for (const auto& r : reasons) j.push_back(reasonWords(r));
  return j;
}

json edgeJson(const EdgeLimit& e) {
  return {{"last_good", number(e.lastGood)},
          {"first_bad", number(e.firstBad)},
          {"cause", e.cause.none() ? json() : json(wordsOf(e.cause))},
          {"estimate", toJson(e.estimate)}};
}

json sigmaJson(const std::optional<Limit>& l) {
  return l ? json(l->sigma) : json();
}

json edgesJson(const Edges& e) {
  return {{"over", edgeJson(e.over)}, {"under", edgeJson(e.under)}};
}

json storedTake(const TakeMetrics& m) {
  json deltas = json::array();
  for (const auto& [name, delta] : m.deltaByPatch) deltas.push_back({name, delta});
  json j = {{"name", m.name},
            {"planned", m.planned},
            {"measured", number(m.measured)},
            {"sigma", m.sigma},
            {"k", m.k},
            {"q", m.q},
            {"patches_used", m.patchesUsed},
            {"by_median", m.byMedian},
            {"scatter", m.scatterStops},
            {"drift", m.driftStops},
            {"followed", {m.shiftX, m.shiftY}},
            {"clipped_skin", {number(m.clippedSkin[0]), number(m.clippedSkin[1]), number(m.clippedSkin[2])}},
            {"suspected_clip", number(m.suspectedClip)},
            {"clipped_where", m.clippedWhere},
            {"shift", {m.shiftA, m.shiftB}},
            {"dark_shift", {number(m.darkShiftA), number(m.darkShiftB)}},
            {"delta", {m.deltaMean, m.deltaMax}},
            {"delta_by_patch", deltas},
            {"noise_per_pixel", {number(m.lumaNoisePerPixel), number(m.chromaNoisePerPixel)}},
            {"stripes", {number(m.stripes), number(m.movingStripes)}},
            {"frames", m.frames},
            {"missing_frames", m.missingFrames},
            {"repeated_frames", m.repeatedFrames},
            {"lossy_codec", m.lossyCodec}};
  for (const auto& s : criteria())
    if (!s.derived) j[s.key] = number(m[s.id]);
  return j;
}

TakeMetrics takeFromJson(const json& j) {
  TakeMetrics m;
  m.name = j.at("name"), m.planned = j.at("planned"), m.measured = optionalNumber(j.at("measured"));
  m.sigma = j.at("sigma"), m.k = j.at("k"), m.q = j.at("q");
  m.patchesUsed = j.at("patches_used"), m.byMedian = j.at("by_median");
  m.scatterStops = j.at("scatter"), m.driftStops = j.at("drift");
  m.shiftX = j.at("followed").at(0), m.shiftY = j.at("followed").at(1);
  for (size_t c = 0; c < 3; ++c) m.clippedSkin[c] = optionalNumber(j.at("clipped_skin").at(c));
  m.clippedWhere = j.at("clipped_where"), m.suspectedClip = optionalNumber(j.at("suspected_clip"));
  m.shiftA = j.at("shift").at(0), m.shiftB = j.at("shift").at(1);
  m.darkShiftA = optionalNumber(j.at("dark_shift").at(0)),
  m.darkShiftB = optionalNumber(j.at("dark_shift").at(1));
  m.deltaMean = j.at("delta").at(0), m.deltaMax = j.at("delta").at(1);
  for (const auto& d : j.at("delta_by_patch")) m.deltaByPatch.emplace_back(d.at(0), d.at(1));
  for (const auto& s : criteria())
    if (!s.derived) m[s.id] = optionalNumber(j.at(s.key));
  const json& perPixel = j.at("noise_per_pixel");
  m.lumaNoisePerPixel = optionalNumber(perPixel.at(0)),
  m.chromaNoisePerPixel = optionalNumber(perPixel.at(1));
  m.stripes = optionalNumber(j.at("stripes").at(0)), m.movingStripes = optionalNumber(j.at("stripes").at(1));
  m.frames = j.at("frames"), m.missingFrames = j.at("missing_frames");
  m.repeatedFrames = j.at("repeated_frames"), m.lossyCodec = j.at("lossy_codec");
  return m;
}

}  // namespace

json latitudeToJson(const LatitudeMeasure& m, const LatitudeResult& r) {
  json j;
  j["takes"] = json::array();
  for (size_t i = 0; i < m.takes.size(); ++i) {
    const TakeMetrics& t = m.takes[i];
    j["takes"].push_back({{"name", t.name},
                          {"planned_stops", t.planned},
                          {"measured_stops", number(t.measured)},
                          {"sigma", t.measured ? json(t.sigma) : json()},
                          {"verdict", wordOf(r.judged[i].verdict)},
                          {"reasons", reasonsJson(r.verdicts[i].reasons)},
                          {"tool_verdict", wordOf(r.verdicts[i].verdict)},
                          {"patches_used", t.patchesUsed},
                          {"pedestal", t.q},
                          {"scatter_stops", t.scatterStops},
                          {"drift_stops", t.driftStops},
                          {"followed_pixels", {{"x", t.shiftX}, {"y", t.shiftY}}},
                          {"metrics", metricsJson(t)}});
  }
  j["edges"] = edgesJson(r.edges);
  j["latitude_stops"] = plainJson(r.edges.latitude);
  j["latitude_sigma"] = sigmaJson(r.edges.latitude);
  j["base"] = {{"verdict", wordOf(r.base.verdict)},
               {"reasons", reasonsJson(r.base.reasons)},
               {"metrics", metricsJson(m.base)}};
  j["cleaned"] = {{"edges", edgesJson(r.cleaned)},
                  {"over", edgeJson(r.cleaned.over)},
                  {"under", edgeJson(r.cleaned.under)},
                  {"latitude_stops", plainJson(r.cleaned.latitude)},
                  {"latitude_sigma", sigmaJson(r.cleaned.latitude)}};
  j["display"] = m.display;
  j["noise_at"] = {{"raster", toJson(m.delivery.raster)}, {"chroma", wordOf(m.delivery.chroma)}};
  j["scored_on"] = {{"face_grey", m.faceGrey},
                    {"dark_patch", m.darkPatch.empty() ? json() : json(m.darkPatch)}};
  j["warnings"] = json::array();
  for (const auto& w : r.warnings)
    j["warnings"].push_back({{"code", w.code}, {"message", w.message}, {"where", w.where}});
  return j;
}

json toJson(const LatitudeMeasure& m) {
  json j = {{"face_grey", m.faceGrey},
            {"dark_patch", m.darkPatch},
            {"display", m.display},
            {"curve", m.curve},
            {"delivery", {toJson(m.delivery.raster), wordOf(m.delivery.chroma)}},
            {"wrong_curve_scatter", m.wrongCurveScatter},
            {"base", storedTake(m.base)},
            {"takes", json::array()}};
  for (const auto& t : m.takes) j["takes"].push_back(storedTake(t));
  return j;
}

LatitudeMeasure latitudeFromJson(const json& j) {
  LatitudeMeasure m;
  m.faceGrey = j.at("face_grey"), m.darkPatch = j.at("dark_patch"), m.display = j.at("display");
  m.curve = j.at("curve"), m.wrongCurveScatter = j.at("wrong_curve_scatter");
  const json& delivery = j.at("delivery");
  if (!delivery.at(0).is_null())
    m.delivery.raster = Raster{delivery.at(0).at("width"), delivery.at(0).at("height")};
  m.delivery.chroma = parseChroma(delivery.at(1)).value_or(Chroma::Full444);
  m.base = takeFromJson(j.at("base"));
  for (const auto& t : j.at("takes")) m.takes.push_back(takeFromJson(t));
  return m;
}

}  // namespace edge
