// Exposure routes: every step proves itself, controls give way to each other, what can't be had says why.
#include <gtest/gtest.h>

#include <cmath>
#include <map>

#include "exposure/meter.h"
#include "plan/order.h"
#include "plan/recipes.h"
#include "plan/rig.h"

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

const Take* take(const Plan& p, const std::string& name) {
  for (const auto& t : p.takes)
    if (t.name == name) return &t;
  return nullptr;
}

bool uses(const Take& t, Control c) {
  return std::find(t.changed.begin(), t.changed.end(), c) != t.changed.end();
}

TEST(Route, ABaseMeetsTheMeterEquation) {
  Recipe r;
  const Plan p = planOf(plainRecipe(), r);
  const Take* base = take(p, "base");
  ASSERT_TRUE(base);
  // ISO 2720, flat receptor: E = 250 N^2 / (t S).
  const double e = 250 * std::pow(base->settings.aperture.value(), 2) /
                   (base->settings.shutter.value() * 800) * std::pow(10, base->settings.nd.value());
  EXPECT_NEAR(std::log2(base->settings.light.value() / e), 0, 0.005);
  EXPECT_NEAR(aboveMeter(base->settings).value(), 0, 0.005);
}

TEST(Route, LightComesFirstAndEveryStepIsExact) {
  Recipe r;
  const Plan p = planOf(plainRecipe(), r);
  EXPECT_EQ(p.takes.size(), 8U + 3U) << "eight steps and three bases";
  for (const auto& t : p.takes) {
    EXPECT_NEAR(t.lightStops, t.plannedStops, 0.01) << t.name;
    EXPECT_EQ(t.gainStops, 0) << t.name;
  }
  EXPECT_TRUE(uses(*take(p, "p1"), Control::Light));
  EXPECT_FALSE(uses(*take(p, "p1"), Control::Iris));
}

// One control runs out, the next takes over, in the order that the test asks for.
TEST(Route, WhereTheLampEndsNdTakesOver) {
  json j = plainRecipe();
  j["lamps"][0]["minimum_percent"] = 25;  // two stops
  j["lamps"][0]["nearest_m"] = j["lamps"][0]["farthest_m"] = 2;
  Recipe r;
  const Plan p = planOf(j, r);
  bool nd = false;
  for (const auto& t : p.takes) {
    nd = nd || uses(t, Control::Nd);
    EXPECT_FALSE(uses(t, Control::Shutter)) << t.name << ": nearer controls were free";
    EXPECT_NEAR(t.lightStops, t.plannedStops, 0.01) << t.name;
  }
  EXPECT_TRUE(nd);
}

TEST(Route, ALampThatCantBeDimmedLeavesTheStepsToOthers) {
  json j = plainRecipe();
  j["lamps"][0]["dimmer"] = "none";
  Recipe r;
  const Plan p = planOf(j, r);
  EXPECT_EQ(p.takes.size(), 11U);
  for (const auto& t : p.takes) EXPECT_FALSE(uses(t, Control::Light)) << t.name;
  // Its distance is what sets the base.
  EXPECT_NEAR(aboveMeter(take(p, "base")->settings).value(), 0, 0.01);
}

// A lens marked T1.5 and T2: 0.83 stop between them (docs/method.md, "Stops").
TEST(Route, TheWidestStopIsTakenAsMarked) {
  json j = plainRecipe();
  j["lenses"][0]["widest"] = 1.5;
  j["tests"] = {{{"kind", "bracket"},
                 {"over", 0},
                 {"under", 0},
                 {"extra", {2 * std::log2(4 / 1.5)}},
                 {"controls", {"iris"}}}};
  Recipe r;
  const Plan p = planOf(j, r);
  const auto positions = lensPositions(r.lenses[0]);
  EXPECT_EQ(positions[0].engraved, "T1.5");
  EXPECT_NEAR(2 * std::log2(2 / positions[0].exact), 0.830, 0.001);
}

TEST(Route, DetentsStateTheirError) {
  json j = plainRecipe();
  j["lenses"][0]["detents"] = "full";
  j["tests"] = {{{"kind", "bracket"}, {"over", 0}, {"under", 0}, {"extra", {-0.9}}, {"controls", {"iris"}}}};
  Recipe r;
  const Plan p = planOf(j, r);
  const Take* t = take(p, "m0.9");
  ASSERT_TRUE(t);
  EXPECT_NEAR(t->errorStops, -0.1, 1e-6);
  EXPECT_NE(t->note.find("off by -0.10"), std::string::npos) << t->note;
}

