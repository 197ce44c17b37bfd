#include <cmath>
#include <nlohmann/json.hpp>

#include "recover/latitude.h"
#include "recover/reducer.h"

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

json vector(const Vec3& v) {
  return {v[0], v[1], v[2]};
}
Vec3 vectorFrom(const json& j) {
  return {j.at(0), j.at(1), j.at(2)};
}

// The correction applied, as docs/formats.md lists it.
json parametersJson(const Correction& c) {
  switch (c.branch) {
    case Branch::Exposure:
      return {{"stops", -c.back.offsetStops()}, {"pedestal", c.back.q}};
    case Branch::Balance:
      return {{"stops", -c.back.offsetStops()}, {"pedestal", c.back.q}, {"gains", vector(c.gains)}};
    case Branch::Grade:
      return {{"slope", vector(c.cdl.slope)},
              {"offset", vector(c.cdl.offset)},
              {"power", vector(c.cdl.power)},
              {"saturation", c.cdl.saturation}};
    case Branch::LogOffset:
      return {{"offset", c.codeOffset}};
  }
  return {};
}

// What was solved, and how good it is.
json branchJson(const TakeMetrics& m, const CriteriaProfile& profile) {
  json codes = json::object();
  for (const auto& [patch, code] : m.codes) codes[patch] = vector(code);
  const TakeVerdict v = judgeTake(m, profile);
  json j = {{"parameters", parametersJson(m.solved.correction)},
            {"effort", m.solved.effort},
            {"at_bound", m.solved.atBound},
            {"delta_e00", {{"mean", m.deltaMean}, {"max", m.deltaMax}}},
            {"codes", codes},
            {"verdict", wordOf(v.verdict)},
            {"reasons", json::array()}};
  for (const auto& reason : v.reasons) j["reasons"].push_back(reasonWords(reason));
  return j;
}

json storedSolved(const SolvedBranch& s) {
  const Correction& c = s.correction;
  return {{"branch", specOf(c.branch).key},
          {"k", c.back.k},
          {"q", c.back.q},
          {"gains", vector(c.gains)},
          {"cdl", {vector(c.cdl.slope), vector(c.cdl.offset), vector(c.cdl.power), c.cdl.saturation}},
          {"offset", c.codeOffset},
          {"effort", s.effort},
          {"at_bound", s.atBound}};
}

SolvedBranch solvedFrom(const json& j) {
  SolvedBranch s;
  Correction& c = s.correction;
  c.branch = parseBranch(j.at("branch")).value_or(Branch::Exposure);
  c.back.k = j.at("k");
  c.back.q = j.at("q");
  c.gains = vectorFrom(j.at("gains"));
  const json& cdl = j.at("cdl");
  c.cdl = {vectorFrom(cdl.at(0)), vectorFrom(cdl.at(1)), vectorFrom(cdl.at(2)), cdl.at(3)};
  c.codeOffset = j.at("offset");
  s.effort = j.at("effort");
  s.atBound = j.at("at_bound").get<std::vector<std::string>>();
  return s;
}

json figuresJson(const std::array<std::optional<double>, kCriteria>& figures) {
  json j = json::object();
  for (const auto& s : criteria())
    if (!s.derived) j[s.key] = number(figures[static_cast<size_t>(s.id)]);
  return j;
}

std::array<std::optional<double>, kCriteria> figuresFrom(const json& j) {
  std::array<std::optional<double>, kCriteria> figures{};
  for (const auto& s : criteria())
    if (!s.derived) figures[static_cast<size_t>(s.id)] = optionalNumber(j.at(s.key));
  return figures;
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
      {"stripes_moving", number(m.movingStripes)},
      {"detail_noise_free", number(m.detailNoiseFree)},
      {"detail_gain", number(m.detailGain)},
      {"detail_where", m.detailWhere}};
  if (m.skinA)
    j["skin"] = {
        {"a", *m.skinA}, {"b", *m.skinB}, {"words", shiftWords(*m.skinA, *m.skinB)}, {"where", m.skinWhere}};
  for (const auto& s : criteria())
    if (s.is(kListed)) j[s.metric] = number(m[s.id]);
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

