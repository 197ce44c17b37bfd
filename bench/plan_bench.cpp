// The planner at 100, 1,000 and 5,000 takes: routes, order, and the whole plan with guards and remedies.
#include <benchmark/benchmark.h>

#include "plan/order.h"
#include "plan/plan.h"

namespace {

using namespace edge;
using nlohmann::json;

// Bodies of two circuits and two modes, a bracket in thirds: about 144 takes a body.
Recipe recipeOf(int bodies, double step) {
  json j = json::parse(R"({
    "format": "edge-test-recipe", "version": 1, "base": {"aperture": 4, "shutter": "172.8deg"},
    "lenses": [{"name": "Rope prime 50", "widest": 1.5, "closest": 16}],
    "lamps": [{"name": "Key panel", "lux_at_1m": 26000, "minimum_percent": 1, "distance_m": 2, "nearest_m": 1.2,
               "farthest_m": 5},
              {"name": "Rope-loft bulb", "role": "practical", "lux_at_1m": 90, "dimmer": "none", "distance_m": 4}],
    "nd": [{"density": 0.3}, {"density": 0.6}, {"density": 0.9}, {"density": 1.2}]})");
  for (int b = 0; b < bodies; ++b)
    j["bodies"].push_back({{"name", "body " + std::to_string(b)},
                           {"circuits", {{{"native_iso", 500}}, {{"native_iso", 2500}}}},
                           {"modes", {{{"name", "log"}}, {{"name", "raw"}, {"kind", "raw"}}}}});
  j["tests"] = {{{"kind", "bracket"}, {"over", 5}, {"under", 6}, {"step", step}}};
  return recipeFromJson(j, "bench.json");
}

Recipe recipeForTakes(int takes) {
  return takes <= 100 ? recipeOf(2, 1) : takes <= 1000 ? recipeOf(7, 1.0 / 3) : recipeOf(34, 1.0 / 3);
}

void solve(benchmark::State& state) {
  const Recipe r = recipeForTakes(static_cast<int>(state.range(0)));
  size_t takes = 0;
  for (auto _ : state) takes = takesOf(r, seriesOfTest(r, 0, {}), {}).size();
  state.counters["takes"] = static_cast<double>(takes);
}

void order(benchmark::State& state) {
  const Recipe r = recipeForTakes(static_cast<int>(state.range(0)));
  Plan p;
  p.series = seriesOfTest(r, 0, {});
  const auto takes = takesOf(r, p.series, {});
  for (auto _ : state) {
    p.takes = takes;
    orderTakes(r, p, Progress());
  }
  state.counters["takes"] = static_cast<double>(takes.size());
}

void wholePlan(benchmark::State& state) {
  const Recipe r = recipeForTakes(static_cast<int>(state.range(0)));
  size_t takes = 0;
  for (auto _ : state) takes = makePlan(r).takes.size();
  state.counters["takes"] = static_cast<double>(takes);
}

void sizes(benchmark::internal::Benchmark* b) {
  for (int n : {100, 1000, 5000}) b->Arg(n);
  b->Unit(benchmark::kMillisecond)->UseRealTime();
}
BENCHMARK(solve)->Apply(sizes);
BENCHMARK(order)->Apply(sizes);
BENCHMARK(wholePlan)->Apply(sizes);

}  // namespace
