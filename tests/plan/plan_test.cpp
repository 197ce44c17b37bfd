// The plan around the routes: order, time, media, forecast, coverage, guards, recipe files.
#include <gtest/gtest.h>

#include <algorithm>
#include <chrono>
#include <cmath>

#include "base/error.h"
#include "plan/order.h"
#include "plan/recipe_spec.h"
#include "plan/recipes.h"
#include "plan/run_list.h"
#include "plan/usual.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace edge {
namespace {

using nlohmann::json;
using test::plainRecipe;
using test::planOf;

const Problem* find(const Plan& p, const std::string& code) {
  for (const auto& x : p.problems)
    if (x.code == code) return &x;
  return nullptr;
}

// --- forecast

// Within a circuit H(ISO) = H(native) + log2(ISO/native) (docs/method.md, "Stops").
TEST(Forecast, HeadroomMovesWithIsoWithinACircuit) {
  Recipe r;
  (void)planOf(plainRecipe(), r);
  const BodySpec& b = r.bodies[0];
  EXPECT_NEAR(headroomAt(b, b.modes[0], 1600, {})->stops, 7, 1e-9);
  EXPECT_NEAR(headroomAt(b, b.modes[0], 400, {})->stops, 5, 1e-9);
  EXPECT_EQ(headroomAt(b, b.modes[0], 800, {})->from, "published");
  Knowledge known;
  known.by[configurationKey("Tarn M1", "log", 800)].headroomStops = 5.4;
  EXPECT_NEAR(headroomAt(b, b.modes[0], 1600, known)->stops, 6.4, 1e-9) << "what was measured is believed";
  EXPECT_EQ(headroomAt(b, b.modes[0], 1600, known)->from, "measured");
}

TEST(Forecast, TonesClipWhereHeadroomEnds) {
  Recipe r;
  (void)planOf(plainRecipe(), r);
  const auto at = forecastAt(r, 6, 4);
  ASSERT_EQ(at.size(), 3U);
  EXPECT_NEAR(at[0].margin, 2, 1e-9);            // grey card
  EXPECT_NEAR(at[1].margin, 1, 1e-9);            // forehead one stop over grey
  EXPECT_NEAR(at[2].margin, 6 - 2.3 - 4, 1e-9);  // white cloth: clips
}

TEST(Forecast, FinerTakesAreProposedAroundTheEdgesOnly) {
  Knowledge::Of e;
  e.overGood = 3.0, e.overBad = 4.0;
  EXPECT_EQ(finerSteps(e, {0, 1, 2, 3, 4}).size(), 3U) << "a third, a half, two thirds";
  for (double s : finerSteps(e, {0, 1, 2, 3, 4})) EXPECT_TRUE(s > 3 && s < 4) << s;
  e.overBad.reset();
  EXPECT_TRUE(finerSteps(e, {0, 1}).empty())
      << "an edge that was not reached asks for wider, not finer takes";
}

// --- order

double shortestByTrial(const Recipe& r, const Plan& p) {
  std::vector<size_t> index(p.takes.size());
  for (size_t i = 0; i < index.size(); ++i) index[i] = i;
  double best = 1e300;
  do {
    std::vector<Take> order;
    for (size_t i : index) order.push_back(p.takes[i]);
    if (orderHolds(p, order)) best = std::min(best, orderSeconds(r, p, order));
  } while (std::next_permutation(index.begin(), index.end()));
  return best;
}

TEST(Order, SmallPlansAreShortestOfAllOrders) {
  json j = plainRecipe();
  j["bodies"][0]["modes"].push_back({{"name", "raw"}, {"kind", "raw"}, {"bits", 12}});
  j["tests"] = {{{"kind", "bracket"}, {"over", 1}, {"under", 0}}, {{"kind", "wedge"}}};
  j["tests"][1]["modes"] = {"log"};
  Recipe r;
  const Plan p = planOf(j, r);
  ASSERT_EQ(p.takes.size(), 8U);
  EXPECT_TRUE(orderHolds(p, p.takes));
  EXPECT_NEAR(orderSeconds(r, p, p.takes), shortestByTrial(r, p), 1e-9);
}

TEST(Order, NeverCostsMoreThanAsListedAndKeepsTheBaseRule) {
  for (std::uint64_t seed = 1; seed <= 40; ++seed) {
    Recipe r;
    const Plan p = planOf(test::randomRecipe(seed), r);
    const auto naive = takesOf(r, p.series, {});
    EXPECT_EQ(naive.size(), p.takes.size());
    EXPECT_TRUE(orderHolds(p, naive)) << seed;
    EXPECT_TRUE(orderHolds(p, p.takes)) << seed;
    EXPECT_LE(orderSeconds(r, p, p.takes), orderSeconds(r, p, naive) + 1e-9) << seed;
  }
}

json largeRecipe(int bodies, double step) {
  json j = plainRecipe();
  j["bodies"] = json::array();
  for (int b = 0; b < bodies; ++b)
    j["bodies"].push_back({{"name", "body " + std::to_string(b)},
                           {"circuits", {{{"native_iso", 500}}, {{"native_iso", 2500}}}},
                           {"modes", {{{"name", "log"}}, {{"name", "raw"}, {"kind", "raw"}}}}});
  j["tests"] = {{{"kind", "bracket"}, {"over", 5}, {"under", 6}, {"step", step}}};
  return j;
}

TEST(Order, FiveThousandTakesInUnderTwoSeconds) {
  const Recipe r = recipeFromJson(largeRecipe(36, 1.0 / 3), "large.json");
  Plan p;
  p.series = seriesOfTest(r, 0, {});
  p.takes = takesOf(r, p.series, {});
  ASSERT_GE(p.takes.size(), 5000U);
  const auto start = std::chrono::steady_clock::now();
  orderTakes(r, p, Progress());
  const double seconds = std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
  EXPECT_LT(seconds, 2);
  EXPECT_TRUE(orderHolds(p, p.takes));
  RecordProperty("order_ms", static_cast<int>(seconds * 1000));
}

TEST(Order, FiftyThousandTakesAreRefusedPolitely) {
  try {
    (void)makePlan(recipeFromJson(largeRecipe(60, 0.05), "huge.json"));
    FAIL();
  } catch (const Error& e) {
    EXPECT_NE(e.problem().find("takes"), std::string::npos);
    EXPECT_FALSE(e.remedy().empty());
  }
}

TEST(Order, SameRecipeSamePlan) {
  Recipe a, b;
  const json j = test::randomRecipe(7);
  EXPECT_EQ(planJson(a, planOf(j, a)).dump(), planJson(b, planOf(j, b)).dump());
}

// --- time, media, budget

TEST(Totals, AddUpToClockAndCards) {
  json j = plainRecipe();
  j["media"] = {{{"name", "Card"}, {"gigabytes", 2}, {"reserve_percent", 10}}};
  Recipe r;
  const Plan p = planOf(j, r);
  // 240 Mb/s for 10 s is 0.3 GB: six takes on 1.8 GB, eleven takes on two cards.
  EXPECT_NEAR(p.takes[0].bytes, 240e6 / 8 * 10, 1);
  EXPECT_EQ(p.totals.cardChanges, 1);
  EXPECT_EQ(p.totals.cards[0].cards, 2);
  EXPECT_NEAR(p.totals.seconds, orderSeconds(r, p, p.takes), 1e-6) << "cards are part of both";
  EXPECT_TRUE(find(p, "cards-full"));
  // What is kept free holds no take: 1.9 GB are filled by seven takes with nothing kept free, by six with a
  // tenth.
  const auto onFirst = [&](double reserve) {
    j["media"][0]["gigabytes"] = 2.15;
    j["media"][0]["reserve_percent"] = reserve;
    Recipe own;
    const Plan plan = planOf(j, own);
    Cards cards(own);
    int takes = 0;
    for (const auto& t : plan.takes) {
      if (cards.take(plan, t)) break;
      ++takes;
    }
    return takes;
  };
  EXPECT_EQ(onFirst(0), 7);
  EXPECT_EQ(onFirst(10), 6);
}

TEST(Budget, ShortensAndSaysWhatItCosts) {
  json j = plainRecipe();
  j["tests"][0]["step"] = 0.5;
  Recipe r;
  const Plan whole = planOf(j, r);
  j["budget_minutes"] = std::floor(whole.totals.seconds / 60 * 0.6);
  const Plan shorter = planOf(j, r);
  EXPECT_LE(shorter.totals.seconds, *r.budgetMinutes * 60);
  EXPECT_LT(shorter.takes.size(), whole.takes.size());
  ASSERT_GE(shorter.shortened.size(), 2U);
  // An edge between takes a step apart: sd = step / sqrt(12), a uniform distribution.
  EXPECT_NE(shorter.shortened[1].find("0.29"), std::string::npos) << shorter.shortened[1];
  for (const auto& row : shorter.coverage)
    for (const auto& cell : row.cells)
      EXPECT_TRUE(cell.state == CellState::Planned || !cell.reason.empty())
          << "every empty cell has a reason";
}

// --- coverage, guards, protocol

TEST(Coverage, EveryEmptyCellHasAReason) {
  json j = plainRecipe();
  j["exceptions"] = {{{"configuration", "Tarn M1 · log · ISO 800"}, {"stops", 2}, {"reason", "seen before"}}};
  j["bodies"].push_back({{"name", "Other"},
                         {"circuits", {{{"native_iso", 800}}}},
                         {"modes", {{{"name", "raw"}, {"kind", "raw"}}}}});
  j["tests"].push_back({{"kind", "bracket"}, {"bodies", {"Other"}}, {"over", 6}, {"under", 0}});
  j["tests"][0]["bodies"] = {"Tarn M1"};
  Recipe r;
  const Plan p = planOf(j, r);
  ASSERT_EQ(p.coverage.size(), 2U);
  int skipped = 0, notAsked = 0;
  for (const auto& row : p.coverage)
    for (const auto& cell : row.cells) {
      if (cell.state == CellState::Planned) {
        EXPECT_GE(cell.take, 0);
      } else {
        EXPECT_FALSE(cell.reason.empty());
        EXPECT_EQ(cell.take, -1);
      }
      skipped += cell.state == CellState::Skipped && cell.reason == "seen before";
      notAsked += cell.state == CellState::NotAsked;
    }
  EXPECT_EQ(skipped, 1);
  EXPECT_GT(notAsked, 0);
}

TEST(Guards, FlickerIsWarnedAndMendedInOneClick) {
  json j = plainRecipe();
  j["base"]["shutter"] = "180deg";
  j["lamps"][0]["mains"] = true;
  Recipe r;
  Plan p = planOf(j, r);
  const Problem* x = find(p, "flicker");
  ASSERT_TRUE(x);
  ASSERT_FALSE(x->remedies.empty());
  j = j.patch(x->remedies[0].patch);
  EXPECT_EQ(j["base"]["shutter"], "172.8deg");  // 24 fps under 50 Hz mains: common practice
  p = planOf(j, r);
  EXPECT_FALSE(find(p, "flicker"));
  j["mains_hz"] = 60;
  p = planOf(j, r);
  EXPECT_TRUE(find(p, "flicker")) << "not safe where the mains have 60 Hz";
}

TEST(Guards, WhatWantsCareIsSaid) {
  json j = plainRecipe();
  j["lenses"][0]["marked"] = "f";
  j["lamps"][0]["kelvin"] = 2000;
  j["lamps"][0]["hot"] = true;
  j["base"]["school"] = "metered over", j["base"]["offset_stops"] = 1;
  j["bodies"][0]["circuits"][0].erase("headroom_stops");
  j["tests"].push_back({{"kind", "rolling-shutter"}});
  Recipe r;
  const Plan p = planOf(j, r);
  for (const char* code : {"f-stops", "blue-starved", "base-school", "headroom-unknown", "safety"})
    EXPECT_TRUE(find(p, code)) << code;
  bool seizures = false, hot = false;
  for (const auto& x : p.problems) {
    seizures = seizures || x.words.find("seizures") != std::string::npos;
    hot = hot || x.words.find("Hot lamps") != std::string::npos;
    EXPECT_TRUE(x.code != "safety" || x.words.find("Local codes and licensed practice") != std::string::npos);
  }
  EXPECT_TRUE(seizures && hot);
  EXPECT_NEAR(aboveMeter(p.takes[0].settings).value(), p.takes[0].plannedStops + 1, 0.2)
      << "metered one over";
}

TEST(Guards, AnEmptyRecipeSaysWhatItNeeds) {
  Recipe r;
  Plan p = planOf(emptyRecipe(), r);
  EXPECT_TRUE(find(p, "nothing-to-test"));
  p = planOf(withUsualDay(emptyRecipe()), r);
  for (const auto& x : p.problems) EXPECT_NE(x.severity, Severity::Stop) << x.words;
  EXPECT_GT(p.takes.size(), 20U);
}

TEST(Protocol, KeysSayWhatMayBeCompared) {
  Recipe a, b;
  json j = plainRecipe();
  const Protocol first = planOf(j, a).protocol;
  j["tests"][0]["step"] = 0.5;
  EXPECT_EQ(planOf(j, b).protocol.key, first.key) << "finer steps measure the same thing";
  j["tests"][0]["controls"] = {"iris"};
  const Protocol other = planOf(j, b).protocol;
  EXPECT_NE(other.key, first.key);
  ASSERT_EQ(protocolDifferences(first, other).size(), 1U);
  EXPECT_NE(protocolDifferences(first, other)[0].find("iris"), std::string::npos);
}

// --- the demo's own plan

TEST(DemoPlan, ProvesEveryTake) {
  const json j = json::parse(demoRecipeText());
  const Recipe r = recipeFromJson(j, "recipe.json");
  const Plan p = makePlan(r);
  EXPECT_FALSE(find(p, "impossible-step"));
  double worst = 0;
  for (const auto& t : p.takes) worst = std::max(worst, std::abs(t.errorStops));
  EXPECT_LE(worst, 0.01);
  std::set<std::string> kinds;
  for (const auto& s : p.series) kinds.insert(wordOf(s.kind));
  EXPECT_EQ(kinds, (std::set<std::string>{"wedge", "bracket", "iso-ladder", "iso-sweep", "push-pair",
                                          "rolling-shutter", "infrared", "photon-transfer"}));
  std::set<std::string> slates;
  for (const auto& t : p.takes)
    EXPECT_TRUE(slates.insert(t.slate).second) << t.slate << " stands on two slates";
  // At constant exposure of the sensor (light down, ISO up) no tone comes nearer to the clip than in the
  // base: within one circuit gain moves the clip and the picture alike.
  const json plan = planJson(r, p);
  for (const auto& t : plan["takes"])
    if (t["test"] == "iso-ladder" && t["body"] == "Pellam S6") {
      EXPECT_NEAR(t["forecast"]["tones"][0]["margin_stops"].get<double>(),
                  5.5 - t["light_stops"].get<double>(), 0.01)
          << t["slate"];
    }
  const std::string csv = runListCsv(r, p);
  EXPECT_EQ(static_cast<size_t>(std::count(csv.begin(), csv.end(), '\n')), p.takes.size() + 1);
}

}  // namespace
}  // namespace edge