// What each rung makes of the take.
json reducerJson(const TakeMetrics& m, const CriteriaProfile& p) {
  json j = json::array();
  for (const auto& rung : m.rungs) {
    const TakeMetrics after = afterRung(m, rung);
    j.push_back({{"rung", rung.rung + 1},
                 {"words", reducerLadder()[rung.rung].words},
                 {"verdict", wordOf(judgeTake(after, p).verdict)},
                 {"noise_luma", number(after[Criterion::LumaNoise])},
                 {"noise_chroma", number(after[Criterion::ChromaNoise])},
                 {"detail", number(after[Criterion::Detail])},
                 {"detail_kept", number(rung.detailKept)},
                 {"smear", number(rung.smear)}});
  }
  return j;
}

json rungsJson(const TakeMetrics& m) {
  json list = json::array();
  for (const auto& rung : m.rungs) {
    json delivered = json::array();
    for (const auto& d : rung.delivered) delivered.push_back({toJson(d.delivery), figuresJson(d.figures)});
    list.push_back({{"rung", rung.rung},
                    {"figures", figuresJson(rung.figures)},
                    {"delivered", delivered},
                    {"kept", number(rung.detailKept)},
                    {"smear", number(rung.smear)}});
  }
  return list;
}

RungFigures rungFrom(const json& j) {
  RungFigures rung;
  rung.rung = j.at("rung");
  if (rung.rung >= reducerLadder().size()) throw json::other_error::create(501, "no such rung", &j);
  rung.figures = figuresFrom(j.at("figures"));
  for (const auto& d : j.at("delivered"))
    rung.delivered.push_back({deliveryFrom(d.at(0)), figuresFrom(d.at(1))});
  rung.detailKept = optionalNumber(j.at("kept"));
  rung.smear = optionalNumber(j.at("smear"));
  return rung;
}

json storedTake(const TakeMetrics& m) {
  json deltas = json::array(), codes = json::array(), delivered = json::array();
  for (const auto& [name, delta] : m.deltaByPatch) deltas.push_back({name, delta});
  for (const auto& [name, code] : m.codes) codes.push_back({name, vector(code)});
  for (const auto& d : m.delivered) delivered.push_back({toJson(d.delivery), figuresJson(d.figures)});
  return {{"name", m.name},
          {"planned", m.planned},
          {"measured", number(m.measured)},
          {"sigma", m.sigma},
          {"solved", storedSolved(m.solved)},
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
          {"skin", {number(m.skinA), number(m.skinB), m.skinWhere}},
          {"delta", {m.deltaMean, m.deltaMax}},
          {"delta_by_patch", deltas},
          {"codes", codes},
          {"figures", figuresJson(m.figures)},
          {"delivered", delivered},
          {"rungs", rungsJson(m)},
          {"noise_per_pixel", {number(m.lumaNoisePerPixel), number(m.chromaNoisePerPixel)}},
          {"stripes_moving", number(m.movingStripes)},
          {"detail", {m.detailWhere, number(m.detailNoiseFree), number(m.detailGain), m.moved}},
          {"frames", m.frames},
          {"missing_frames", m.missingFrames},
          {"repeated_frames", m.repeatedFrames},
          {"lossy_codec", m.lossyCodec}};
}

