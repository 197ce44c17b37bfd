#include "begin/begin_plan.h"

#include <algorithm>
#include <cmath>
#include <set>

#include "plan/recipe_spec.h"
#include "project/match_project.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kLensNotSaid = "lens not said yet";
constexpr double kMostOver = 12, kMostUnder = 14;  // that a recipe holds
constexpr double kSameStops = 0.01;

double rounded(double stops) {
  return std::round(stops * 1000) / 1000;
}

json& itemNamed(json& list, const ObjectSpec& spec, const std::string& name) {
  for (auto& item : list)
    if (item["name"] == name) return item;
  json item = newItem(spec);
  item["name"] = name;
  list.push_back(item);
  return list.back();
}

const ObjectSpec& listSpec(const ObjectSpec& of, const char* key) {
  return *of.field(key)->item;
}

void addBody(json& recipe, const Configuration& c, const ShotWith& shot) {
  const ObjectSpec& bodySpec = listSpec(recipeSpec(), "bodies");
  json& body = itemNamed(recipe["bodies"], bodySpec, c.body);
  json& circuits = body["circuits"];
  if (std::none_of(circuits.begin(), circuits.end(), [&](const json& x) { return x["native_iso"] == c.iso; }))
    circuits.push_back({{"native_iso", c.iso}});
  json& mode = itemNamed(body["modes"], listSpec(bodySpec, "modes"), c.mode);
  const bool linear = shot.format.layout == Layout::Cfa || shot.format.isFloat();
  mode["kind"] = wordOf(linear ? ModeKind::Raw : ModeKind::Log);
  mode["bits"] = shot.format.bitDepth, mode["width"] = shot.format.width, mode["height"] = shot.format.height;
  if (shot.fps > 0) mode["fps"] = shot.fps;
  if (!linear && !c.decode.curve.empty()) mode["curve"] = c.decode.curve;
}

json testFor(const Configuration& c, TestKind kind) {
  return {{"kind", wordOf(kind)}, {"bodies", {c.body}}, {"modes", {c.mode}}, {"isos", {c.iso}}};
}

// Its steps as they were shot, and those that were missed; where no step size fits, one by one.
std::optional<json> bracketOf(const Configuration& c, const ShotWith& shot) {
  if (!c.clipOfKind(ClipKind::Base)) return std::nullopt;
  json t = testFor(c, TestKind::Bracket);
  std::set<double> steps(shot.missing.begin(), shot.missing.end());
  for (const auto& r : c.clips)
    if (r.kind == ClipKind::Take && r.plannedStops) steps.insert(*r.plannedStops);
  double over = 0, under = 0;
  json extra = json::array();
  for (const double s : steps) {
    if (s > kMostOver || -s > kMostUnder || std::abs(s) < kSameStops) continue;
    const double n = shot.step > 0 ? s / shot.step : 0.5;
    if (std::abs(n - std::round(n)) * shot.step < kSameStops && shot.step > 0)
      over = std::max(over, s), under = std::max(under, -s);
    else
      extra.push_back(rounded(s));
  }
  t["over"] = rounded(over), t["under"] = rounded(under);
  if (shot.step > 0) t["step"] = shot.step;
  if (!extra.empty()) t["extra"] = extra;
  return t;
}

// Ladders, sweeps and pairs: the ISOs their clips were shot at.
void addSeries(json& tests, const Configuration& c, ClipKind of, TestKind kind) {
  std::set<double> isos;
  bool any = false;
  for (const auto& r : c.clips)
    if (r.kind == of) {
      any = true;
      if (r.iso > 0) isos.insert(r.iso);
    }
  if (!any) return;
  json t = testFor(c, kind);
  if (isos.size() > 1) t["isos"] = isos;
  tests.push_back(t);
}

// Takes of one configuration in the order in which clips claim them.
class Slates {
 public:
  Slates(const Recipe& recipe, const Plan& plan, const Configuration& c) {
    std::set<std::string> given;
    for (const auto& r : c.clips) given.insert(r.slate);
    for (const auto& t : plan.takes) {
      if (given.count(t.slate)) continue;
      const TestSeries& s = plan.series[t.series];
      const BodySpec& body = recipe.bodies[s.body];
      const CircuitSpec* circuit = body.circuitFor(t.iso);
      if (body.name == c.body && body.modes[s.mode].name == c.mode &&
          std::abs((circuit ? circuit->nativeIso : s.iso) - c.iso) < 0.5)
        takes_.push_back({&t, kindAndNameOf(plan, t).first});
    }
  }

  std::string claim(const ClipRecord& r) {
    for (auto& [take, kind] : takes_) {
      if (!take || kind != r.kind) continue;
      if (r.kind == ClipKind::Take &&
          (!r.plannedStops || std::abs(take->plannedStops - *r.plannedStops) > kSameStops))
        continue;
      if (r.iso > 0 && kind != ClipKind::Take && kind != ClipKind::Base &&
          std::abs(take->iso / r.iso - 1) > 0.05)
        continue;
      const std::string slate = take->slate;
      take = nullptr;
      return slate;
    }
    return {};
  }

 private:
  std::vector<std::pair<const Take*, ClipKind>> takes_;
};

}  // namespace

json recipeOfShoot(const std::vector<Configuration>& configurations, const std::vector<ShotWith>& shot,
                   const std::string& title) {
  json recipe = emptyRecipe();
  recipe["title"] = title;
  recipe["remark"] = "written from the clips of a finished shoot; lens and lamps are not known from them";
  for (size_t i = 0; i < configurations.size(); ++i) {
    const Configuration& c = configurations[i];
    if (c.iso <= 0) continue;
    addBody(recipe, c, shot[i]);
    json& tests = recipe["tests"];
    if (c.clipOfKind(ClipKind::Wedge) || c.clipOfKind(ClipKind::Black))
      tests.push_back(testFor(c, TestKind::Wedge));
    if (auto bracket = bracketOf(c, shot[i])) tests.push_back(std::move(*bracket));
    addSeries(tests, c, ClipKind::IsoLadder, TestKind::IsoLadder);
    addSeries(tests, c, ClipKind::IsoSweep, TestKind::IsoSweep);
    addSeries(tests, c, ClipKind::PushPair, TestKind::PushPair);
    addSeries(tests, c, ClipKind::RollingShutter, TestKind::RollingShutter);
  }
  if (!recipe["bodies"].empty())
    (void)itemNamed(recipe["lenses"], listSpec(recipeSpec(), "lenses"), kLensNotSaid);
  return recipe;
}

size_t linkToPlan(std::vector<Configuration>& configurations, const Recipe& recipe, const Plan& plan) {
  size_t linked = 0;
  for (auto& c : configurations) {
    Slates slates(recipe, plan, c);
    for (auto& r : c.clips) {
      if (!r.slate.empty()) continue;
      r.slate = slates.claim(r);
      linked += !r.slate.empty();
    }
  }
  return linked;
}

}  // namespace edge
