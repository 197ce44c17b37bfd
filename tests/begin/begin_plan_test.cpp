// What is begun from clips is planned as it was shot, and a later day joins it. Cameras of closed form, real
// encoders.
#include <gtest/gtest.h>

#include "begin/begin_join.h"
#include "plan/plan.h"
#include "project/analysis.h"
#include "project/match_project.h"
#include "shoots.h"

namespace edge {
namespace {

using namespace test;
using nlohmann::json;

// The plan written backwards: as if what was shot had been planned.
TEST(Begin, ThePlanIsWrittenBackwards) {
  const TempFolder folder;
  std::mt19937_64 random(31);
  fs::create_directories(folder.path() / "cards");
  Shoot shoot(folder.path() / "cards", random);
  shoot.names(20);
  Body b = plainBody();
  shoot.wedge(b);
  shoot.black(b);
  shoot.bracket(b, {-3, -2, 0, 1, 2, 2.5}, 0);  // -1 was forgotten, 2.5 is a step finer
  SortOptions options = known(folder.path());
  options.iso = 800;
  options.step = 1;
  const auto looks = lookAtAll(unplannedClips({folder.path() / "cards"}), options.decode, Progress());
  const SortedShoot s = sortOut(looks, options);
  const fs::path file = folder.path() / "found.edgetest";
  auto configurations = configurationsOf(s, looks, options.decode, folder.path());
  const auto recipe = planBackwards(configurations, s, looks, file);
  writeProject(configurations, recipe, file);

  const auto project = Project::open(file);
  const Recipe r = recipeFromJson(project->decision(0, "", kRecipeKey)->value, folder.path() / "recipe.json");
  const Plan plan = makePlan(r);
  ASSERT_EQ(plan.coverage.size(), 1U);
  // What fits no step is planned as it was measured.
  const auto taken = [&](double stops) {
    for (const auto& cell : plan.coverage[0].cells)
      if (cell.take >= 0 && std::abs(cell.stops - stops) < 0.02)
        return plan.takes[static_cast<size_t>(cell.take)].slate;
    return std::string("none");
  };
  for (const double step : {-3.0, -2.0, -1.0, 0.0, 1.0, 2.0, 2.5}) EXPECT_NE(taken(step), "none") << step;
  // Every clip is a take of it, but the one that was forgotten, and the repeats of the base, have none.
  std::set<std::string> slates;
  const auto stored = project->configurations();
  for (const auto& clip : stored[0].clips) {
    EXPECT_FALSE(clip.slate.empty()) << clip.name;
    EXPECT_TRUE(slates.insert(clip.slate).second) << clip.slate;
    if (clip.kind == ClipKind::Take) {
      EXPECT_EQ(clip.slate, taken(*clip.plannedStops));
    }
  }
  EXPECT_EQ(slates.count(taken(-1)), 0U);
  EXPECT_EQ(slates.size(), 8U);
  // The mode is that of the files, the curve lies where it lay, and nothing is claimed of lens and lamps.
  const ModeSpec& mode = r.bodies[0].modes[0];
  EXPECT_EQ(mode.width, looks[0].format.width);
  EXPECT_EQ(mode.bits, looks[0].format.bitDepth);
  EXPECT_EQ(mode.curve, "log.json");
  EXPECT_TRUE(r.lamps.empty());
  EXPECT_EQ(r.lenses[0].name, "lens not said yet");
  // A finer step that is proposed later is one take more.
  Recipe finer =
      recipeFromJson(withExtraTakes(recipe, r.bodies[0].name, r.bodies[0].modes[0].name, 800, "", {-2.5}), file);
  EXPECT_GT(makePlan(finer).takes.size(), plan.takes.size());
  // Looked at again the clips are what they were said to be, whatever their names.
  auto facts = readAllFacts(folder.path() / "cards", Progress());
  const auto stood = project->configurations();
  joinKept(facts, {&stood[0]}, folder.path());
  const Match m = matchClips(r, plan, {}, project->id(), facts);
  for (const auto& l : m.links) EXPECT_EQ(l.by, LinkBy::Kept) << l.words;
  // A name that no recipe holds costs the plan, not the project.
  auto longNamed = configurationsOf(s, looks, options.decode, folder.path());
  longNamed[0].body = std::string(300, 'x');
  EXPECT_TRUE(planBackwards(longNamed, s, looks, file).is_null());
  // Without an ISO there is nothing to plan for.
  options.iso.reset();
  const SortedShoot without = sortOut(looks, options);
  auto unknown = configurationsOf(without, looks, options.decode, folder.path());
  EXPECT_TRUE(planBackwards(unknown, without, looks, file).is_null());
}

// A second day without a plan: its clips count from the base that the project keeps.
TEST(Begin, ADayIsAddedToAProjectThatStands) {
  const TempFolder folder;
  std::mt19937_64 random(41);
  fs::create_directories(folder.path() / "day1");
  fs::create_directories(folder.path() / "day2");
  Body b = plainBody();
  {
    Shoot shoot(folder.path() / "day1", random);
    shoot.names(20);
    shoot.bracket(b, {-3, -2, -1, 0, 1, 2}, 0);
  }
  SortOptions options = known(folder.path());
  options.iso = 800, options.step = 1;
  const fs::path file = folder.path() / "found.edgetest";
  {
    const auto looks = lookAtAll(unplannedClips({folder.path() / "day1"}), options.decode, Progress());
    const SortedShoot s = sortOut(looks, options);
    auto configurations = configurationsOf(s, looks, options.decode, folder.path());
    const auto recipe = planBackwards(configurations, s, looks, file);
    writeProject(configurations, recipe, file);
  }
  // Finer steps, one that stands already, and no base.
  Body again = plainBody();
  again.scene = b.scene;
  {
    Shoot shoot(folder.path() / "day2", random);
    shoot.names(20);
    shoot.bracket(again, {-2.5, 1, 1.5}, 0);
  }
  const auto project = Project::open(file);
  const auto stood = project->configurations();
  const json before = project->decision(0, "", kRecipeKey)->value;
  const auto bases = keptBases(stood, folder.path());
  ASSERT_EQ(bases.size(), 1U);
  auto clips = unplannedClips({folder.path() / "day2"});
  clips.push_back(bases[0]);
  options.step = 0.5;
  const auto looks = lookAtAll(clips, options.decode, Progress());
  SortedShoot s = sortOut(looks, options);
  countFromKept(s, looks, stood, folder.path(), options.step);
  const JoinedShoot joined = joinShoot(stood, before, s, looks, options.decode, folder.path());
  EXPECT_EQ(joined.added, 2U);
  ASSERT_EQ(joined.configurations.size(), 1U);
  EXPECT_EQ(joined.configurations[0].id, stood[0].id);
  EXPECT_EQ(joined.configurations[0].clips.size(), stood[0].clips.size() + 2);
  ASSERT_EQ(joined.leftOut.size(), 1U);
  EXPECT_NE(joined.leftOut[0].find("stands already"), std::string::npos) << joined.leftOut[0];
  std::map<double, std::string> taken;
  for (const auto& r : joined.configurations[0].clips)
    if (r.kind == ClipKind::Take) taken[std::round(*r.plannedStops * 2) / 2] = r.slate;
  for (const double stops : {-2.5, 1.5}) EXPECT_FALSE(taken[stops].empty()) << stops;
  EXPECT_NE(joined.recipe, before) << "what was shot is planned now";
  EXPECT_GT(makePlan(recipeFromJson(joined.recipe, file)).takes.size(),
            makePlan(recipeFromJson(before, file)).takes.size());
  const auto basesOf = [&](const json& recipe) {
    const Plan p = makePlan(recipeFromJson(recipe, file));
    return std::count_if(p.takes.begin(), p.takes.end(),
                         [](const Take& t) { return t.role == TakeRole::Base; });
  };
  EXPECT_EQ(basesOf(joined.recipe), basesOf(before))
      << "they count from the base that stands: none is missing now";
  // Two bodies whose files say nothing kept bases of this scene: which one is meant must be said.
  auto two = stood;
  two.push_back(stood[0]);
  two[1].id = 99, two[1].body = "Camera B";
  fs::create_directories(folder.path() / "other");
  fs::copy_file(bases[0], folder.path() / "other/base.mkv");
  two[1].clips = {*stood[0].clipOfKind(ClipKind::Base)};
  two[1].clips[0].path = "other/base.mkv";
  clips.push_back(folder.path() / "other/base.mkv");
  const auto both = lookAtAll(clips, options.decode, Progress());
  SortedShoot unclear = sortOut(both, options), clear = sortOut(both, options);
  countFromKept(unclear, both, two, folder.path(), options.step);
  for (const auto& c : unclear.groups[0].clips) EXPECT_EQ(c.role, ClipRole::Unknown) << c.why;
  EXPECT_EQ(joinShoot(two, before, unclear, both, options.decode, folder.path()).added, 0U);
  countFromKept(clear, both, two, folder.path(), options.step, {folder.path() / "other/base.mkv"});
  EXPECT_EQ(clear.groups[0].body, "Camera B");
  // Added a second time nothing is new.
  EXPECT_EQ(joinShoot(joined.configurations, joined.recipe, s, looks, options.decode, folder.path()).added,
            0U);
}

}  // namespace
}  // namespace edge
