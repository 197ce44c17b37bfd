#include "advise/scene_check.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/numbers.h"
#include "exposure/series.h"
#include "exposure/sums.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kTenth = 10;  // of a stop

void count(Harm& harm, const Placed& p, Held may) {
  if (!p.harms(may)) return;
  if (!p.state)
    ++harm.lost;
  else
    ++(*p.state == Held::Clips ? harm.clips : *p.state == Held::Lost ? harm.lost : harm.cleanable);
}

// Of the tones that do no harm and are asked to hold: one that may clip asks for no room.
std::optional<Limit> roomOf(const SceneReadings& scene, const std::vector<Placed>& placed) {
  std::optional<Limit> room;
  for (size_t i = 0; i < placed.size(); ++i) {
    const Placed& p = placed[i];
    const Held may = scene.readings[i].may;
    if (!p.harms(may) && may != Held::Clips && p.margin && (!room || p.margin->stops < room->stops))
      room = p.margin;
  }
  return room;
}

std::vector<double> offsets() {
  std::vector<double> list = {0};  // nearest first; more light before less
  const int most = static_cast<int>(std::lround(kOffsetReach / kOffsetStep));
  for (int i = 1; i <= most; ++i)
    for (const int sign : {1, -1}) list.push_back(sign * i * kOffsetStep);
  return list;
}

double roomStops(const std::optional<Limit>& room) {
  return room ? room->stops : -1;
}

// Up or down to the nearest place where the tone does no harm; nothing: there is none.
std::optional<double> changeOf(const Reach& reach, double at, Held may) {
  const auto harmless = [&](double s) { return !placed(reach, s).harms(may); };
  if (harmless(at)) return 0.0;
  std::optional<double> best;
  for (const auto* edge :
       {&reach.cleanOver, &reach.lostOver, &reach.clip, &reach.cleanUnder, &reach.lostUnder}) {
    if (!*edge) continue;
    const double d = (*edge)->stops - at;
    const double rounded = std::copysign(std::ceil(std::abs(d) * kTenth - 1e-9) / kTenth, d);
    if (harmless(at + rounded) && (!best || std::abs(rounded) < std::abs(*best))) best = rounded;
  }
  return best;
}

std::string changeWords(const std::string& name, double stops) {
  std::string words = fmt::format("{} {}", name, formatSigned(stops, 1));
  // Filters come in tenths of density; a gel that is rounded down would not do.
  if (stops < 0)
    words += fmt::format(": ND gel {}, or less light there",
                         formatNumber(std::ceil(densityOf(Stops(-stops)).value() * 10 - 0.05) / 10, 1));
  else
    words += ": more light there";
  return words;
}

std::optional<LightChange> changeAt(const SceneReadings& scene, const Reach& reach, double offset) {
  LightChange c;
  c.offset = offset;
  for (size_t i = 0; i < scene.readings.size(); ++i) {
    const auto& r = scene.readings[i];
    const auto d = changeOf(reach, r.stops + offset, r.may);
    if (!d) return std::nullopt;
    if (*d != 0) c.steps.push_back({i, *d, changeWords(r.name, *d)});
  }
  return c;
}

// The least harm of changing light, one for each set of tones that would be changed.
std::vector<LightChange> changesOf(const SceneReadings& scene, const Reach& reach) {
  std::vector<LightChange> all;
  for (const double o : offsets())
    if (auto c = changeAt(scene, reach, o)) all.push_back(std::move(*c));
  std::stable_sort(all.begin(), all.end(), [](const LightChange& a, const LightChange& b) {
    if (a.steps.size() != b.steps.size()) return a.steps.size() < b.steps.size();
    return a.stops() < b.stops() - 1e-6;
  });
  std::vector<LightChange> out;
  for (auto& c : all) {
    const auto same = [&](const LightChange& o) {
      return std::equal(o.steps.begin(), o.steps.end(), c.steps.begin(), c.steps.end(),
                        [](const ToneStep& a, const ToneStep& b) { return a.reading == b.reading; });
    };
    if (out.size() < kMostChanges && std::none_of(out.begin(), out.end(), same)) out.push_back(std::move(c));
  }
  return out;
}