TEST(Route, SeparateSetupsHaveEqualBases) {
  json j = plainRecipe();
  j["nd"] = json::array();
  j["lamps"][0]["minimum_percent"] = 10;
  j["tests"][0]["over"] = 5, j["tests"][0]["under"] = 5;
  j["tests"][0]["controls"] = {"light"};
  j["lamps"][0]["nearest_m"] = 0.5, j["lamps"][0]["farthest_m"] = 12, j["lamps"][0]["lux_at_1m"] = 30000;
  j["gels"] = {0.6, 1.2, 1.8};
  Recipe r;
  const Plan p = planOf(j, r);
  ASSERT_EQ(p.series[0].route.bases.size(), 2U) << "3.3 stops of dimmer can't hold ten";
  EXPECT_LT(std::abs(p.series[0].route.baseDifference), 0.01);
  EXPECT_NEAR(lightBetween(p.series[0].route.bases[0], p.series[0].route.bases[1]).value(), 0, 0.01);
  EXPECT_TRUE(find(p, "two-setups"));
  const auto basesOf = [](const Plan& plan) {
    std::map<std::pair<int, int>, int> bases;
    for (const auto& t : plan.takes)
      if (t.role == TakeRole::Base) ++bases[{t.setup, t.baseIndex}];
    return bases.size();
  };
  EXPECT_EQ(basesOf(p), 4U) << "each set-up begins and ends with its base";
  // Five steps on either side: each has it in its middle, too.
  j["lamps"][0]["minimum_percent"] = 3;
  const Plan longer = planOf(j, r);
  ASSERT_EQ(longer.series[0].route.bases.size(), 2U);
  EXPECT_EQ(basesOf(longer), 6U);
  EXPECT_TRUE(orderHolds(longer, longer.takes));
}

// The lens can't hold +4: says which constraint, by how much, and the cheapest change that makes it possible.
TEST(Route, WhatCantBeHadSaysByHowMuchAndWhatWouldHelp) {
  json j = plainRecipe();
  j["tests"][0]["controls"] = {"iris"};
  j["tests"][0]["under"] = 0;
  j["lenses"][0]["widest"] = 4, j["lenses"][0]["closest"] = 8;  // two stops
  Recipe r;
  const Plan p = planOf(j, r);
  const Problem* x = find(p, "impossible-step");
  ASSERT_TRUE(x);
  EXPECT_EQ(x->severity, Severity::Stop);
  EXPECT_NE(x->words.find("T4 wide open"), std::string::npos) << x->words;
  // Closed down to T8 for the base, the lens opens by two stops: two are short.
  EXPECT_NEAR(x->shortBy, 2, 1e-6);
  bool enough = false;
  for (const auto& remedy : x->remedies) {
    if (!remedy.enough.value_or(false)) continue;
    enough = true;
    Recipe changed;
    const Plan after = planOf(j.patch(remedy.patch), changed);
    EXPECT_FALSE(find(after, "impossible-step")) << remedy.words << " was said to be enough";
  }
  EXPECT_TRUE(enough);
}

TEST(Route, AnImpossibleBaseNamesTheLightThatLacks) {
  json j = plainRecipe();
  j["lamps"][0]["lux_at_1m"] = 10;
  Recipe r;
  const Plan p = planOf(j, r);
  EXPECT_TRUE(p.takes.empty());
  const Problem* x = find(p, "impossible-step");
  ASSERT_TRUE(x);
  // Wide open at ISO 800 and 1/50 s: 250 * 4 * 50 / 800 = 62.5 lux are needed; 10 are there at one metre.
  EXPECT_NEAR(x->shortBy, std::log2(62.5 / 10), 0.02);
}

TEST(Route, IsoIsRefusedAsAStepUnlessForced) {
  json j = plainRecipe();
  j["tests"][0]["controls"] = {"iso"};
  Recipe r;
  Plan p = planOf(j, r);
  ASSERT_TRUE(find(p, "gain-not-exposure"));
  for (const auto& t : p.takes) EXPECT_EQ(t.gainStops, 0) << t.name;
  j = j.patch(find(p, "gain-not-exposure")->remedies.back().patch);  // use it all the same
  p = planOf(j, r);
  EXPECT_TRUE(find(p, "gain-forced"));
  const Take* t = take(p, "p2");
  ASSERT_TRUE(t);
  EXPECT_NEAR(t->gainStops, 2, 1e-9);
  EXPECT_EQ(t->lightStops, 0) << "gain exposes nothing";
}

TEST(Route, FixedLampsCreepUpByWhatTheRestIsDimmed) {
  json j = plainRecipe();
  j["lamps"].push_back(
      {{"name", "Bulb"}, {"role", "practical"}, {"lux_at_1m", 100}, {"dimmer", "none"}, {"distance_m", 3}});
  Recipe r;
  const Plan p = planOf(j, r);
  for (const auto& t : p.takes) {
    const auto rise = fixedLampRise(r, p.series[t.series], t);
    ASSERT_EQ(rise.size(), 1U);
    const double light =
        std::log2(t.settings.light.value() / p.series[t.series].route.bases[0].light.value());
    EXPECT_NEAR(rise[0].stops, -light, 1e-9) << t.name;
  }
  EXPECT_TRUE(find(p, "fixed-lamp"));
}

