// Small recipes for the tests, and random ones.
#pragma once
#include <nlohmann/json.hpp>

#include "plan/plan.h"
#include "simulate/random.h"

namespace edge::test {

// One body of one native ISO, log and raw, one T2..T16 lens, one dimmable key, four filters, a bracket.
inline nlohmann::json plainRecipe() {
  return nlohmann::json::parse(R"({
    "format": "edge-test-recipe", "version": 1,
    "base": {"aperture": 4, "shutter": "172.8deg"},
    "bodies": [{"name": "Tarn M1", "circuits": [{"native_iso": 800, "headroom_stops": {"value": 6, "from": "published"}}],
                "modes": [{"name": "log", "kind": "log", "megabits_per_second": 240}]}],
    "lenses": [{"name": "Loft 35", "widest": 2, "closest": 16}],
    "lamps": [{"name": "Key", "lux_at_1m": 40000, "minimum_percent": 1, "distance_m": 2, "nearest_m": 1, "farthest_m": 4}],
    "nd": [{"density": 0.3}, {"density": 0.6}, {"density": 0.9}, {"density": 1.2}],
    "sitters": [{"name": "first head", "skin_stops": 1}],
    "tests": [{"kind": "bracket", "over": 4, "under": 4}]})");
}

inline Plan planOf(const nlohmann::json& j, Recipe& recipe) {
  recipe = recipeFromJson(j, "test.json");
  return makePlan(recipe);
}

inline nlohmann::json randomRecipe(std::uint64_t seed) {
  RandomStream r(seed, 3, 0);
  const auto between = [&](double low, double high) { return low + (high - low) * r.uniform(); };
  const auto pick = [&](std::vector<nlohmann::json> from) {
    return from[static_cast<size_t>(r.uniform() * static_cast<double>(from.size()))];
  };
  nlohmann::json j = plainRecipe();
  j["base"]["shutter"] = pick({"180deg", "172.8deg", "90deg", "1/60"});
  j["base"]["aperture"] = pick({2.8, 4, 5.6});
  j["bodies"] = nlohmann::json::array();
  const int bodies = 1 + static_cast<int>(r.uniform() * 2.99);
  for (int b = 0; b < bodies; ++b) {
    nlohmann::json body = {
        {"name", "body " + std::to_string(b)},
        {"circuits", {{{"native_iso", pick({320, 500, 640, 800})}}}},
        {"modes",
         {{{"name", "log"}, {"fps", pick({24, 25, 48})}}, {{"name", "raw"}, {"kind", "raw"}, {"bits", 12}}}}};
    if (r.uniform() < 0.5) body["circuits"].push_back({{"native_iso", pick({2500, 3200, 5000})}});
    j["bodies"].push_back(body);
  }
  j["lenses"][0] = {{"name", "x"},
                    {"widest", pick({1.3, 1.5, 2, 2.8})},
                    {"closest", pick({11, 16, 22})},
                    {"detents", pick({"none", "third", "half", "full"})},
                    {"marked", pick({"T", "f"})}};
  j["lamps"][0]["lux_at_1m"] = std::round(between(500, 80000));
  j["lamps"][0]["minimum_percent"] = pick({0.1, 1, 5, 20});
  j["lamps"][0]["dimmer"] = pick({"linear", "square", "none"});
  if (r.uniform() < 0.5)
    j["lamps"].push_back({{"name", "Fill"},
                          {"role", "fill"},
                          {"ratio_stops", -2},
                          {"lux_at_1m", 20000},
                          {"distance_m", 3},
                          {"size_m", 0.5}});
  if (r.uniform() < 0.3) j["gels"] = {0.6, 1.2};
  if (r.uniform() < 0.3) j["nd"] = nlohmann::json::array();
  j["tests"] = nlohmann::json::array({{{"kind", "bracket"},
                                       {"over", std::round(between(1, 6))},
                                       {"under", std::round(between(1, 7))},
                                       {"step", pick({1, 0.5, 1.0 / 3})}}});
  if (r.uniform() < 0.5)
    j["tests"].push_back({{"kind", pick({"wedge", "iso-sweep", "twins", "infrared", "push-pair"})}});
  return j;
}

}  // namespace edge::test
