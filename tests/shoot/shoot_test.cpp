// Readings as people say them, the log that forgets nothing, judgements, ways out, the gate, the simulated
// set.
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "exposure/meter.h"
#include "match/slate_reader.h"
#include "media/clip.h"
#include "plan/recipes.h"
#include "project/project.h"
#include "shoot/gate.h"
#include "shoot/prompt.h"
#include "simulate/stand_ins.h"
#include "support/support.h"

namespace edge {
namespace {

using nlohmann::json;

TEST(MeterWords, AreReadAsPeopleSayThem) {
  const auto is = [](const char* text, ReadingUnit unit, double value) {
    const MeterReading r = readReading(text);
    EXPECT_EQ(r.unit, unit) << text;
    EXPECT_NEAR(r.value, value, value == 0 ? 1e-9 : std::abs(value) * 2e-3) << text;
    EXPECT_FALSE(r.understood.empty());
  };
  // Tenths and thirds of a stop on full stops: T = sqrt(2)^(n + part).
  is("1.4 and 7/10", ReadingUnit::Stop, std::exp2(0.5 + 0.35));
  is("T2 2/3", ReadingUnit::Stop, std::exp2(1 + 1.0 / 3));
  is("f/5.6", ReadingUnit::Stop, std::exp2(2.5));
  is("40 fc", ReadingUnit::Lux, 430.56);  // 1 fc = 10.764 lux
  is("430lux", ReadingUnit::Lux, 430);
  is("1,2 klux", ReadingUnit::Lux, 1200);
  is("12 cd/m2", ReadingUnit::CandelaPerSquareMetre, 12);
  is("+1.3", ReadingUnit::Offset, 1.3);
  is("\u22120.7 stops", ReadingUnit::Offset, -0.7);
  for (const char* bad :
       {"", "bright", "fc", "-40 lux", "40 furlongs", "1e99 lux", "T0", "+", "nan", "1.4 and 12/10"})
    EXPECT_THROW((void)readReading(bad), UsageError) << bad;
  // 100 fc at ISO 100 and 1/50 s is near T2.8 (common practice); ISO 2720 with C = 250 gives 1076 lux ->
  // T2.93.
  EXPECT_NEAR(luxOf(readReading("T2.93"), {Seconds(0.02), Iso(100)}, Stops(0))->value() / kLuxPerFootCandle,
              100, 1);
  EXPECT_NEAR(luxOf(readReading("100 lux"), {}, Stops(1))->value(), 50, 1e-9)
      << "this meter reads a stop too bright";
}

TEST(Levels, KeepTheirScale) {
  // ITU-R BT.709: legal ten-bit codes 64 to 940.
  EXPECT_NEAR(*codeOfLevel(64, LevelScale::Code10, false), 0, 1e-12);
  EXPECT_NEAR(*codeOfLevel(940, LevelScale::Code10, false), 1, 1e-12);
  EXPECT_NEAR(*codeOfLevel(50, LevelScale::LegalPercent, false), 0.5, 1e-12);
  EXPECT_NEAR(*levelOfCode(0.5, LevelScale::FullPercent, false), 100 * 502.0 / 1023, 1e-9);
  EXPECT_NEAR(*codeOfLevel(50, LevelScale::FullPercent, true), 0.5, 1e-12);
  EXPECT_FALSE(codeOfLevel(50, LevelScale::DisplayPercent, false));
}

class OnSet : public ::testing::Test {
 protected:
  void SetUp() override {
    json j = test::plainRecipe();
    j["bodies"][0]["modes"][0]["curve"] = "acescct";
    j["lamps"].push_back(
        {{"name", "Fill"}, {"role", "fill"}, {"ratio_stops", -2}, {"lux_at_1m", 20000}, {"distance_m", 3}});
    j["lamps"].push_back({{"name", "Rope-loft bulb"},
                          {"role", "practical"},
                          {"lux_at_1m", 90},
                          {"dimmer", "none"},
                          {"distance_m", 3}});
    plan_ = test::planOf(j, recipe_);
    for (size_t i = 0; i < plan_.takes.size(); ++i)
      if (plan_.takes[i].role == TakeRole::Base) bases_.push_back(i);
  }
  void say(const std::string& kind, size_t take, json value = nullptr) {
    entries_.push_back({static_cast<std::int64_t>(entries_.size()) + 1, "2026-11-25T10:00:00.000Z",
                        plan_.takes[take].slate, kind, std::move(value)});
  }
  void read(size_t take, const std::string& position, const std::string& text, bool spot = false) {
    say("reading", take, {{"position", position}, {"text", text}, {"spot", spot}, {"instrument", "meter"}});
  }
  std::vector<Judgement> judged(size_t take) {
    return judgeReadings(recipe_, plan_, {}, foldLog(entries_), take);
  }
  std::string codes(size_t take) {
    std::string s;
    for (const auto& j : judged(take))
      s += j.code + (j.standing == Standing::Pass ? "+ " : j.standing == Standing::Fail ? "- " : "? ");
    return s;
  }
  std::string lux(size_t take, double stops = 0) {
    return std::to_string(plan_.takes[take].settings.light.value() * std::exp2(stops)) + " lux";
  }

