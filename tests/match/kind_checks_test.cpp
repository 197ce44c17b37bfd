// Checks of wedges, cap-on clips, sweeps and ladders. Clips are made here, frame by frame, written as
// OpenEXR; what is wrong with each is what the test did to it.
#include "match/kind_checks.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "chart/place.h"
#include "plan/recipes.h"
#include "project/match_project.h"
#include "support/support.h"

namespace edge {
namespace {

using nlohmann::json;

namespace fs = std::filesystem;

constexpr int kWidth = 160, kHeight = 96;

using Light = std::function<double(int x, int y)>;

// Six scene-linear frames with noise, clipped at 1.
TakeEvidence shoot(const test::TempFolder& folder, const std::string& name, const Chart& chart,
                   const Light& light) {
  std::mt19937 random(static_cast<unsigned>(name.size()) * 31U + static_cast<unsigned char>(name.back()));
  std::normal_distribution<double> normal;
  const fs::path clip = folder.path() / name;
  fs::create_directories(clip);
  for (int n = 0; n < 6; ++n) {
    std::vector<float> rgb;
    for (int y = 0; y < kHeight; ++y)
      for (int x = 0; x < kWidth; ++x)
        for (int c = 0; c < 3; ++c)
          rgb.push_back(static_cast<float>(std::min(1.0, light(x, y) + 2e-4 * normal(random))));
    test::writeImage(clip / fmt::format("f{:04}.exr", n + 1), kWidth, kHeight, 3, rgb, 32);
  }
  DecodeOptions linear;
  linear.curve = "linear";
  return gatherTake(clip, linear, chart, {}, {0, 0}, Progress());
}

const TakeCheck* find(const std::vector<TakeCheck>& checks, const std::string& code) {
  for (const auto& c : checks)
    if (c.code == code) return &c;
  return nullptr;
}

Chart wedge() {
  return placedOn(chartOf({ChartKind::Wedge, 8, 4, 1}), uprightFrom({10, 10}, {150, 86}), kWidth, kHeight);
}
double wedgeLight(const Chart& chart, int x, int y, double first) {
  for (const auto& p : chart.patches)
    if (x >= p.corners[0].x && x < p.corners[2].x && y >= p.corners[0].y && y < p.corners[2].y)
      return first * std::exp2(*p.stops);
  return 0;
}

TEST(KindChecks, AWedgeWhoseBrightestPatchDoesNotClipIsSaid) {
  const test::TempFolder folder;
  const Chart chart = wedge();
  for (const auto& [first, clips] : {std::pair(0.7, false), std::pair(2.6, true)}) {
    const auto e = shoot(folder, clips ? "bright" : "dim", chart,
                         [&, first = first](int x, int y) { return wedgeLight(chart, x, y, first); });
    const auto checks = checkOfKind(CheckKind::Wedge, e, nullptr, chart, {}, {});
    ASSERT_TRUE(find(checks, "too-dark"));
    EXPECT_EQ(find(checks, "too-dark")->pass, clips);
  }
}

// Nobody has said its steps yet, and four of eight patches are clipped into one.
TEST(KindChecks, AWedgeOfUnknownStepsThatClipsFarDownIsNotCalledDim) {
  const test::TempFolder folder;
  Chart chart = wedge();
  const auto bright = shoot(folder, "far", chart, [&](int x, int y) { return wedgeLight(chart, x, y, 12); });
  const auto dim = shoot(folder, "low", chart, [&](int x, int y) { return wedgeLight(chart, x, y, 0.7); });
  for (auto& p : chart.patches) p.stops.reset();
  EXPECT_TRUE(find(checkOfKind(CheckKind::Wedge, bright, nullptr, chart, {}, {}), "too-dark")->pass);
  EXPECT_FALSE(find(checkOfKind(CheckKind::Wedge, dim, nullptr, chart, {}, {}), "too-dark")->pass);
}

TEST(KindChecks, RawThatOnlyNotesItsIsoIsDarkerByItAndRight) {
  const test::TempFolder folder;
  const Chart chart = wedge();
  const auto lit = [&](double level) {
    return [&chart, level](int x, int y) { return wedgeLight(chart, x, y, level); };
  };
  auto first = shoot(folder, "a", chart, lit(0.8)), half = shoot(folder, "b", chart, lit(0.4));
  const Plateau end = {1.0, 1.0, 1.0};
  TakeExpectation doubled;
  doubled.isoStops = 1;
  EXPECT_FALSE(find(checkOfKind(CheckKind::Equal, half, &first, chart, end, doubled), "unequal")->pass)
      << "developed pictures are as bright at any ISO";
  half.format.layout = Layout::Cfa;
  EXPECT_TRUE(find(checkOfKind(CheckKind::Equal, half, &first, chart, end, doubled), "unequal")->pass);
  doubled.isoStops = 2;
  EXPECT_FALSE(find(checkOfKind(CheckKind::Equal, half, &first, chart, end, doubled), "unequal")->pass);
}

TEST(KindChecks, LightThatGetsInUnderTheCapIsSaid) {
  const test::TempFolder folder;
  const Chart areas = nineAreas(kWidth, kHeight);
  const auto passes = [&](const char* name, const Light& light) {
    const auto checks =
        checkOfKind(CheckKind::Black, shoot(folder, name, areas, light), nullptr, areas, {}, {});
    return find(checks, "not-black") && find(checks, "not-black")->pass;
  };
  EXPECT_TRUE(passes("cap", [](int, int) { return 0.001; })) << "a pedestal is no light";
  EXPECT_FALSE(passes("leak", [](int x, int) { return 0.001 + (x > 120 ? 0.003 : 0); }));
  EXPECT_FALSE(passes("open", [](int, int) { return 0.18; }));
}

TEST(KindChecks, ALadderWhoseLightMovedAndASweepThatIsTooBright) {
  const test::TempFolder folder;
  const Chart chart = wedge();
  const auto lit = [&](double level) {
    return [&chart, level](int x, int y) { return wedgeLight(chart, x, y, level); };
  };
  const auto first = shoot(folder, "a", chart, lit(0.5)), same = shoot(folder, "b", chart, lit(0.51)),
             moved = shoot(folder, "c", chart, lit(0.4));
  const Plateau end = {1.0, 1.0, 1.0};
  EXPECT_TRUE(find(checkOfKind(CheckKind::Equal, same, &first, chart, end, {}), "unequal")->pass);
  const auto off = checkOfKind(CheckKind::Equal, moved, &first, chart, end, {});
  EXPECT_FALSE(find(off, "unequal")->pass);
  EXPECT_NEAR(find(off, "unequal")->figure, std::log2(0.4 / 0.5), 0.02);
  // Measured on its darkest of eight steps: 0.0005 and 0.0125 over noise of 0.0002.
  Chart darkest = chart;
  darkest.patches = {chart.patches.back()};
  const auto dim = shoot(folder, "e", darkest, lit(0.06)), bright = shoot(folder, "d", darkest, lit(1.6));
  EXPECT_TRUE(find(checkOfKind(CheckKind::Sweep, dim, nullptr, darkest, end, {}), "too-bright")->pass);
  EXPECT_FALSE(find(checkOfKind(CheckKind::Sweep, bright, nullptr, darkest, end, {}), "too-bright")->pass);
}

TEST(KindChecks, FilesAreHeldAgainstThePlan) {
  const test::TempFolder folder;
  const Chart areas = nineAreas(kWidth, kHeight);
  const auto e = shoot(folder, "a", areas, [](int, int) { return 0.1; });
  TakeExpectation planned;
  planned.width = kWidth, planned.height = kHeight;
  EXPECT_TRUE(find(checkFile(e, nullptr, planned), "format")->pass);
  planned.width = 2 * kWidth;
  EXPECT_EQ(find(checkFile(e, nullptr, planned), "format")->words, "160 x 96 where 320 x 96 were planned");
  planned.width = 0, planned.raw = true;
  EXPECT_FALSE(find(checkFile(e, nullptr, planned), "format")->pass);
}

// A second card: what the project keeps from the first one and what is new are one list.
// A take that was recorded otherwise than its base, and raw whose white balance was set anew between them.
TEST(KindChecks, FilesAreHeldAgainstTheirBase) {
  TakeEvidence base, take;
  base.format.width = take.format.width = 320, base.format.height = take.format.height = 96;
  base.coding = take.coding = "movie, yuv422p10le";
  EXPECT_TRUE(find(checkFile(take, &base, {}), "format")->pass);
  EXPECT_FALSE(find(checkFile(take, &base, {}), "white-balance")) << "log has it baked in: balance tells";
  take.coding = "movie, yuv420p10le, H.264";
  const auto other = checkFile(take, &base, {});
  EXPECT_FALSE(find(other, "format")->pass);
  EXPECT_EQ(find(other, "format")->words,
            "recorded as movie, yuv420p10le, H.264 where the base is movie, yuv422p10le");
  base.format.layout = take.format.layout = Layout::Cfa, take.coding = base.coding;
  base.format.whiteBalance = {2, 1, 1.5}, take.format.whiteBalance = {2, 1, 1.5};
  EXPECT_EQ(find(checkFile(take, &base, {}), "white-balance")->words,
            std::string("white balance as the base"));
  take.format.whiteBalance = {1, 1, 3};
  const auto anew = checkFile(take, &base, {});
  const auto* set = find(anew, "white-balance");
  EXPECT_NEAR(std::abs(set->figure), 1, 1e-9);
  EXPECT_TRUE(set->pass) << "developed as the base is: nothing is lost";
  EXPECT_NE(set->words.find("set anew"), std::string::npos);
}

TEST(KeptClips, JoinWhatIsReadAsOneList) {
  Recipe recipe;
  Plan plan = test::planOf(test::plainRecipe(), recipe);
  Configuration kept;
  const auto keep = [&](size_t take, const char* path, const char* hash) {
    kept.clips.emplace_back();
    kept.clips.back().slate = plan.takes[take].slate, kept.clips.back().path = path,
    kept.clips.back().hash = hash;
  };
  keep(0, "cards/a.mkv", "aa"), keep(1, "cards/b.mkv", "bb"), keep(2, "cards/c.mkv", "cc");
  const auto read = [](const std::string& path, const char* hash) {
    ClipFacts f;
    f.path = path, f.hash = hash;
    return f;
  };
  // a lies where it lay, b was moved, c is on another card; d is new.
  std::vector<ClipFacts> facts = {read("/shoot/cards/a.mkv", "aa"), read("/shoot/day2/x.mkv", "bb"),
                                  read("/shoot/day2/d.mkv", "dd")};
  joinKept(facts, {&kept}, "/shoot");
  ASSERT_EQ(facts.size(), 4U);
  EXPECT_TRUE(facts[3].elsewhere);
  EXPECT_EQ(facts[3].path, "/shoot/cards/c.mkv");
  const Match m = matchClips(recipe, plan, {}, "5A17A1", facts);
  for (const size_t i : {0U, 1U, 3U}) {
    const size_t take = i == 3 ? 2 : i;
    EXPECT_EQ(m.links[i].by, LinkBy::Kept);
    EXPECT_EQ(m.links[i].take, take) << i;
  }
  EXPECT_FALSE(m.links[2].take);
  EXPECT_EQ(m.missing.size(), plan.takes.size() - 3);
  // A clip on the new card that says it is a's take takes its place; by hand a is no take.
  facts[2].slate.slates = {slateOf("5A17A1", plan.takes[0], 1)};
  const Match anew = matchClips(recipe, plan, {}, "5A17A1", facts);
  EXPECT_TRUE(anew.links[0].superseded);
  EXPECT_EQ(anew.links[2].take, 0U);
  EXPECT_TRUE(anew.links[2].trouble.empty()) << anew.links[2].trouble;
  const Match none = matchClips(recipe, plan, {}, "5A17A1", facts, {{"/shoot/cards/c.mkv", ""}});
  EXPECT_FALSE(none.links[3].take);
  // Kept, though its slate is another project's: a person has said what it is.
  facts[1].slate.slates = {slateOf("0DDBA1", plan.takes[5], 1)};
  const Match foreign = matchClips(recipe, plan, {}, "5A17A1", facts);
  EXPECT_EQ(foreign.links[1].by, LinkBy::Kept);
  EXPECT_TRUE(foreign.links[1].trouble.empty()) << foreign.links[1].trouble;
  // What changed since under its own name is another clip.
  facts = {read("/shoot/cards/a.mkv", "zz")};
  joinKept(facts, {&kept}, "/shoot");
  EXPECT_TRUE(facts[0].keptAs.empty());
}

// What is kept for one take and given to another by hand moves there, also from another folder and to another
// configuration; said to be no take it goes.
TEST(KeptClips, AreGivenToAnotherTakeByHand) {
  const test::TempFolder folder;
  json j = test::plainRecipe();
  j["bodies"][0]["modes"].push_back({{"name", "raw"}, {"kind", "raw"}, {"bits", 12}});
  Recipe recipe;
  const Plan plan = test::planOf(j, recipe);
  const auto takeOf = [&](const char* mode, double stops) -> const Take& {
    for (const auto& t : plan.takes)
      if (recipe.bodies[0].modes[plan.series[t.series].mode].name == mode && t.role == TakeRole::Step &&
          t.plannedStops == stops)
        return t;
    return plan.takes.front();
  };
  const auto project = Project::create(folder / "p.edgetest", "Saltpan Road");
  Configuration kept;
  kept.body = recipe.bodies[0].name, kept.mode = "log", kept.iso = 800;
  ClipRecord r;
  r.kind = ClipKind::Take, r.name = "p1", r.path = "cards/a.mkv", r.hash = "aa", r.plannedStops = 1;
  r.slate = takeOf("log", 1).slate;
  kept.clips = {r};
  project->addConfiguration(kept);
  const std::string path = (folder / "cards/a.mkv").lexically_normal().string();
  const auto linked = [&](const std::string& slate) {
    const auto stood = project->configurations();
    std::vector<ClipFacts> facts;
    joinKept(facts, {&stood[0]}, project->folder());
    const Match m = matchClips(recipe, plan, {}, project->id(), facts, {{path, slate}});
    std::map<std::string, std::vector<std::string>> out;
    for (const auto& c : linkedConfigurations(*project, recipe, plan, facts, m))
      for (const auto& clip : c.clips) out[c.mode].push_back(clip.slate);
    return out;
  };
  const std::string other = takeOf("log", 2).slate, raw = takeOf("raw", 1).slate;
  EXPECT_EQ(linked(other), (std::map<std::string, std::vector<std::string>>{{"log", {other}}}));
  EXPECT_EQ(linked(raw), (std::map<std::string, std::vector<std::string>>{{"raw", {raw}}}));
  EXPECT_TRUE(linked("").empty());
}

}  // namespace
}  // namespace edge
