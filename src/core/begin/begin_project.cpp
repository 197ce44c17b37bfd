#include "begin/begin_project.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "base/error.h"
#include "base/json_numbers.h"
#include "base/numbers.h"
#include "base/warning.h"
#include "begin/begin_plan.h"
#include "project/analysis.h"
#include "project/setup.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

std::optional<ClipKind> kindOf(const SortedClip& c) {
  switch (c.role) {
    case ClipRole::Wedge:
      return ClipKind::Wedge;
    case ClipRole::Black:
      return ClipKind::Black;
    case ClipRole::Base:
      return ClipKind::Base;
    case ClipRole::Take:
      return c.repeat ? ClipKind::BaseRepeat : ClipKind::Take;
    case ClipRole::Ladder:
      return ClipKind::IsoLadder;
    case ClipRole::Sweep:
      return ClipKind::IsoSweep;
    case ClipRole::Pair:
      return ClipKind::PushPair;
    case ClipRole::Strobe:
      return ClipKind::RollingShutter;
    case ClipRole::Unknown:
      return std::nullopt;
  }
  return std::nullopt;
}

// "m2", "p0.33"; the file's own name where nothing better is known.
std::string nameOf(const SortedClip& c, const ClipLook& look) {
  if (c.role == ClipRole::Base) return "base";
  const auto stops = c.planned ? c.planned : c.stops;
  if (c.role != ClipRole::Take || c.repeat || !stops) return look.clip.stem().string();
  return fmt::format("{}{:g}", *stops < 0 ? "m" : "p", std::round(std::abs(*stops) * 100) / 100);
}

}  // namespace

std::string bendWords(const SortedGroup& g) {
  return fmt::format(
      "for each stop bright blocks change by {} stop more than dim ones: is the curve right, and black?",
      formatSigned(g.bend, 3));
}

json toJson(const SortedShoot& shoot, const std::vector<ClipLook>& looks) {
  json j = {{"configurations", json::array()}, {"questions", json::array()}, {"warnings", json::array()}};
  for (const auto& g : shoot.groups) {
    json clips = json::array();
    for (const auto& c : g.clips)
      clips.push_back({{"clip", looks[c.look].clip.generic_string()},
                       {"role", wordOf(c.role)},
                       {"stops", number(c.stops)},
                       {"planned_stops", number(c.planned)},
                       {"sigma", c.stops ? number(c.sigma) : json()},
                       {"why", c.why}});
    j["configurations"].push_back({{"id", g.id()},
                                   {"body", g.body},
                                   {"mode", g.mode},
                                   {"iso", g.iso > 0 ? json(g.iso) : json()},
                                   {"step", g.step > 0 ? json(g.step) : json()},
                                   {"clips", clips},
                                   {"missing", g.missing}});
  }
  for (const auto& q : shoot.questions) {
    json ids = json::array();
    for (const size_t g : q.groups) ids.push_back(shoot.groups[g].id());
    j["questions"].push_back({{"what", q.what}, {"configurations", ids}, {"choices", q.choices}});
  }
  for (const auto& g : shoot.groups)
    if (g.bend != 0)
      j["warnings"].push_back({{"code", "wrong-curve"}, {"message", bendWords(g)}, {"where", g.id()}});
  for (const size_t i : shoot.unreadable)
    j["warnings"].push_back({{"code", "unreadable"},
                             {"message", looks[i].problem + ": " + looks[i].remedy},
                             {"where", looks[i].clip.generic_string()}});
  return j;
}