TakeMetrics takeFromJson(const json& j) {
  TakeMetrics m;
  m.name = j.at("name");
  m.planned = j.at("planned");
  m.measured = optionalNumber(j.at("measured"));
  m.sigma = j.at("sigma");
  m.solved = solvedFrom(j.at("solved"));
  m.patchesUsed = j.at("patches_used");
  m.byMedian = j.at("by_median");
  m.scatterStops = j.at("scatter");
  m.driftStops = j.at("drift");
  m.shiftX = j.at("followed").at(0);
  m.shiftY = j.at("followed").at(1);
  for (size_t c = 0; c < 3; ++c) m.clippedSkin[c] = optionalNumber(j.at("clipped_skin").at(c));
  m.clippedWhere = j.at("clipped_where");
  m.suspectedClip = optionalNumber(j.at("suspected_clip"));
  m.shiftA = j.at("shift").at(0);
  m.shiftB = j.at("shift").at(1);
  m.darkShiftA = optionalNumber(j.at("dark_shift").at(0));
  m.darkShiftB = optionalNumber(j.at("dark_shift").at(1));
  m.skinA = optionalNumber(j.at("skin").at(0));
  m.skinB = optionalNumber(j.at("skin").at(1));
  m.skinWhere = j.at("skin").at(2);
  m.deltaMean = j.at("delta").at(0);
  m.deltaMax = j.at("delta").at(1);
  for (const auto& d : j.at("delta_by_patch")) m.deltaByPatch.emplace_back(d.at(0), d.at(1));
  for (const auto& c : j.at("codes")) m.codes.emplace_back(c.at(0), vectorFrom(c.at(1)));
  m.figures = figuresFrom(j.at("figures"));
  for (const auto& d : j.at("delivered"))
    m.delivered.push_back({deliveryFrom(d.at(0)), figuresFrom(d.at(1))});
  for (const auto& rung : j.at("rungs")) m.rungs.push_back(rungFrom(rung));
  m.lumaNoisePerPixel = optionalNumber(j.at("noise_per_pixel").at(0));
  m.chromaNoisePerPixel = optionalNumber(j.at("noise_per_pixel").at(1));
  m.movingStripes = optionalNumber(j.at("stripes_moving"));
  m.detailWhere = j.at("detail").at(0);
  m.detailNoiseFree = optionalNumber(j.at("detail").at(1));
  m.detailGain = optionalNumber(j.at("detail").at(2));
  m.moved = j.at("detail").at(3);
  m.frames = j.at("frames");
  m.missingFrames = j.at("missing_frames");
  m.repeatedFrames = j.at("repeated_frames");
  m.lossyCodec = j.at("lossy_codec");
  return m;
}

json branchesJson(const LatitudeMeasure& m, size_t take, const CriteriaProfile& profile) {
  json j = json::object();
  for (const auto& b : branches()) {
    const TakeMetrics* t = m.takes[take].measured ? m.of(take, b.id) : nullptr;
    j[b.key] = t ? branchJson(*t, profile) : json();
  }
  return j;
}

}  // namespace

json latitudeToJson(const LatitudeMeasure& m, const LatitudeResult& r, const CriteriaProfile& profile) {
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
                          {"pedestal", t.q()},
                          {"scatter_stops", t.scatterStops},
                          {"drift_stops", t.driftStops},
                          {"followed_pixels", {{"x", t.shiftX}, {"y", t.shiftY}}},
                          {"metrics", metricsJson(t)},
                          {"branches", branchesJson(m, i, profile)},
                          {"reducer", reducerJson(t, profile)}});
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
  j["log_encoding"] = m.logEncoding;
  j["profile"] = toJson(profile);
  j["noise_at"] = toJson(profile.delivery.value_or(m.delivery));
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
            {"log_encoding", m.logEncoding},
            {"delivery", toJson(m.delivery)},
            {"to_grey", number(m.toGrey)},
            {"to_skin", number(m.toSkin)},
            {"wrong_curve_scatter", m.wrongCurveScatter},
            {"base", storedTake(m.base)},
            {"takes", json::array()},
            {"branches", json::array()}};
  for (const auto& t : m.takes) j["takes"].push_back(storedTake(t));
  for (const auto& list : m.branches) {
    json& stored = j["branches"].emplace_back(json::array());
    for (const auto& t : list) stored.push_back(storedTake(t));
  }
  return j;
}

LatitudeMeasure latitudeFromJson(const json& j) {
  LatitudeMeasure m;
  m.faceGrey = j.at("face_grey");
  m.darkPatch = j.at("dark_patch");
  m.display = j.at("display");
  m.curve = j.at("curve");
  m.logEncoding = j.at("log_encoding");
  m.wrongCurveScatter = j.at("wrong_curve_scatter");
  m.delivery = deliveryFrom(j.at("delivery"));
  m.toGrey = optionalNumber(j.at("to_grey"));
  m.toSkin = optionalNumber(j.at("to_skin"));
  m.base = takeFromJson(j.at("base"));
  for (const auto& t : j.at("takes")) m.takes.push_back(takeFromJson(t));
  for (const auto& list : j.at("branches")) {
    auto& takes = m.branches.emplace_back();
    for (const auto& t : list) takes.push_back(takeFromJson(t));
  }
  return m;
}

}  // namespace edge