  Recipe recipe_;
  Plan plan_;
  std::vector<size_t> bases_;
  std::vector<LogEntry> entries_;
};

TEST_F(OnSet, LogIsFoldedAndForgetsNothing) {
  say("done", 0);
  say("note", 0, {{"text", "dolly creaked"}});
  say("redo", 0, {{"reason", "sitter blinked"}});
  EXPECT_EQ(foldLog(entries_).of(plan_.takes[0].slate).state, TakeState::Open);
  EXPECT_EQ(foldLog(entries_).of(plan_.takes[0].slate).attempt, 2) << "the retake is slated anew";
  say("done", 0, {{"settings", "T4.5"}});
  say("skip", 1, {{"reason", "no time"}});
  ShootLog log = foldLog(entries_);
  EXPECT_EQ(log.of(plan_.takes[0].slate).settings, "T4.5");
  EXPECT_EQ(log.of(plan_.takes[0].slate).notes, std::vector<std::string>{"dolly creaked"});
  EXPECT_EQ(log.of(plan_.takes[1].slate).state, TakeState::Skipped);
  EXPECT_EQ(nextOpen(plan_, log), 2U);
  // Undo is an entry of its own.
  say("undo", 0, {{"entry", log.lastEntry}});
  EXPECT_EQ(foldLog(entries_).of(plan_.takes[1].slate).state, TakeState::Open);
  EXPECT_EQ(entries_.size(), 6U);
  // What makes no sense is kept and named, and nothing else suffers.
  entries_.push_back({99, "", plan_.takes[2].slate, "reading", {{"position", "key"}, {"text", "purple"}}});
  entries_.push_back({100, "", plan_.takes[2].slate, "jig", 7});
  entries_.push_back({101, "", plan_.takes[2].slate, "level", {{"position", 3}}});
  EXPECT_EQ(foldLog(entries_).unreadable.size(), 3U);
  EXPECT_NE(logCsv(entries_).find("dolly creaked"), std::string::npos);
}

TEST_F(OnSet, PromptSaysWhatChangesAndNothingElse) {
  const Prompt first = promptFor(recipe_, plan_, {}, foldLog(entries_), 0);
  EXPECT_GT(first.changes.size(), 3U) << "at the start of the day everything is set";
  EXPECT_EQ(first.soFar.total, static_cast<int>(plan_.takes.size()));
  for (size_t i = 0; i + 1 < plan_.takes.size(); ++i) {
    say("done", i);
    const Take &a = plan_.takes[i], &b = plan_.takes[i + 1];
    const Prompt p = promptFor(recipe_, plan_, {}, foldLog(entries_), i + 1);
    const auto says = [&](const char* what) {
      return std::any_of(p.changes.begin(), p.changes.end(),
                         [&](const PromptChange& c) { return c.what == what; });
    };
    EXPECT_EQ(says("T"), a.settings.engraved != b.settings.engraved) << b.slate;
    EXPECT_EQ(says("ND"), a.settings.filters != b.settings.filters) << b.slate;
    EXPECT_FALSE(says("body") || says("mode") || says("lens")) << b.slate;
    EXPECT_NE(p.meter.find("lux"), std::string::npos);
    EXPECT_NEAR(p.fromMeter, p.label, 0.011) << "this base is metered at 0";
    EXPECT_NEAR(*p.toClip, 6 - p.label, 0.011);
  }
}

TEST_F(OnSet, ReadingsAreJudgedAtOnce) {
  read(bases_[0], "key", lux(bases_[0], 0.05));
  EXPECT_EQ(codes(bases_[0]), "light+ ");
  read(bases_[0], "fill", lux(bases_[0], -2.0));
  EXPECT_EQ(codes(bases_[0]), "light+ light+ ratio+ ");
  entries_.clear();
  read(bases_[0], "key", lux(bases_[0], 0.4));
  read(bases_[0], "fill", lux(bases_[0], -1.2));
  EXPECT_EQ(codes(bases_[0]), "light- light- ratio- ");
  EXPECT_NE(judged(bases_[0])[0].words.find("0.4 stop over"), std::string::npos)
      << judged(bases_[0])[0].words;
}

TEST_F(OnSet, SlipsAreNamed) {
  const double fc = plan_.takes[bases_[0]].settings.light.value();
  read(bases_[0], "key", std::to_string(fc) + " fc");  // a lux figure said as foot-candles
  EXPECT_EQ(codes(bases_[0]).substr(0, 5), "unit?");
  entries_.clear();
  read(bases_[0], "key", lux(bases_[0], 0.02));
  read(bases_[0], "key", lux(bases_[0], 0.09));
  EXPECT_EQ(codes(bases_[0]), "light+ light+ ") << "a tenth apart is one reading";
  read(bases_[0], "key", lux(bases_[0], -0.3));
  EXPECT_NE(codes(bases_[0]).find("contradiction?"), std::string::npos);
  entries_.clear();
  read(bases_[0], "key", "150000 lux");
  EXPECT_EQ(codes(bases_[0]), "impossible? ") << "the lamp can't give that";
}

TEST_F(OnSet, SpotAndIncidentMustAgreeOnTheGreyCard) {
  // An 18 % Lambertian card under E: L = 0.18 E / pi.
  const double l = 0.18 * plan_.takes[bases_[0]].settings.light.value() / std::numbers::pi;
  read(bases_[0], "key", lux(bases_[0]));
  read(bases_[0], "grey card", std::to_string(l) + " cd/m2", true);
  EXPECT_EQ(codes(bases_[0]), "light+ ");
  read(bases_[0], "face: first head", std::to_string(l * 2) + " cd/m2", true);
  EXPECT_EQ(codes(bases_[0]), "light+ tone+ ") << "a forehead one stop over grey, as the recipe says";
  read(bases_[0], "grey card", std::to_string(l * 2.2) + " cd/m2", true);
  EXPECT_NE(codes(bases_[0]).find("contradiction?"), std::string::npos);
}

TEST_F(OnSet, DriftAndFixedLampsAreSeenOverTakes) {
  read(bases_[0], "key", lux(bases_[0]));
  read(bases_[0], "Rope-loft bulb", "10 lux");
  say("done", bases_[0]);
  read(bases_[1], "key", lux(bases_[1], -0.3));
  EXPECT_NE(codes(bases_[1]).find("drift-"), std::string::npos);
  read(bases_[1], "Rope-loft bulb", "25 lux");
  bool said = false;
  for (const auto& j : judged(bases_[1]))
    said = said || (j.code == "impossible" && j.position == "Rope-loft bulb" &&
                    j.words.find("can't be changed") != std::string::npos);
  EXPECT_TRUE(said);
}

TEST_F(OnSet, LevelsAreComparedInTheirScaleOnly) {
  // ACEScct of 0.18 is 0.4135884 (S-2016-001): ten-bit legal code 64 + 876 * 0.4135884 = 426.3.
  say("level", bases_[0], {{"position", "grey card"}, {"value", 426}, {"scale", "code"}});
  EXPECT_EQ(codes(bases_[0]), "level+ ");
  say("level", bases_[0], {{"position", "grey card"}, {"value", 46}, {"scale", "legal-percent"}});
  EXPECT_EQ(codes(bases_[0]), "level+ level- ");
  say("level", bases_[0], {{"position", "grey card"}, {"value", 41}, {"scale", "display-percent"}});
  EXPECT_EQ(codes(bases_[0]), "level+ level- level? ");
}

TEST_F(OnSet, WaysOutMakeUpForLightThatCantBeHad) {
  for (double off : {0.6, -0.5}) {
    const auto ways = waysOut(recipe_, plan_, bases_[0], off);
    ASSERT_FALSE(ways.empty());
    EXPECT_LE(std::abs(ways[0].rest), 0.1) << ways[0].words;
    for (const auto& w : ways) EXPECT_LT(std::abs(w.rest), std::abs(off)) << w.words;
  }
}

TEST_F(OnSet, GateOpensOnlyWhenNothingIsLeft) {
  Gate g = gateOf(recipe_, plan_, {}, foldLog(entries_), {});
  EXPECT_FALSE(g.safe);
  EXPECT_EQ(g.items.size(), plan_.takes.size());
  for (size_t i = 0; i < plan_.takes.size(); ++i) say("done", i);
  for (const size_t base : bases_) read(base, "key", lux(base));
  EXPECT_TRUE(gateOf(recipe_, plan_, {}, foldLog(entries_), {}).safe);
  EXPECT_NE(gateOf(recipe_, plan_, {}, foldLog(entries_), {}).words, "Safe to move on")
      << "no clip was seen yet";
  ClipWords clips;
  for (const auto& t : plan_.takes) clips[t.slate] = {"clip", {}, true};
  EXPECT_EQ(gateOf(recipe_, plan_, {}, foldLog(entries_), clips).words, "Safe to move on");
  clips[plan_.takes[3].slate].troubles = {{"exposure", "measured 1.0 stop under"}};
  clips.erase(plan_.takes[4].slate);
  g = gateOf(recipe_, plan_, {}, foldLog(entries_), clips);
  ASSERT_EQ(g.items.size(), 2U);
  EXPECT_EQ(g.items[0].kind, GateKind::Redo);
  EXPECT_EQ(g.items[1].kind, GateKind::NoClip);
  clips[plan_.takes[5].slate].checked = false;
  g = gateOf(recipe_, plan_, {}, foldLog(entries_), clips);
  ASSERT_EQ(g.items.size(), 3U);
  EXPECT_EQ(g.items[2].kind, GateKind::Unchecked) << "a clip nobody looked at is never sound";
  EXPECT_STREQ(wordOf(g.items[2].kind), "Not checked");
  EXPECT_TRUE(gateOf(recipe_, Plan(), {}, {}, {}).items.empty());
  EXPECT_FALSE(gateOf(recipe_, Plan(), {}, {}, {}).safe);
}

TEST(ProjectLog, IsKeptInOrderAndSurvivesReopening) {
  const test::TempFolder folder;
  std::string id;
  {
    const auto p = Project::create(folder / "p.edgetest", "Saltpan Road");
    id = p->id();
    EXPECT_EQ(id.size(), 6U);
    EXPECT_EQ(p->appendLog({0, "", "a", "done", nullptr}), 1);
    EXPECT_EQ(p->appendLog({0, "2026-11-25T10:00:00.000Z", "b", "note", {{"text", "x"}}}), 2);
  }
  const auto p = Project::open(folder / "p.edgetest");
  const auto log = p->log();
  ASSERT_EQ(log.size(), 2U);
  EXPECT_EQ(log[0].at.size(), 24U);
  EXPECT_EQ(log[1].value["text"], "x");
  EXPECT_EQ(p->id(), id);
}

// The demo's own recipe on the simulated set: meter, dimmer, camera, clip; and hands that err.
TEST(StandIns, PlayATakeAndItsMistakes) {
  const test::TempFolder folder;
  const Recipe r = recipeFromJson(json::parse(demoRecipeText()), "recipe.json");
  const Plan p = makePlan(r);
  SimulatedSet set(demoScenario(true), r, folder / "card");
  size_t take = 0;
  while (p.takes[take].slate != "Corvane 35 log 500 +3") ++take;
  const Take& t = p.takes[take];
  set.prepare(p, t);
  EXPECT_NEAR(std::log2(set.incident("key")->value() / t.settings.light.value()), 0, 0.051)
      << "meters show tenths";
  EXPECT_NEAR(std::log2(set.incident("key")->value() / set.incident("fill")->value()), 2, 0.11);
  EXPECT_FALSE(set.incident("nowhere"));
  const auto clip = set.roll(qrOf(slateText(slateOf("5A17A0", t, 1))), Progress());
  const auto found = findSlate(clip, 4, Progress());
  ASSERT_EQ(found.slates.size(), 1U);
  EXPECT_EQ(found.slates[0].take, slateId(t.slate));
  EXPECT_EQ(found.slates[0].stops, 3);
  set.inject(Mistake::WrongIris);
  set.prepare(p, t);
  EXPECT_NEAR(2 * std::log2(t.settings.aperture.value() / set.settings().aperture.value()), 1, 1e-9);
  set.prepare(p, t);
  EXPECT_EQ(set.settings().aperture, t.settings.aperture) << "one mistake, once";
  CameraSettings odd = set.settings();
  odd.body = "no such body";
  set.set(odd);
  EXPECT_THROW((void)set.roll(std::nullopt, Progress()), Error);
}

}  // namespace
}  // namespace edge