SceneOn best(const SceneReadings& scene, const Reach& reach) {
  SceneOn chosen = sceneOn(scene, reach, 0);
  std::optional<Limit> most = chosen.room;
  for (const double o : offsets()) {
    SceneOn one = sceneOn(scene, reach, o);
    if (one.harm > chosen.harm) continue;
    const bool less = one.harm < chosen.harm;
    if (less || roomStops(one.room) > roomStops(most)) most = one.room;
    const double wanted = std::min(roomStops(one.room), kSafe),
                 kept = std::min(roomStops(chosen.room), kSafe);
    if (less || wanted > kept + 1e-9) chosen = std::move(one);
  }
  chosen.room = most;
  if (!chosen.harm.none() && reach.cleanOver) chosen.changes = changesOf(scene, reach);
  return chosen;
}

double errorOf(const std::optional<Limit>& l) {
  return l ? std::max(l->sigma, 0.03) : 0;  // no edge is known better than its bracket was lit
}

bool asGood(const SceneOn& a, const SceneOn& b) {
  if (a.harm != b.harm || !a.room != !b.room) return false;
  if (!a.room) return true;
  return std::abs(a.room->stops - b.room->stops) <= 2 * std::hypot(errorOf(a.room), errorOf(b.room));
}

std::string offsetWords(double offset) {
  if (offset == 0) return "as tested";
  return formatStops(offset) + (offset > 0 ? ", more light" : ", less light");
}

std::string reasonOf(const SceneReadings& scene, const SceneResult& r) {
  const SceneOn& s = r.configurations[*r.recommended];
  std::string words = fmt::format("{} at {} ({}): ", s.reach.label, ratingWords(s), offsetWords(s.offset));
  std::vector<std::string> bad;
  for (size_t i = 0; i < s.readings.size(); ++i)
    if (s.readings[i].harms(scene.readings[i].may))
      bad.push_back(scene.readings[i].name + " " +
                    (s.readings[i].state ? wordOf(*s.readings[i].state) : s.readings[i].why));
  if (bad.empty())
    words += "everything holds";
  else
    words += fmt::format("{}", fmt::join(bad, ", "));
  if (s.room)
    words += fmt::format("; {}{} stops of room{}", s.room->atLeast ? "at least " : "",
                         formatNumber(s.room->stops, 1), bad.empty() ? "" : " for the rest");
  if (!r.ties.empty()) {
    std::vector<std::string> names;
    for (const size_t t : r.ties) names.push_back(r.configurations[t].reach.label);
    words += fmt::format(". As good within the errors: {}", fmt::join(names, ", "));
  }
  std::vector<std::string> apart;
  for (const auto& c : r.configurations)
    if (c.reach.otherProtocol && c.reach.id != s.reach.id) apart.push_back(c.reach.label);
  if (!apart.empty())
    words += fmt::format(". Shot by another protocol and not compared: {}", fmt::join(apart, ", "));
  return words;
}

json changeJson(const SceneReadings& scene, const SceneOn& s) {
  json list = json::array();
  for (const auto& c : s.changes) {
    json one = {{"offset_stops", c.offset}, {"steps", json::array()}};
    for (const auto& step : c.steps)
      one["steps"].push_back(
          {{"name", scene.readings[step.reading].name}, {"stops", step.stops}, {"words", step.words}});
    list.push_back(std::move(one));
  }
  return list;
}

}  // namespace

double LightChange::stops() const {
  double sum = 0;
  for (const auto& s : steps) sum += std::abs(s.stops);
  return sum;
}

SceneOn sceneOn(const SceneReadings& scene, const Reach& reach, double offset) {
  SceneOn s;
  s.reach = reach, s.offset = offset;
  if (reach.iso > 0) s.ei = exposureIndex(Iso(reach.iso), Stops(offset)).value();
  if (scene.exposure && s.ei)
    s.aperture = scene.exposure->aperture->value() * std::sqrt(*s.ei / scene.exposure->iso->value());
  for (const auto& r : scene.readings) {
    s.readings.push_back(placed(reach, r.stops + offset));
    count(s.harm, s.readings.back(), r.may);
  }
  s.room = roomOf(scene, s.readings);
  return s;
}