std::vector<Configuration> configurationsOf(const SortedShoot& shoot, const std::vector<ClipLook>& looks,
                                            const DecodeOptions& decode, const fs::path& folder) {
  std::vector<Configuration> out;
  for (const auto& g : shoot.groups) {
    Configuration c;
    c.body = g.body, c.mode = g.mode, c.iso = g.iso;
    const ClipLook& first = looks[g.clips.front().look];
    c.decode = decode;
    if (first.linear()) c.decode.curve = "linear";
    c.ask = questionsOf(c.decode, first.format);
    if (!c.decode.curve.empty() && !isCurveName(c.decode.curve))
      c.decode.curve = fs::relative(fs::absolute(c.decode.curve), folder).generic_string();
    std::set<std::string> used;
    for (const auto& s : g.clips) {
      const auto kind = kindOf(s);
      if (!kind) continue;
      const ClipLook& l = looks[s.look];
      ClipRecord r;
      r.kind = *kind;
      r.name = nameOf(s, l);
      for (int n = 2; !used.insert(r.name).second; ++n) r.name = fmt::format("{} ({})", nameOf(s, l), n);
      if (*kind == ClipKind::Base) r.plannedStops = 0;
      if (*kind == ClipKind::Take) r.plannedStops = s.planned ? s.planned : s.stops;
      r.path = fs::relative(l.clip, folder).generic_string();
      r.hash = l.hash;
      r.iso = l.iso.value_or(0);
      r.first = l.steady.first, r.frames = l.steady.count;
      r.link = {{"by", "looked"}, {"sure", 1}, {"words", s.why}};
      // A take of unknown exposure is kept, and measured once its curve is known.
      c.clips.push_back(std::move(r));
    }
    out.push_back(std::move(c));
  }
  return out;
}

std::vector<LookedFor> placeAll(std::vector<Configuration>& configurations, const fs::path& folder,
                                std::optional<double> wedgeStep, const Progress& progress) {
  const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
  std::vector<LookedFor> places;
  for (size_t k = 0; k < configurations.size(); ++k) {
    progress.report(static_cast<double>(k) / static_cast<double>(configurations.size()),
                    "charts of " + configurations[k].label());
    try {
      places.push_back(placeByLooking(configurations[k], folder, wedgeStep, quiet));
    } catch (const Error&) {  // what can't be looked at is marked by hand; the project is made all the same
      places.emplace_back();
    }
  }
  return places;
}

void addPlaces(json& printed, const std::vector<Configuration>& configurations,
               const std::vector<LookedFor>& places) {
  json without = json::array(), steps = json::array();
  for (size_t k = 0; k < places.size(); ++k) {
    json& j = printed["configurations"][k];
    const auto describe = [](const FoundLattice& f) {
      return json{{"patches", f.chart.patches.size()}, {"rows", f.rows}, {"per_row", f.perRow}};
    };
    if (const auto& w = places[k].wedge) {
      j["wedge"] = describe(*w);
      j["wedge"]["step_seen"] =
          w->step ? json{{"stops", w->step->stops}, {"spread", w->step->spread}} : json();
      if (isWedgePlaced(configurations[k]) && !hasWedge(configurations[k])) {
        without.push_back(j["id"]);
        const auto usual = usualStep(*w);
        if (usual && std::find(steps.begin(), steps.end(), formatNumber(*usual, 3)) == steps.end())
          steps.push_back(formatNumber(*usual, 3));
      }
    }
    if (const auto& c = places[k].chart) j["chart"] = describe(*c);
  }
  if (!without.empty())
    printed["questions"].push_back({{"what", "steps"}, {"configurations", without}, {"choices", steps}});
}

json planBackwards(std::vector<Configuration>& configurations, const SortedShoot& shoot,
                   const std::vector<ClipLook>& looks, const fs::path& file) {
  std::vector<ShotWith> shot;
  for (const auto& g : shoot.groups) {
    const ClipLook& first = looks[g.clips.front().look];
    shot.push_back({first.format, first.fps, g.step, g.missing});
  }
  const fs::path at = fs::absolute(file).lexically_normal();
  json j = recipeOfShoot(configurations, shot, at.stem().string());
  if (j["tests"].empty()) return nullptr;
  try {
    const Recipe recipe = recipeFromJson(j, at.parent_path() / "recipe.json");
    (void)linkToPlan(configurations, recipe, makePlan(recipe));
  } catch (const Error&) {
    return nullptr;  // what a recipe can't hold (a name or a list too long) costs the plan, not the project
  }
  return j;
}

void writeProject(const std::vector<Configuration>& configurations, const json& recipe,
                  const fs::path& file) {
  const fs::path at = fs::absolute(file).lexically_normal();
  (void)Project::create(at, at.stem().string(), "", [&](Project& project) {
    for (const auto& c : configurations) project.addConfiguration(c);
    if (!recipe.is_null())
      project.setDecision({0, "", kRecipeKey, recipe, "written from the clips of a finished shoot"});
  });
}

}  // namespace edge
