#include "begin/begin_join.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <set>

#include "base/error.h"
#include "base/numbers.h"
#include "begin/begin_plan.h"
#include "begin/bracket_order.h"
#include "plan/recipe_spec.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr double kSameStops = 0.01;

bool onlyOne(ClipKind kind) {
  return kind == ClipKind::Base || kind == ClipKind::Wedge || kind == ClipKind::Black;
}

class Joiner {
 public:
  explicit Joiner(const std::vector<Configuration>& stood) {
    out_.configurations = stood;
    for (const auto& c : stood)
      for (const auto& r : c.clips) known_.insert({r.path, r.hash});
  }

  void group(Configuration fresh) {
    const ClipRecord* base = fresh.clipOfKind(ClipKind::Base);
    Configuration* const counted = base ? ownerOf(*base) : nullptr;  // its base is one of the project
    Configuration* owner = counted ? counted : alike(fresh);
    if (!owner) {
      std::erase_if(fresh.clips, [this](const ClipRecord& r) { return isKept(r); });
      if (fresh.clips.empty()) return;
      out_.added += fresh.clips.size();
      out_.configurations.push_back(std::move(fresh));
      return;
    }
    // Another scene, or one that could not be compared: its exposures count from a base of its own.
    const bool comparable = counted || !owner->clipOfKind(ClipKind::Base);
    for (auto& r : fresh.clips)
      if (!isKept(r)) add(*owner, std::move(r), comparable);
  }

  JoinedShoot take() { return std::move(out_); }

 private:
  [[nodiscard]] bool isKept(const ClipRecord& r) const {
    return std::any_of(known_.begin(), known_.end(), [&](const auto& k) {
      return k.first == r.path || (!r.hash.empty() && k.second == r.hash);
    });
  }

  Configuration* ownerOf(const ClipRecord& base) {
    Configuration* moved = nullptr;  // the same content at another place
    for (auto& c : out_.configurations)
      if (const ClipRecord* own = c.clipOfKind(ClipKind::Base)) {
        if (own->path == base.path) return &c;
        if (!own->hash.empty() && own->hash == base.hash) moved = &c;
      }
    return moved;
  }

  Configuration* alike(const Configuration& fresh) {
    for (auto& c : out_.configurations)
      if (c.body == fresh.body && c.mode == fresh.mode && c.light == fresh.light &&
          std::abs(c.iso - fresh.iso) < 0.5)
        return &c;
    return nullptr;
  }

  void leaveOut(const ClipRecord& r, const std::string& why) {
    out_.leftOut.push_back(fs::path(r.path).filename().string() + ": " + why);
  }

  void add(Configuration& to, ClipRecord r, bool comparable) {
    const bool ofBracket =
        r.kind == ClipKind::Base || r.kind == ClipKind::Take || r.kind == ClipKind::BaseRepeat;
    if (ofBracket && !comparable)
      return leaveOut(r, "it shows another scene than the base of " + to.label() +
                             ": begin a project of its own with it");
    for (const auto& other : to.clips) {
      const bool same =
          other.kind == r.kind &&
          (onlyOne(r.kind) || (r.kind == ClipKind::Take && other.plannedStops && r.plannedStops &&
                               std::abs(*other.plannedStops - *r.plannedStops) < kSameStops));
      if (!same) continue;
      return leaveOut(r, fmt::format("{} of {} stands already, {}",
                                     r.plannedStops && r.kind == ClipKind::Take ? formatStops(*r.plannedStops)
                                                                                : std::string(wordOf(r.kind)),
                                     to.label(), other.path));
    }
    std::set<std::string> names;
    for (const auto& other : to.clips) names.insert(other.name);
    const std::string name = r.name;
    for (int n = 2; names.count(r.name); ++n) r.name = fmt::format("{} ({})", name, n);
    to.clips.push_back(std::move(r));
    ++out_.added;
  }

  std::set<std::pair<std::string, std::string>> known_;  // path and hash
  JoinedShoot out_;
};

