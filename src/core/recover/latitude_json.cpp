// What `latitude` prints.
#include <nlohmann/json.hpp>

#include "base/json_numbers.h"
#include "base/units.h"
#include "recover/latitude.h"
#include "recover/reducer.h"

using nlohmann::json;

namespace edge {
namespace {

json rgb(const std::array<std::optional<double>, 3>& v) {
  return {{"R", number(v[0])}, {"G", number(v[1])}, {"B", number(v[2])}};
}

// The correction applied, as docs/formats.md lists it.
json parametersJson(const Correction& c) {
  switch (c.branch) {
    case Branch::Exposure:
      return {{"stops", -c.back.offsetStops()}, {"pedestal", c.back.q}};
    case Branch::Balance:
      return {{"stops", -c.back.offsetStops()}, {"pedestal", c.back.q}, {"gains", threeNumbers(c.gains)}};
    case Branch::Grade:
      return {{"slope", threeNumbers(c.cdl.slope)},
              {"offset", threeNumbers(c.cdl.offset)},
              {"power", threeNumbers(c.cdl.power)},
              {"saturation", c.cdl.saturation}};
    case Branch::LogOffset:
      return {{"offset", c.codeOffset}};
  }
  return {};
}

// What was solved, and how good it is.
json branchJson(const TakeMetrics& m, const CriteriaProfile& profile) {
  json codes = json::object();
  for (const auto& [patch, code] : m.codes) codes[patch] = threeNumbers(code);
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
      {"rebuilt_skin", number(m.rebuiltSkin)},
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
          {"first_unknown", number(e.firstUnknown)},
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

// What the stress grade makes of a take, and where it breaks.
json stressReportJson(const LatitudeMeasure& measure, const TakeMetrics& m, const CriteriaProfile& p) {
  json steps = json::array();
  for (size_t i = 0; i < m.stressed.size() && i < measure.stress.size(); ++i) {
    json step = toJson(measure.stress[i]);
    step["step"] = i + 1;
    for (const auto& s : criteria())
      if (s.is(kStressed)) step[s.metric] = number(m.stressed[i][static_cast<size_t>(s.id)]);
    steps.push_back(std::move(step));
  }
  const auto broken = breaksAt(m, p);
  return {{"steps", steps},
          {"breaks_at", broken ? json(broken->step + 1) : json()},
          {"cause", broken ? json(specOf(broken->criterion).words) : json()}};
}

// The same bracket judged as the look shows it.
json lookReportJson(const LatitudeMeasure& m, const CriteriaProfile& profile) {
  const auto under = underLook(m);
  if (!under) return {};
  const LatitudeResult r = judgeLatitude(*under, profile);
  json takes = json::array();
  for (size_t i = 0; i < under->takes.size(); ++i)
    takes.push_back({{"name", under->takes[i].name},
                     {"verdict", wordOf(r.verdicts[i].verdict)},
                     {"reasons", reasonsJson(r.verdicts[i].reasons)},
                     {"metrics", metricsJson(under->takes[i])}});
  return {{"name", m.look->name},
          {"base", {{"verdict", wordOf(r.base.verdict)}, {"reasons", reasonsJson(r.base.reasons)}}},
          {"takes", takes},
          {"edges", edgesJson(r.edges)},
          {"latitude_stops", plainJson(r.edges.latitude)},
          {"latitude_sigma", sigmaJson(r.edges.latitude)}};
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
                          {"followed_pixels", {{"x", t.framing.dx}, {"y", t.framing.dy}}},
                          {"followed_turn_degrees", t.framing.turn * kDegrees},
                          {"followed_scale", t.framing.scale},
                          {"metrics", metricsJson(t)},
                          {"branches", branchesJson(m, i, profile)},
                          {"reducer", reducerJson(t, profile)},
                          {"stress", stressReportJson(m, t, profile)}});
  }
  j["edges"] = edgesJson(r.edges);
  j["latitude_stops"] = plainJson(r.edges.latitude);
  j["latitude_sigma"] = sigmaJson(r.edges.latitude);
  j["base"] = {{"verdict", wordOf(r.base.verdict)},
               {"reasons", reasonsJson(r.base.reasons)},
               {"metrics", metricsJson(m.base)},
               {"stress", stressReportJson(m, m.base, profile)}};
  j["cleaned"] = {{"edges", edgesJson(r.cleaned)},
                  {"over", edgeJson(r.cleaned.over)},
                  {"under", edgeJson(r.cleaned.under)},
                  {"latitude_stops", plainJson(r.cleaned.latitude)},
                  {"latitude_sigma", sigmaJson(r.cleaned.latitude)}};
  j["look"] = lookReportJson(m, profile);
  j["display"] = m.display;
  j["log_encoding"] = m.logEncoding;
  j["profile"] = toJson(profile);
  j["noise_at"] = toJson(profile.delivery.value_or(m.delivery));
  j["scored_on"] = {{"face_grey", m.faceGrey},
                    {"dark_patch", m.darkPatch.empty() ? json() : json(m.darkPatch)}};
  j["warnings"] = toJson(r.warnings);
  return j;
}

}  // namespace edge