TEST(Route, TheWedgesFirstStepStandsOverTheClip) {
  json j = plainRecipe();
  j["charts"] = {{{"name", "w"}, {"kind", "wedge"}, {"first_step_cd_m2", 3000}}};
  j["tests"] = {{{"kind", "wedge"}, {"first_step_over_clip", 0.5}}};
  Recipe r;
  const Plan p = planOf(j, r);
  ASSERT_EQ(p.takes.size(), 2U);
  const Take* t = take(p, "wedge");
  // ISO 2720 reflected, K = 12.5: what a spot meter on the first step says against the settings.
  const double stops =
      std::log2(3000 / reflectedLuminance(t->settings.aperture, t->settings.shutter, t->settings.iso)) -
      t->settings.nd.value() / kDensityPerStop;
  EXPECT_NEAR(stops, 6 + 0.5, 1.0 / 6 + 1e-9) << "to the nearest engraved stop";
}

TEST(Route, AnIsoLadderKeepsTheExposureByItsOwnMeasure) {
  json j = plainRecipe();
  j["bodies"][0]["isos"] = {400, 800, 1600, 3200};
  j["tests"] = {{{"kind", "iso-ladder"}}};
  Recipe r;
  const Plan p = planOf(j, r);
  EXPECT_EQ(p.takes.size(), 3U + 3U);
  for (const auto& t : p.takes) EXPECT_NEAR(t.lightStops + t.gainStops, 0, 0.01) << t.name;
}

TEST(Route, ASweepChangesNothingButIso) {
  json j = plainRecipe();
  j["bodies"][0]["isos"] = {400, 800, 1600, 3200};
  j["bodies"][0]["circuits"].push_back({{"native_iso", 3200}});
  j["tests"] = {{{"kind", "iso-sweep"}, {"under", 5}}};
  Recipe r;
  const Plan p = planOf(j, r);
  for (const auto& t : p.takes) {
    EXPECT_EQ(t.lightStops, 0) << t.name;
    EXPECT_EQ(t.settings.light.value(), p.takes[0].settings.light.value());
  }
  EXPECT_NEAR(aboveMeter(take(p, "base")->settings).value(), -5, 0.01) << "dim on purpose";
  EXPECT_TRUE(find(p, "crosses-circuit"));
}

TEST(Route, InfraredKeepsTheExposureWhileNdGoesUp) {
  json j = plainRecipe();
  j["tests"] = {{{"kind", "infrared"}}};
  j["lamps"][0]["minimum_percent"] = 0.5;
  Recipe r;
  const Plan p = planOf(j, r);
  std::set<double> densities;
  for (const auto& t : p.takes) {
    densities.insert(t.settings.nd.value());
    EXPECT_NEAR(t.lightStops, 0, 0.01) << t.name;
  }
  EXPECT_EQ(densities.size(), 5U);
}

// Properties over random recipes: exposure, limits, order, determinism.
TEST(Route, RandomRecipesKeepEveryPromise) {
  size_t takes = 0, complete = 0;
  constexpr int kRecipes = 60;
  for (std::uint64_t seed = 1; seed <= kRecipes; ++seed) {
    Recipe r;
    const json j = test::randomRecipe(seed);
    const Plan p = planOf(j, r);
    complete += !find(p, "impossible-step");
    const LensSpec& lens = r.lenses[0];
    for (const auto& t : p.takes) {
      ++takes;
      const std::string at = "recipe " + std::to_string(seed) + " take " + t.slate;
      EXPECT_LE(std::abs(t.errorStops), t.note.empty() ? 0.01 : 1.0 / 6 + 0.01) << at << t.note;
      EXPECT_EQ(t.role == TakeRole::Step && p.series[t.series].kind == TestKind::Bracket ? t.gainStops : 0, 0)
          << at;
      EXPECT_GE(t.settings.aperture.value(), readTStop(lens.widest).exact.value() * 0.999) << at;
      EXPECT_LE(t.settings.aperture.value(), readTStop(lens.closest).exact.value() * 1.2) << at;
      EXPECT_LE(t.settings.filters.size(), 2U) << at;
      for (size_t l = 0; l < t.settings.lamps.size(); ++l) {
        const LampSetting& s = t.settings.lamps[l];
        EXPECT_LE(s.percent, 100) << at;
        EXPECT_GE(s.percent, r.lamps[l].minimumPercent * 0.999) << at << s.name;
        if (r.lamps[l].dimmable || l == 0) {
          EXPECT_GE(s.distance.value(), r.lamps[l].nearest * 0.999) << at;
          EXPECT_LE(s.distance.value(), r.lamps[l].farthest * 1.001) << at;
        }
      }
      EXPECT_NEAR(lightOf(r, t.settings).value(), t.settings.light.value(), 1e-6 * t.settings.light.value())
          << at;
    }
  }
  EXPECT_GT(takes, 1000U);
  EXPECT_GT(complete, 10U);
  EXPECT_LT(complete, static_cast<size_t>(kRecipes)) << "some of them should be impossible";
}

}  // namespace
}  // namespace edge