// Bodies, modes and tests of another recipe, where this one lacks them.
void mergeRecipe(json& recipe, const json& other) {
  const auto named = [](json& list, const json& item) -> json& {
    if (!list.is_array()) list = json::array();
    for (auto& known : list)
      if (known["name"] == item["name"]) return known;
    list.push_back(item);
    return list.back();
  };
  for (const auto& body : other["bodies"]) {
    json& known = named(recipe["bodies"], body);
    for (const auto& mode : body["modes"]) (void)named(known["modes"], mode);
    for (const auto& circuit : body["circuits"])
      if (std::none_of(known["circuits"].begin(), known["circuits"].end(),
                       [&](const json& c) { return plainValue(c["native_iso"]) == circuit["native_iso"]; }))
        known["circuits"].push_back(circuit);
  }
  if (!recipe["lenses"].is_array() || recipe["lenses"].empty()) recipe["lenses"] = other["lenses"];
  for (const auto& test : other["tests"]) recipe["tests"].push_back(test);
}

// Takes more in the configuration's own bracket, whose base they count from; a plan that asks for several
// configurations at once gets a bracket of these takes alone.
json withTakes(json recipe, const Configuration& c, const std::vector<double>& stops) {
  for (auto& t : recipe["tests"]) {
    const auto is = [&t](const char* key, const json& value) { return t.value(key, json()) == value; };
    if (!is("kind", wordOf(TestKind::Bracket)) || !is("bodies", json::array({c.body})) ||
        !is("modes", json::array({c.mode})) || !is("isos", json::array({c.iso})))
      continue;
    json& extra = t["extra"];
    if (!extra.is_array()) extra = json::array();
    for (const double s : stops) extra.push_back(std::round(s * 1000) / 1000);
    return recipe;
  }
  return withExtraTakes(std::move(recipe), c.body, c.mode, c.iso, c.light, stops);
}

// Takes that were shot and not planned are planned now, and every new clip gets its slate.
void plan(JoinedShoot& joined, const SortedShoot& shoot, const std::vector<ClipLook>& looks,
          const fs::path& folder) {
  if (joined.recipe.is_null()) return;
  std::vector<Configuration> fresh;
  std::vector<ShotWith> shot;
  for (const auto& c : joined.configurations)
    if (c.id == 0)
      for (const auto& g : shoot.groups) {
        const ClipLook& first = looks[g.clips.front().look];
        if (g.body != c.body || g.mode != c.mode || g.iso != c.iso) continue;
        fresh.push_back(c), shot.push_back({first.format, first.fps, g.step, g.missing});
        break;
      }
  mergeRecipe(joined.recipe, recipeOfShoot(fresh, shot, ""));
  const auto linked = [&] {
    const Recipe recipe = recipeFromJson(joined.recipe, folder / "recipe.json");
    (void)linkToPlan(joined.configurations, recipe, makePlan(recipe));
  };
  linked();
  bool more = false;
  for (const auto& c : joined.configurations) {
    std::vector<double> stops;
    for (const auto& r : c.clips)
      if (r.slate.empty() && r.kind == ClipKind::Take && r.plannedStops) stops.push_back(*r.plannedStops);
    const bool planned = std::any_of(joined.recipe["bodies"].begin(), joined.recipe["bodies"].end(),
                                     [&](const json& b) { return b["name"] == c.body; });
    if (stops.empty() || c.iso <= 0 || !planned) continue;
    joined.recipe = withTakes(joined.recipe, c, stops), more = true;
  }
  if (more) linked();
}

}  // namespace

std::vector<fs::path> keptBases(const std::vector<Configuration>& stood, const fs::path& folder) {
  std::vector<fs::path> out;
  std::error_code ec;
  for (const auto& c : stood)
    if (const ClipRecord* base = c.clipOfKind(ClipKind::Base))
      if (const fs::path path = (folder / base->path).lexically_normal(); fs::exists(path, ec))
        out.push_back(path);
  return out;
}

