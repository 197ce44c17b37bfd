#include "advise/situations.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/csv.h"
#include "base/json_numbers.h"
#include "base/numbers.h"
#include "exposure/series.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr size_t kLongestReason = 500;

SceneReading tone(const char* name, double stops, Held may = Held::Holds) {
  return {name, stops, may, ""};
}

// What the answer costs: what does not hold, how far it is rated from how it was tested, what is asked of
// light.
std::string costOf(const SceneReadings& scene, const SceneOn& on) {
  std::vector<std::string> parts;
  for (size_t i = 0; i < on.readings.size(); ++i) {
    const auto& state = on.readings[i].state;
    if (on.readings[i].harms(scene.readings[i].may))
      parts.push_back(scene.readings[i].name + " " + (state ? wordOf(*state) : "not known"));
  }
  if (on.offset < 0)
    parts.push_back(fmt::format("shadows {} stops nearer to noise", formatNumber(-on.offset, 1)));
  if (on.offset > 0) parts.push_back(fmt::format("{} stops more light", formatNumber(on.offset, 1)));
  if (!on.changes.empty() && !on.changes[0].steps.empty())
    parts.push_back("or " + on.changes[0].steps[0].words);
  return parts.empty() ? "nothing" : fmt::format("{}", fmt::join(parts, "; "));
}

void answer(DecisionRow& row) {
  const SceneResult& r = row.result;
  if (!r.recommended) {
    row.configuration = row.rating = "–", row.reason = r.reason, row.cost = "–";
    return;
  }
  const SceneOn& on = r.configurations[*r.recommended];
  row.configuration = on.reach.label, row.rating = ratingWords(on), row.reason = r.reason;
  row.cost = costOf(row.situation->scene, on);
}

// The person's configuration at the person's rating: the same arithmetic says what it costs.
void overrule(DecisionRow& row, const Overruled& by, const std::vector<Reach>& reaches) {
  const auto at =
      std::find_if(reaches.begin(), reaches.end(), [&](const Reach& r) { return r.id == by.configuration; });
  if (at == reaches.end() || by.ei <= 0 || at->iso <= 0) return;
  row.overruled = by;
  const SceneOn on = sceneOn(row.situation->scene, *at, std::log2(at->iso / by.ei));
  row.configuration = at->label, row.rating = eiWords(by.ei), row.reason = by.reason;
  row.cost = costOf(row.situation->scene, on);
}

}  // namespace

// Every figure here is common practice: a spot meter's usual readings, from memory.
const std::vector<Situation>& situations() {
  static const std::vector<Situation> list = {
      {"day-windows",
       "day interior, hot windows",
       "windows stand five to seven over grey and must keep their colour",
       {"", {}, "", {tone("window", 5.5), tone("face", 1), tone("far wall", -2)}}},
      {"day-exterior",
       "day exterior, hard sun",
       "a white shirt in sun, a face half lit, shade that must be read",
       {"",
        {},
        "",
        {tone("white in sun", 3.5), tone("lit cheek", 1), tone("shade side", -2), tone("deep shade", -3.5)}}},
      {"dim-interior",
       "dim interior",
       "faces sit a stop under, walls far under; practical lamps may clip",
       {"",
        {},
        "",
        {tone("lamp", 5, Held::Clips), tone("face", -1), tone("wall", -3),
         tone("corner", -4.5, Held::Cleanable)}}},
      {"candle",
       "candle",
       "the flame clips whatever one does; the face is all there is",
       {"",
        {},
        "",
        {tone("flame", 8, Held::Clips), tone("lit cheek", 0), tone("room", -4.5, Held::Cleanable)}}},
      {"night-street",
       "night street",
       "lamps may clip, a wet road glints, the sky may sink",
       {"",
        {},
        "",
        {tone("street lamp", 8, Held::Clips), tone("face", -1), tone("wet road", -3),
         tone("sky", -6, Held::Lost)}}},
      // A crop to 150 % shows noise as large as log2(1.5) = 0.6 stops less light would.
      {"punch-in",
       "punch-in planned",
       "a crop to 150 % costs 0.6 stops in the shadows: they are asked that much deeper",
       {"", {}, "", {tone("highlight", 3), tone("face", 1), tone("shadow side, cropped", -2.6)}}},
      {"fast",
       "fast movement",
       "half the shutter takes a stop, and a noise reducer would smear: nothing may need clean-up",
       {"", {}, "", {tone("highlight", 2.5), tone("face", 0), tone("shadow side", -3)}}}};
  return list;
}

OverruledBySituation overruledFrom(const json& j) {
  OverruledBySituation out;
  if (!j.is_object()) return out;
  for (const auto& s : situations()) {
    if (!j.contains(s.key) || !j[s.key].is_object()) continue;
    const json& one = j[s.key];
    const json id = one.value("configuration", json()), ei = one.value("ei", json()),
               why = one.value("reason", json());
    const auto which = optionalWhole<std::int64_t>(id);
    if (!which || !ei.is_number() || !(ei.get<double>() > 0) || !why.is_string()) continue;
    out[s.key] = {*which, ei.get<double>(), why.get<std::string>().substr(0, kLongestReason)};
  }
  return out;
}

json toJson(const OverruledBySituation& overruled) {
  json j = json::object();
  for (const auto& [key, o] : overruled)
    j[key] = {{"configuration", o.configuration}, {"ei", o.ei}, {"reason", o.reason}};
  return j;
}

std::vector<DecisionRow> decisionTable(const std::vector<Reach>& reaches,
                                       const OverruledBySituation& overruled) {
  std::vector<DecisionRow> rows;
  for (const auto& s : situations()) {
    DecisionRow row;
    row.situation = &s;
    row.result = checkScene(s.scene, reaches);
    answer(row);
    if (const auto by = overruled.find(s.key); by != overruled.end()) overrule(row, by->second, reaches);
    rows.push_back(std::move(row));
  }
  return rows;
}

std::string decisionCsv(const std::vector<DecisionRow>& rows) {
  std::string s = csvLine({"situation", "configuration", "rating", "reason", "cost", "overruled"});
  for (const auto& r : rows)
    s += csvLine({r.situation->words, r.configuration, r.rating, r.reason, r.cost, r.overruled ? "yes" : ""});
  return s;
}

json decisionJson(const std::vector<DecisionRow>& rows) {
  json list = json::array();
  for (const auto& r : rows) {
    const SceneResult& s = r.result;
    list.push_back(
        {{"situation", r.situation->key},
         {"words", r.situation->words},
         {"asks", r.situation->why},
         {"configuration", r.configuration},
         {"rating", r.rating},
         {"reason", r.reason},
         {"cost", r.cost},
         {"overruled", r.overruled.has_value()},
         {"recommended", s.recommended ? json(s.configurations[*s.recommended].reach.id) : json()}});
  }
  return list;
}

}  // namespace edge
