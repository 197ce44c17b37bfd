#include <nlohmann/json.hpp>

#include "base/json_numbers.h"
#include "bodies/two_bodies.h"

using nlohmann::json;

namespace edge {
namespace {

json driftJson(const std::optional<Drift>& d) {
  return d ? json{{"a", d->a}, {"b", d->b}, {"words", shiftWords(d->a, d->b)}} : json();
}

// An end that the steps both have do not reach is a limit like any other.
json endJson(double stops, bool open) {
  return open ? json{{"at_least", stops}} : json(stops);
}

json cdlJson(const BodyMatch& m) {
  if (!m.grade) return nullptr;
  const Cdl& c = m.grade->correction.cdl;
  return {{"slope", c.slope},           {"offset", c.offset},          {"power", c.power},
          {"saturation", c.saturation}, {"on", m.logEncoding},         {"after", *m.afterCdl},
          {"effort", m.grade->effort},  {"at_bound", m.grade->atBound}};
}

}  // namespace

json toJson(const TwoBodies& t) {
  json j = {{"patches", json::array()}, {"steps", json::array()},          {"grey", t.grey},
            {"display", t.display},     {"opposite_drift", json::array()}, {"warnings", toJson(t.warnings)}};
  for (const auto& s : t.steps) {
    const json measured = {{"a", s.measuredA}, {"b", s.measuredB}};
    for (const auto& p : s.patches)
      j["patches"].push_back({{"name", p.name},
                              {"step", s.step},
                              {"measured", measured},
                              {"delta_e00", p.deltaE},
                              {"l", p.L},
                              {"a", p.a},
                              {"b", p.b},
                              {"intact", p.intact},
                              {"counted", p.counted}});
    j["steps"].push_back({{"step", s.step},
                          {"a", s.nameA},
                          {"b", s.nameB},
                          {"measured", measured},
                          {"sigma", s.sigma},
                          {"mean_delta_e00", s.mean},
                          {"mean_sigma", s.meanSigma},
                          {"drift_a", driftJson(s.driftA)},
                          {"drift_b", driftJson(s.driftB)}});
    if (s.opposite) j["opposite_drift"].push_back(s.step);
  }
  const BodyMatch& m = t.match;
  j["match"] = {{"cdl", cdlJson(m)},
                {"matrix", m.matrix},
                {"diagonal", m.diagonal},
                {"before", m.before},
                {"after", m.after},
                {"after_cdl", m.afterCdl ? json(*m.afterCdl) : json()},
                {"noise", {{"R", m.noise[0]}, {"G", m.noise[1]}, {"B", m.noise[2]}, {"Y", m.noiseLuma}}}};
  j["intercut"] = nullptr;
  if (const auto& i = t.intercut)
    j["intercut"] = {{"from", endJson(i->from, i->openBelow)},
                     {"to", endJson(i->to, i->openAbove)},
                     {"from_sigma", i->fromSigma},
                     {"to_sigma", i->toSigma},
                     {"sigma", std::max(i->fromSigma, i->toSigma)},
                     {"open_below", i->openBelow},
                     {"open_above", i->openAbove},
                     {"limit", t.limit}};
  return j;
}

}  // namespace edge