namespace {

// Of several bases that fit a group the one that was said, or that lies where most of the new clips lie.
std::optional<size_t> theBase(const SortedGroup& g, const std::vector<ClipLook>& looks,
                              const std::vector<size_t>& kept, const std::set<fs::path>& said) {
  if (kept.size() == 1) return kept[0];
  std::map<fs::path, size_t> in;
  for (size_t k = 0; k < g.clips.size(); ++k)
    if (std::find(kept.begin(), kept.end(), k) == kept.end()) ++in[looks[g.clips[k].look].clip.parent_path()];
  std::optional<size_t> found;
  for (const size_t k : kept) {
    const fs::path& clip = looks[g.clips[k].look].clip;
    if (said.count(clip)) return k;
    if (2 * in[clip.parent_path()] <= g.clips.size() - kept.size()) continue;
    if (found) return std::nullopt;  // two bases in one folder
    found = k;
  }
  return found;
}

}  // namespace

void countFromKept(SortedShoot& shoot, const std::vector<ClipLook>& looks,
                   const std::vector<Configuration>& stood, const fs::path& folder,
                   std::optional<double> step, const std::set<fs::path>& said) {
  std::map<fs::path, const Configuration*> owners;
  for (const auto& c : stood)
    if (const ClipRecord* base = c.clipOfKind(ClipKind::Base))
      owners[(folder / base->path).lexically_normal()] = &c;
  for (auto& g : shoot.groups) {
    std::vector<size_t> kept;
    for (size_t k = 0; k < g.clips.size(); ++k)
      if (owners.count(looks[g.clips[k].look].clip)) kept.push_back(k);
    if (kept.empty()) continue;
    for (const size_t k : kept) g.clips[k].why = "base of the project";
    if (const auto k = theBase(g, looks, kept, said)) {
      if (g.clips[*k].role != ClipRole::Base) setRole(g, *k, ClipRole::Base);
      g.clips[*k].why = "base of the project";
      const Configuration& owner = *owners.at(looks[g.clips[*k].look].clip);
      g.body = owner.body, g.mode = owner.mode, g.iso = owner.iso;
      snapToStep(g, step);
      continue;
    }
    for (auto& c : g.clips)
      c.role = ClipRole::Unknown, c.stops.reset(), c.planned.reset(),
      c.why = "several bases of the project fit: choose which one it is";
    g.missing.clear();
  }
}

JoinedShoot joinShoot(const std::vector<Configuration>& stood, const json& recipe, const SortedShoot& shoot,
                      const std::vector<ClipLook>& looks, const DecodeOptions& decode,
                      const fs::path& folder) {
  Joiner joiner(stood);
  for (auto& fresh : configurationsOf(shoot, looks, decode, folder)) joiner.group(std::move(fresh));
  JoinedShoot joined = joiner.take();
  for (const auto& g : shoot.groups)
    for (const auto& c : g.clips)
      if (c.role == ClipRole::Unknown)
        joined.leftOut.push_back(looks[c.look].clip.filename().string() + ": " + c.why);
  joined.recipe = recipe;
  try {
    plan(joined, shoot, looks, folder);
  } catch (const Error& e) {
    // What the recipe can't hold costs the plan's part, not the clips.
    joined.recipe = recipe;
    joined.leftOut.push_back("the plan stays as it is: " + e.problem());
  }
  return joined;
}

void placeNew(JoinedShoot& joined, const fs::path& folder, std::optional<double> wedgeStep,
              const Progress& progress) {
  const auto firstNew = std::stable_partition(joined.configurations.begin(), joined.configurations.end(),
                                              [](const Configuration& c) { return c.id > 0; });
  std::vector<Configuration> fresh(firstNew, joined.configurations.end());
  (void)placeAll(fresh, folder, wedgeStep, progress);
  std::copy(fresh.begin(), fresh.end(), firstNew);
}

}  // namespace edge