SceneResult checkScene(const SceneReadings& scene, const std::vector<Reach>& reaches) {
  SceneResult r;
  for (const auto& reach : reaches) {
    r.configurations.push_back(best(scene, reach));
    r.warnings.insert(r.warnings.end(), reach.warnings.begin(), reach.warnings.end());
  }
  const auto better = [&](size_t a, size_t b) {
    const SceneOn &x = r.configurations[a], &y = r.configurations[b];
    return x.harm != y.harm ? x.harm < y.harm : roomStops(x.room) > roomStops(y.room);
  };
  // Like with like: rows of another protocol are chosen from only where there are no others.
  const bool alike = std::any_of(reaches.begin(), reaches.end(),
                                 [](const Reach& x) { return x.cleanOver && !x.otherProtocol; });
  const auto ranked = [&](const Reach& x) { return x.cleanOver && !(alike && x.otherProtocol); };
  for (size_t i = 0; i < reaches.size(); ++i)
    if (ranked(reaches[i]) && (!r.recommended || better(i, *r.recommended))) r.recommended = i;
  if (!r.recommended) {
    r.reason = "no configuration has edges: nothing can be recommended";
    return r;
  }
  const size_t most = *r.recommended;
  for (size_t i = 0; i < reaches.size(); ++i)
    if (ranked(reaches[i]) && asGood(r.configurations[i], r.configurations[most])) {
      r.ties.push_back(i);
      // Of equals that which is rated nearest to how it was tested.
      if (std::abs(r.configurations[i].offset) < std::abs(r.configurations[*r.recommended].offset) - 1e-9)
        r.recommended = i;
    }
  std::erase(r.ties, *r.recommended);
  r.reason = reasonOf(scene, r);
  return r;
}

std::string ratingWords(const SceneOn& on) {
  if (on.ei) return eiWords(*on.ei);
  return on.offset == 0 ? "its ISO" : formatStops(on.offset) + " from its ISO";
}

json toJson(const SceneReadings& scene, const SceneResult& r) {
  json j = {{"configurations", json::array()}};
  for (const auto& s : r.configurations) {
    json c = {{"id", s.reach.id},
              {"label", s.reach.label},
              {"iso", s.reach.iso},
              {"offset_stops", s.offset},
              {"ei", s.ei ? json(*s.ei) : json()},
              {"t", s.aperture ? json(*s.aperture) : json()},
              {"room", plainJson(s.room)},
              {"readings", json::array()}};
    for (size_t i = 0; i < s.readings.size(); ++i) {
      const Placed& p = s.readings[i];
      json one = {{"name", scene.readings[i].name},
                  {"stops", scene.readings[i].stops},
                  {"state", p.state ? json(keyOf(*p.state)) : json()},
                  {"margin", plainJson(p.margin)},
                  {"sigma", p.margin && !p.margin->atLeast ? json(p.margin->sigma) : json()}};
      if (!p.why.empty()) one["why"] = p.why;
      c["readings"].push_back(std::move(one));
    }
    c["changes"] = changeJson(scene, s);
    j["configurations"].push_back(std::move(c));
  }
  j["recommended"] = nullptr;
  if (r.recommended) {
    const SceneOn& s = r.configurations[*r.recommended];
    json ties = json::array();
    for (const size_t t : r.ties) ties.push_back(r.configurations[t].reach.id);
    j["recommended"] = {{"id", s.reach.id},
                        {"label", s.reach.label},
                        {"ei", s.ei ? json(*s.ei) : json()},
                        {"offset_stops", s.offset},
                        {"reason", r.reason},
                        {"ties", ties},
                        {"changes", changeJson(scene, s)}};
  }
  j["warnings"] = toJson(r.warnings);
  return j;
}

}  // namespace edge
