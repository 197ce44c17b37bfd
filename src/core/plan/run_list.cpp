#include "plan/run_list.h"

#include <fmt/format.h>

#include <cmath>

#include "base/csv.h"
#include "base/numbers.h"
#include "exposure/meter.h"

using nlohmann::json;

namespace edge {
namespace {

std::string clockWords(const Recipe& r, double seconds) {
  const int minute = (r.startMinute + static_cast<int>(seconds / 60)) % 1440;
  return fmt::format("{:02}:{:02}", minute / 60, minute % 60);
}

// What the hands do between the last take and this one.
std::string changeWords(const Plan& plan, const Recipe& recipe, size_t i) {
  if (i == 0) return "set up";
  const Take &a = plan.takes[i - 1], &b = plan.takes[i];
  const TestSeries &from = plan.series[a.series], &to = plan.series[b.series];
  std::string words;
  const auto add = [&](const std::string& w) { words += (words.empty() ? "" : ", ") + w; };
  if (from.body != to.body)
    add("body " + recipe.bodies[to.body].name);
  else if (from.mode != to.mode)
    add("mode " + recipe.bodies[to.body].modes[to.mode].name);
  if (blockOf(from.kind).scene != blockOf(to.kind).scene)
    add(blockOf(to.kind).scene == Scene::Wedge ? "wedge, dark set" : wordOf(blockOf(to.kind).scene));
  if (a.iso != b.iso) add(fmt::format("ISO {:g}", b.iso));
  if (a.settings.engraved != b.settings.engraved) add(b.settings.engraved);
  if (a.settings.filters != b.settings.filters)
    add(b.settings.filters.empty() ? "ND out" : filterWords(b.settings));
  if (std::abs(a.settings.shutter.value() - b.settings.shutter.value()) > 1e-9) add(shutterWords(b.settings));
  if (lampWords(a.settings) != lampWords(b.settings) && blockOf(to.kind).scene == Scene::Bench) add("light");
  return words.empty() ? "nothing" : words;
}

std::string levelWords(const std::optional<ExpectedLevel>& l) {
  return l ? fmt::format("{:.1f} % {}", l->percent, l->scale) : "";
}

json stepJson(const Recipe& recipe, const Plan& plan, const Take& t, const Knowledge& known) {
  const TestSeries& s = plan.series[t.series];
  const BodySpec& b = recipe.bodies[s.body];
  json lamps = json::array();
  for (const auto& l : t.settings.lamps)
    lamps.push_back({{"name", l.name},
                     {"percent", l.percent},
                     {"distance_m", l.distance.value()},
                     {"lux", l.lux.value()}});
  json controls = json::array();
  for (auto c : t.changed) controls.push_back(wordOf(c));
  json forecast;
  if (const auto h = headroomAt(b, b.modes[s.mode], t.iso, known)) {
    forecast = {{"headroom_stops", h->stops}, {"from", h->from}, {"tones", json::array()}};
    for (const auto& tone : forecastAt(recipe, h->stops, s.request.baseOffset + t.lightStops + t.gainStops))
      forecast["tones"].push_back({{"tone", tone.tone}, {"margin_stops", tone.margin}});
  }
  const auto level = expectedGrey(recipe, plan, t, known);
  return {{"number", t.number},
          {"name", t.name},
          {"slate", t.slate},
          {"test", wordOf(s.kind)},
          {"body", b.name},
          {"mode", b.modes[s.mode].name},
          {"iso", t.iso},
          {"t_stop", t.settings.aperture.value()},
          {"engraved", t.settings.engraved},
          {"shutter_seconds", t.settings.shutter.value()},
          {"shutter_degrees", angleOfShutter(t.settings.shutter, t.settings.fps)},
          {"fps", t.settings.fps},
          {"nd", t.settings.nd.value()},
          {"gel", t.settings.gel.value()},
          {"lamps", lamps},
          {"light_lux", t.settings.light.value()},
          {"light_fc", footCandlesOf(t.settings.light)},
          {"planned_stops", t.plannedStops},
          {"light_stops", t.lightStops},
          {"gain_stops", t.gainStops},
          {"error_stops", t.errorStops},
          {"controls", controls},
          {"setup", t.setup},
          {"role", t.role == TakeRole::Base    ? "base"
                   : t.role == TakeRole::Black ? "black"
                   : t.role == TakeRole::Wedge ? "wedge"
                   : t.role == TakeRole::Check ? "check"
                                               : "step"},
          {"expected_grey", level ? json{{"percent", level->percent}, {"scale", level->scale}} : json()},
          {"forecast", forecast},
          {"cautions", cautionsOf(recipe, plan, t)},
          {"side_effects", sideEffectsOf(recipe, plan, t)},
          {"start", clockWords(recipe, t.startSeconds)},
          {"start_seconds", t.startSeconds},
          {"seconds", t.seconds},
          {"bytes", t.bytes}};
}

json problemJson(const Problem& p) {
  constexpr const char* kWords[] = {"caution", "warning", "stop"};
  json remedies = json::array();
  for (const auto& r : p.remedies)
    remedies.push_back({{"words", r.words},
                        {"stops_gained", r.stopsGained},
                        {"enough", r.enough ? json(*r.enough) : json()},
                        {"patch", r.patch}});
  return {{"code", p.code},
          {"severity", kWords[static_cast<int>(p.severity)]},
          {"where", p.where},
          {"message", p.words},
          {"short_by_stops", p.shortBy},
          {"remedies", remedies}};
}

json coverageJson(const std::vector<CoverageRow>& rows) {
  constexpr const char* kStates[] = {"planned", "impossible", "skipped", "not-asked"};
  json out = json::array();
  for (const auto& r : rows) {
    json cells = json::array();
    for (const auto& c : r.cells)
      cells.push_back({{"stops", c.stops},
                       {"state", kStates[static_cast<int>(c.state)]},
                       {"control", c.control},
                       {"reason", c.reason}});
    out.push_back({{"configuration", r.label}, {"cells", cells}});
  }
  return out;
}

json totalsJson(const Plan& plan) {
  json cards = json::array();
  for (const auto& c : plan.totals.cards)
    cards.push_back({{"body", c.body},
                     {"bytes", c.bytes},
                     {"minutes", c.minutes},
                     {"cards", c.cards},
                     {"minutes_per_card", c.minutesPerCard}});
  return {{"takes", plan.takes.size()},
          {"seconds", plan.totals.seconds},
          {"bytes", plan.totals.bytes},
          {"relights", plan.totals.relights},
          {"dims", plan.totals.dims},
          {"body_changes", plan.totals.bodyChanges},
          {"mode_changes", plan.totals.modeChanges},
          {"chart_changes", plan.totals.chartChanges},
          {"card_changes", plan.totals.cardChanges},
          {"cards", cards}};
}

// Light needed and where each lamp ends, by series.
json setupsJson(const Recipe& recipe, const Plan& plan) {
  json out = json::array();
  for (const auto& s : plan.series) {
    json ends = json::array();
    for (const auto& e : s.route.ends)
      ends.push_back({{"lamp", e.lamp}, {"down_stops", e.down}, {"up_stops", e.up}});
    const bool bench = !s.request.fixedLight;
    out.push_back({{"configuration", s.label(recipe)},
                   {"test", wordOf(s.kind)},
                   {"setups", s.route.bases.size()},
                   {"base_difference_stops", s.route.baseDifference},
                   {"needed_lux", bench ? json(s.route.needed.value()) : json()},
                   {"needed_fc", bench ? json(footCandlesOf(s.route.needed)) : json()},
                   {"lamps", ends}});
  }
  return out;
}

}  // namespace

json toJson(const Protocol& p) {
  json lines = json::array();
  for (const auto& l : p.lines) lines.push_back({{"question", l.question}, {"answer", l.answer}});
  return {{"version", p.version}, {"key", p.key}, {"lines", lines}};
}

std::string durationWords(double seconds) {
  const int minutes = static_cast<int>(std::ceil(seconds / 60 - 1e-9));
  return minutes < 60 ? fmt::format("{} min", minutes)
                      : fmt::format("{} h {:02} min", minutes / 60, minutes % 60);
}

std::string sizeWords(double bytes) {
  return bytes < 10e9 ? fmt::format("{:.1f} GB ({:.1f} GiB)", bytes / 1e9, gibOf(bytes))
                      : fmt::format("{:.0f} GB ({:.0f} GiB)", bytes / 1e9, gibOf(bytes));
}

std::string lightWords(Lux light) {
  const auto three = [](double v) { return v >= 100 ? fmt::format("{:.0f}", v) : fmt::format("{:.3g}", v); };
  return fmt::format("{} lux ({} fc)", three(light.value()), three(footCandlesOf(light)));
}

std::string shutterWords(const TakeSettings& s) {
  return fmt::format("{:.4g}\u00b0 (1/{:.4g})", angleOfShutter(s.shutter, s.fps), 1 / s.shutter.value());
}

std::string lampWords(const TakeSettings& s) {
  std::string words;
  for (const auto& l : s.lamps)
    words += (words.empty() ? "" : "; ") +
             (l.fixed ? l.name + " as it is"
                      : fmt::format("{} {:.3g} % at {:.3g} m", l.name, l.percent, l.distance.value()));
  if (s.gel.value() > 0) words += fmt::format("; gel ND{:g}", s.gel.value());
  return words;
}

std::string filterWords(const TakeSettings& s) {
  std::string words;
  for (double f : s.filters) words += (words.empty() ? "ND" : "+") + fmt::format("{:g}", f);
  return words;
}

std::vector<RunLine> runLines(const Recipe& recipe, const Plan& plan, const Knowledge& known) {
  std::vector<RunLine> lines;
  for (size_t i = 0; i < plan.takes.size(); ++i) {
    const Take& t = plan.takes[i];
    const TestSeries& s = plan.series[t.series];
    const BodySpec& b = recipe.bodies[s.body];
    const bool bench = blockOf(s.kind).scene == Scene::Bench;
    RunLine l;
    l.number = t.number, l.clock = clockWords(recipe, t.startSeconds), l.test = blockOf(s.kind).title,
    l.slate = t.slate;
    l.body = b.name, l.mode = b.modes[s.mode].name, l.iso = fmt::format("{:g}", t.iso),
    l.aperture = t.settings.engraved;
    l.shutter = shutterWords(t.settings), l.nd = filterWords(t.settings),
    l.lamps = bench ? lampWords(t.settings) : "off";
    l.light = bench ? lightWords(t.settings.light) : "",
    l.level = levelWords(expectedGrey(recipe, plan, t, known));
    l.change = changeWords(plan, recipe, i),
    l.cautions = fmt::format("{}", fmt::join(cautionsOf(recipe, plan, t), "; "));
    l.stops = t.plannedStops;
    lines.push_back(std::move(l));
  }
  return lines;
}

std::string runListCsv(const Recipe& recipe, const Plan& plan, const Knowledge& known,
                       const std::string& notice) {
  std::string s = csvLine({"number",
                           "start",
                           "test",
                           "slate",
                           "take",
                           "body",
                           "mode",
                           "iso",
                           "aperture",
                           "t_stop_exact",
                           "shutter_degrees",
                           "shutter_seconds",
                           "nd",
                           "gel",
                           "lamps",
                           "light_lux",
                           "light_fc",
                           "planned_stops",
                           "light_stops",
                           "gain_stops",
                           "error_stops",
                           "controls",
                           "expected_grey",
                           "change",
                           "cautions"});
  const auto lines = runLines(recipe, plan, known);
  for (size_t i = 0; i < lines.size(); ++i) {
    const RunLine& l = lines[i];
    const Take& t = plan.takes[i];
    std::string controls;
    for (auto c : t.changed) controls += (controls.empty() ? "" : "+") + std::string(wordOf(c));
    s += csvLine({std::to_string(l.number),
                  l.clock,
                  wordOf(plan.series[t.series].kind),
                  l.slate,
                  t.name,
                  l.body,
                  l.mode,
                  l.iso,
                  l.aperture,
                  formatNumber(t.settings.aperture.value(), 3),
                  formatNumber(angleOfShutter(t.settings.shutter, t.settings.fps), 1),
                  formatNumber(t.settings.shutter.value(), 6),
                  formatNumber(t.settings.nd.value(), 2),
                  formatNumber(t.settings.gel.value(), 2),
                  l.lamps,
                  formatNumber(t.settings.light.value(), 1),
                  formatNumber(footCandlesOf(t.settings.light), 1),
                  formatNumber(t.plannedStops, 3),
                  formatNumber(t.lightStops, 4),
                  formatNumber(t.gainStops, 4),
                  formatNumber(t.errorStops, 4),
                  controls,
                  l.level,
                  l.change,
                  i == 0 && !notice.empty() ? notice + ". " + l.cautions : l.cautions});
  }
  return s;
}

json planJson(const Recipe& recipe, const Plan& plan, const Knowledge& known) {
  json j;
  for (const char* key : {"takes", "problems"}) j[key] = json::array();
  for (const auto& t : plan.takes) j["takes"].push_back(stepJson(recipe, plan, t, known));
  for (const auto& p : plan.problems) j["problems"].push_back(problemJson(p));
  j["totals"] = totalsJson(plan), j["coverage"] = coverageJson(plan.coverage),
  j["setups"] = setupsJson(recipe, plan);
  j["shortened"] = plan.shortened, j["checklist"] = plan.checklist;
  j["protocol"] = toJson(plan.protocol);
  return j;
}

}  // namespace edge
