// Light as part of what is planned: its colour, its distance, a control for one step alone; cards in the
// order's cost; sums that have a place in a recipe.
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "exposure/sum_sheets.h"
#include "plan/order.h"
#include "plan/recipes.h"
#include "plan/rig.h"
#include "support/support.h"

namespace edge {
namespace {

using nlohmann::json;
using test::plainRecipe;
using test::planOf;

const Take& takeOf(const Plan& p, double stops) {
  for (const auto& t : p.takes)
    if (t.role == TakeRole::Step && std::abs(t.plannedStops - stops) < 1e-9) return t;
  throw std::runtime_error("no such take");
}

bool warns(const Plan& p, const std::string& code) {
  return std::any_of(p.problems.begin(), p.problems.end(), [&](const Problem& x) { return x.code == code; });
}

json twoColours() {
  json j = plainRecipe();
  j["lamps"][0]["kelvin"] = 5600;
  j["lamps"].push_back({{"name", "Warm key"},
                        {"lux_at_1m", 12000},
                        {"minimum_percent", 1},
                        {"distance_m", 2},
                        {"kelvin", 3200}});
  j["tests"] = {{{"kind", "bracket"}, {"over", 2}, {"under", 2}, {"kelvin", 5600}},
                {{"kind", "bracket"}, {"over", 2}, {"under", 2}, {"kelvin", 3200}}};
  return j;
}

TEST(Light, ItsColourIsPartOfAConfiguration) {
  Recipe r;
  const Plan p = planOf(twoColours(), r);
  ASSERT_EQ(p.coverage.size(), 2U);
  EXPECT_EQ(p.coverage[0].label, "Tarn M1 · log · ISO 800 · 5600 K");
  EXPECT_EQ(p.coverage[1].note(), "log · ISO 800 · 3200 K");
  std::set<std::string> slates;
  for (const auto& t : p.takes) {
    EXPECT_TRUE(slates.insert(t.slate).second) << t.slate;
    ASSERT_EQ(t.settings.lamps.size(), 1U) << t.slate;
    const bool warm = p.series[t.series].light(r) == "3200 K";
    EXPECT_EQ(t.settings.lamps[0].name, warm ? "Warm key" : "Key") << t.slate;
    EXPECT_NE(t.note.find(warm ? "light of 3200 K" : "light of 5600 K"), std::string::npos) << t.note;
    EXPECT_NEAR(t.lightStops, t.plannedStops, 0.011) << t.slate;
    // What a meter reads under this lamp: 40,000 or 12,000 lux at a metre, by inverse square and dimmer.
    const auto& lamp = t.settings.lamps[0];
    EXPECT_NEAR(lightOf(r, t.settings).value(),
                (warm ? 12000 : 40000) / std::pow(lamp.distance.value(), 2) * lamp.percent / 100,
                0.001 * t.settings.light.value());
  }
  EXPECT_GE(p.totals.relights, 1) << "another lamp is another light";
}

TEST(Light, OfAColourThatNoLampHasIsRefused) {
  json j = twoColours();
  j["tests"][1]["kelvin"] = 4300;
  Recipe r;
  EXPECT_TRUE(warns(planOf(j, r), "no-lamp-of-colour"));
  j["tests"][1]["kelvin"] = 3000;  // within a tenth
  EXPECT_FALSE(warns(planOf(j, r), "no-lamp-of-colour"));
}

TEST(Light, FinerTakesStayUnderTheirColour) {
  const json j = withExtraTakes(twoColours(), "Tarn M1", "log", 800, "3200 K", {1.5});
  ASSERT_EQ(j["tests"].size(), 3U);
  EXPECT_EQ(j["tests"][2]["kelvin"], 3200);
  EXPECT_EQ(withExtraTakes(j, "Tarn M1", "log", 800, "3200 K", {2.5})["tests"].size(), 3U);
  EXPECT_EQ(withExtraTakes(j, "Tarn M1", "log", 800, "", {2.5})["tests"].size(), 4U);
}

// Inverse square law: a lamp at 2 m gives a stop less at 2.83 m, a stop more at 1.41 m.
TEST(Light, DistanceIsAControl) {
  json j = plainRecipe();
  j["lamps"][0]["dimmer"] = "none";
  j["tests"] = {{{"kind", "bracket"}, {"over", 1}, {"under", 1}, {"controls", {"distance"}}}};
  Recipe r;
  const Plan p = planOf(j, r);
  const double base = p.series[0].route.bases.front().lamps.at(0).distance.value();
  for (const double stops : {-1.0, 1.0}) {
    const Take& t = takeOf(p, stops);
    ASSERT_EQ(t.changed, std::vector<Control>{Control::Distance});
    EXPECT_NEAR(t.settings.lamps.at(0).distance.value(), base * std::exp2(-stops / 2), 0.005);
    EXPECT_NEAR(t.lightStops, stops, 0.001);
    EXPECT_EQ(t.settings.engraved, p.series[0].route.bases.front().engraved) << "the lens is not touched";
  }
}

TEST(Light, MoreThanDistanceGivesIsRefusedByItsEnd) {
  json j = plainRecipe();
  j["lamps"][0]["dimmer"] = "none";
  j["tests"] = {{{"kind", "bracket"}, {"over", 1}, {"under", 6}, {"controls", {"distance"}}}};
  Recipe r;
  const Plan p = planOf(j, r);
  bool seen = false;
  for (const auto& s : p.series[0].route.steps)
    if (s.planned == -6) {
      seen = true;
      EXPECT_FALSE(s.possible);
      EXPECT_EQ(s.limit, "lamps at their farthest");
    }
  EXPECT_TRUE(seen);
}

TEST(Light, LampsOfTwoSizesKeepTheirRatioWhereTheyAreMoved) {
  json j = plainRecipe();
  j["lamps"].push_back({{"name", "Fill"},
                        {"role", "fill"},
                        {"ratio_stops", -2},
                        {"lux_at_1m", 30000},
                        {"minimum_percent", 1},
                        {"distance_m", 2},
                        {"nearest_m", 1},
                        {"farthest_m", 4},
                        {"size_m", 1}});
  j["tests"] = {{{"kind", "bracket"}, {"over", 1}, {"under", 1}, {"controls", {"distance"}}}};
  Recipe r;
  const Plan p = planOf(j, r);
  for (const double stops : {-1.0, 1.0}) {
    const auto& lamps = takeOf(p, stops).settings.lamps;
    EXPECT_NEAR(std::log2(lamps.at(1).lux.value() / lamps.at(0).lux.value()), -2, 0.01) << stops;
    EXPECT_NEAR(takeOf(p, stops).lightStops, stops, 0.011);
  }
}

TEST(Light, OneStepMayHaveAControlOfItsOwn) {
  json j = plainRecipe();
  j["tests"][0]["controls"] = {"light", "nd"};
  j["tests"][0]["by"] = {{{"stops", -3}, {"control", "nd"}}};
  Recipe r;
  const Plan p = planOf(j, r);
  EXPECT_EQ(takeOf(p, -3).changed, std::vector<Control>{Control::Nd});
  EXPECT_EQ(takeOf(p, -2).changed, std::vector<Control>{Control::Light});
  j["tests"][0]["by"][0]["control"] = "iris";
  try {
    (void)recipeFromJson(j, "test.json");
    ADD_FAILURE() << "a control that the test does not have";
  } catch (const Error& e) {
    EXPECT_EQ(e.place(), "tests[0].by[0].control");
  }
}

TEST(Order, CardsThatFillUpCostTheirTime) {
  json j = plainRecipe();
  j["times"]["card"] = 100;
  Recipe r;
  const Plan without = planOf(j, r);
  const double bytes = without.totals.bytes, plain = orderSeconds(r, without, without.takes);
  // Room for a third of the day: two changes.
  j["media"] = {{{"name", "card"}, {"gigabytes", bytes / 1e9 / 2.6}, {"reserve_percent", 0}}};
  const Plan with = planOf(j, r);
  EXPECT_EQ(with.totals.cardChanges, 2);
  EXPECT_NEAR(orderSeconds(r, with, with.takes) - plain, 200, 1e-6);
}

// Every figure that has a place in a recipe goes there, and the recipe is read as before.
TEST(SumsIntoThePlan, EachHasItsPlace) {
  const json j = plainRecipe();
  const auto recipe = [&](RecipeFigure figure, double value) {
    return recipeFromJson(withFigure(j, figure, value), "test.json");
  };
  EXPECT_NEAR(recipe(RecipeFigure::KeyDistance, 3).lamps[0].distance, 3, 1e-9);
  EXPECT_NEAR(recipe(RecipeFigure::KeyColour, 3200).lamps[0].kelvin, 3200, 1e-9);
  EXPECT_NEAR(recipe(RecipeFigure::BaseOffset, -0.5).baseOffset, -0.5, 1e-9);
  EXPECT_EQ(recipe(RecipeFigure::BaseShutter, 172.8).baseShutter, "172.8deg");
  json dark = j;
  dark["lamps"] = json::array();
  EXPECT_THROW((void)withFigure(dark, RecipeFigure::KeyDistance, 3), Error);
  std::set<std::string> places;
  for (const auto& sheet : sumSheets()) {
    std::map<std::string, std::string> values;
    for (const auto& f : sheet.fields) values[f.key] = f.initial;
    for (const auto& f : sheet.run(values).forPlan) {
      places.insert(sheet.id);
      EXPECT_NO_THROW((void)recipeFromJson(withFigure(j, f.figure, f.value), "test.json")) << f.words;
    }
  }
  EXPECT_GE(places.size(), 8U);
}

}  // namespace
}  // namespace edge
