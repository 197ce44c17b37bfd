// What was really set, what may stay, two meters, who writes: and what the next prompt, the judgement, the
// gate and the link of the clip make of it. Arithmetic by hand beside each check: a full stop of iris is a
// factor of the square root of two, ND 0.3 a stop (common practice), a halved shutter a stop.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "exposure/meter.h"
#include "match/match.h"
#include "plan/recipes.h"
#include "shoot/actual.h"
#include "shoot/gate.h"
#include "shoot/prompt.h"

namespace edge {
namespace {

using nlohmann::json;

class AsShot : public ::testing::Test {
 protected:
  void SetUp() override {
    json j = test::plainRecipe();
    j["bodies"][0]["modes"][0]["curve"] = "acescct";
    j["sitters"] = {{{"name", "First head"}, {"skin_stops", 1}}};
    plan_ = test::planOf(j, recipe_);
    while (plan_.takes[at_].role != TakeRole::Base) ++at_;
  }
  const Take& take() { return plan_.takes[at_]; }
  void say(const std::string& kind, json value = nullptr, std::string slate = "-") {
    entries_.push_back({static_cast<std::int64_t>(entries_.size()) + 1, "2026-11-25T10:00:00.000Z",
                        slate == "-" ? take().slate : slate, kind, std::move(value)});
  }
  void read(const std::string& position, double lux, const std::string& meter = "meter", bool spot = false) {
    say("reading", {{"position", position},
                    {"text", std::to_string(lux) + (spot ? " cd/m2" : " lux")},
                    {"spot", spot},
                    {"instrument", meter}});
  }
  ShootLog log() { return foldLog(entries_); }
  std::map<std::string, Judgement> judged() {
    std::map<std::string, Judgement> by;
    for (const auto& j : judgeReadings(recipe_, plan_, {}, log(), at_)) by[codeOf(j)] = j;
    return by;
  }
  std::vector<GateItem> gate() {
    std::vector<GateItem> out;
    for (const auto& item : gateOf(recipe_, plan_, {}, log(), {}).items)
      if (item.slate == take().slate) out.push_back(item);
    return out;
  }

  Recipe recipe_;
  Plan plan_;
  size_t at_ = 0;
  std::vector<LogEntry> entries_;
};

TEST_F(AsShot, SettingsAreReadAsPeopleTypeThem) {
  const double planned = take().settings.aperture.value();
  const auto is = [&](const std::string& text, double light) {
    EXPECT_NEAR(actualTake(recipe_, plan_, take(), text).light, light, 0.02) << text;
  };
  const std::string open = "T" + std::to_string(planned / std::sqrt(2.0));
  is(open, 1);
  is(open + " instead", 1);
  is("with ND0.6", -2 + take().settings.nd.value() / 0.30103 + 0.007);
  is("shutter at 90deg", std::log2(90.0 / 360 / take().settings.fps / take().settings.shutter.value()));
  is(open + ", ND" + std::to_string(take().settings.nd.value() + 0.30103), 0);
  EXPECT_NEAR(actualTake(recipe_, plan_, take(), "ISO " + std::to_string(int(2 * take().iso))).gain, 1, 0.02);
  EXPECT_EQ(actualTake(recipe_, plan_, take(), "no ND").take.settings.nd.value(), 0);
  for (const char* bad : {"brighter", "T4 T5.6", "T0", "3m", "ND99", ""})
    EXPECT_THROW((void)actualTake(recipe_, plan_, take(), bad), UsageError) << bad;
  // An earlier day's log may hold anything: it stays as it was planned.
  EXPECT_EQ(takeAsShot(recipe_, plan_, take(), "brighter").take.settings.aperture.value(), planned);
}

TEST_F(AsShot, TheNextPromptCountsFromIt) {
  const double planned = take().settings.aperture.value();
  const size_t next = at_ + 1;
  say("done");
  const auto named = [&](const char* what) {
    for (const auto& c : promptFor(recipe_, plan_, {}, log(), next).changes)
      if (c.what == what) return c.from + ">" + c.to;
    return std::string();
  };
  const std::string before = named("T");
  entries_.clear();
  say("done", {{"settings", "T" + std::to_string(planned / 2)}});
  EXPECT_NE(named("T"), before) << "the iris stands two stops wider and must be closed again";
  EXPECT_NE(named("T").find(plan_.takes[next].settings.engraved), std::string::npos);
  EXPECT_EQ(named("T").find(take().settings.engraved + ">"), std::string::npos);
}

TEST_F(AsShot, OtherSettingsAreJudgedWithTheLight) {
  const double wider = take().settings.aperture.value() / std::sqrt(2.0);
  say("done", {{"settings", "T" + std::to_string(wider)}});
  EXPECT_NEAR(judged().at("settings").off, 1, 0.02);
  EXPECT_EQ(judged().at("settings").standing, Standing::Fail);
  EXPECT_NEAR(exposureOff(recipe_, plan_, log(), at_), 1, 0.02);
  // With half the light the open iris is right.
  read("key", take().settings.light.value() / 2);
  EXPECT_EQ(judged().at("settings").standing, Standing::Pass) << judged().at("settings").words;
  EXPECT_EQ(judged().at("light key").standing, Standing::Pass) << judged().at("light key").words;
  EXPECT_EQ(exposureOff(recipe_, plan_, log(), at_), 0);
}

TEST_F(AsShot, AWayOutIsTakenAndEndsWithARedo) {
  read("key", take().settings.light.value() * std::exp2(-0.6));
  const auto ways = waysOut(recipe_, plan_, at_, judged().at("light key").off);
  ASSERT_FALSE(ways.empty());
  for (const auto& way : ways) {
    // What it says it is: its settings laid over the plan leave the rest it names.
    const auto a = actualTake(recipe_, plan_, take(), way.settings);
    EXPECT_NEAR(-0.6 + a.light, way.rest, 0.03) << way.words << ": " << way.settings;
  }
  say("adopt", {{"settings", ways[0].settings}});
  EXPECT_EQ(judged().at("light key").standing, Standing::Pass) << judged().at("light key").words;
  EXPECT_EQ(promptFor(recipe_, plan_, {}, log(), at_).adopted, ways[0].settings);
  say("done");
  EXPECT_EQ(log().of(take().slate).settings, ways[0].settings) << "shot as adopted";
  say("redo", {{"reason", "lamp is back"}});
  EXPECT_TRUE(promptFor(recipe_, plan_, {}, log(), at_).adopted.empty());
}

TEST_F(AsShot, WhatIsOffMayStayUntilItIsReadAnew) {
  read("key", take().settings.light.value() * 2);
  say("done");
  ASSERT_FALSE(gate().empty());
  EXPECT_EQ(gate()[0].code, "light key");
  EXPECT_FALSE(gateOf(recipe_, plan_, {}, log(), {}).safe);
  say("stays", {{"codes", {"light key"}}, {"reason", "the lamp gives no less"}});
  ASSERT_EQ(gate().size(), 1U);
  EXPECT_EQ(gate()[0].kind, GateKind::Stays);
  EXPECT_NE(gate()[0].words.find("gives no less"), std::string::npos);
  // A trouble of another kind is not covered by that reason.
  ClipWords clips;
  clips[take().slate] = {"c", {{"drift", "light changes"}}, true};
  bool redo = false;
  for (const auto& item : gateOf(recipe_, plan_, {}, log(), clips).items)
    redo = redo || (item.slate == take().slate && item.kind == GateKind::Redo && item.code == "clip drift");
  EXPECT_TRUE(redo);
  read("key", take().settings.light.value() * 2);
  EXPECT_EQ(gate()[0].kind, GateKind::Doubt) << "read anew, it is asked anew";
}

TEST_F(AsShot, ABaseNeverMeteredIsListed) {
  say("done");
  ASSERT_EQ(gate().size(), 1U);
  EXPECT_EQ(gate()[0].code, "unmetered");
  read("key", take().settings.light.value());
  EXPECT_TRUE(gate().empty());
}

TEST_F(AsShot, TwoMetersAreToldApart) {
  say("instrument", {{"name", "A"}, {"offset_stops", 0}}, "");
  say("instrument", {{"name", "B"}, {"offset_stops", 0}}, "");
  EXPECT_EQ(log().instrument, "B") << "the one named last is in the hand";
  const double light = take().settings.light.value();
  read("key", light, "A");
  read("key", light * std::exp2(0.4), "B");
  const auto c = judged().at("contradiction key");
  EXPECT_NE(c.words.find("A says"), std::string::npos) << c.words;
  // B is known to read 0.4 too bright: now both agree.
  say("instrument", {{"name", "B"}, {"offset_stops", 0.4}}, "");
  EXPECT_EQ(judged().count("contradiction key"), 0U);
}

TEST_F(AsShot, LevelsOfFacesAndWhite) {
  // ACEScct (S-2016-001): code = (log2(x) + 9.72) / 17.52 above 0.0078125; a face a stop over grey.
  const auto code = [](double stops) { return 100 * (std::log2(0.18 * std::exp2(stops)) + 9.72) / 17.52; };
  const auto level = [&](const char* position, double percent) {
    say("level", {{"position", position}, {"value", percent}, {"scale", "legal-percent"}});
  };
  EXPECT_NE(promptFor(recipe_, plan_, {}, {}, at_).level.find("face: First head"), std::string::npos);
  level("face: First head", code(1));
  EXPECT_EQ(judged().at("level face: First head").standing, Standing::Pass);
  level("white", code(1.3));
  EXPECT_NEAR(judged().at("level white").off, 1.3 - 2.3, 0.02);
  EXPECT_EQ(judged().at("level white").standing, Standing::Fail);
}

// A right reading of raw failed: raw codes run from 0 to the clip, not from 64 to 940.
TEST(RawLevels, AreReadInFullRange) {
  json j = test::plainRecipe();
  j["bodies"][0]["modes"][0]["kind"] = "raw";
  j["bodies"][0]["modes"][0]["name"] = "raw";
  j["bodies"][0]["circuits"][0]["headroom_stops"] = 6;
  Recipe r;
  const Plan p = test::planOf(j, r);
  size_t at = 0;
  while (p.takes[at].role != TakeRole::Base) ++at;
  // Grey lies six stops under the clip: 1/64 of full scale, ten-bit code 16.
  const auto level = [&](double value, const char* scale) {
    const auto judged =
        judgeReadings(r, p, {},
                      foldLog({{1,
                                "2026-11-25T10:00:00.000Z",
                                p.takes[at].slate,
                                "level",
                                {{"position", "grey card"}, {"value", value}, {"scale", scale}}}}),
                      at);
    EXPECT_EQ(judged.size(), 1U);
    return judged[0].standing;
  };
  EXPECT_EQ(level(100 / 64.0, "full-percent"), Standing::Pass);
  EXPECT_EQ(level(1023 / 64.0, "code"), Standing::Pass);
  EXPECT_EQ(level(2 * 1023 / 64.0, "code"), Standing::Fail);
}

// Wedge: nothing of the bench's scales, but what its first step must do.
TEST(WedgePrompt, SaysWhereTheFirstStepMustLie) {
  json j = test::plainRecipe();
  j["bodies"][0]["circuits"][0]["headroom_stops"] = 6;
  j["charts"] = {{{"name", "Wedge"}, {"kind", "wedge"}, {"first_step_cd_m2", 4000}}};
  j["tests"] = {{{"kind", "wedge"}, {"first_step_over_clip", 0.5}}};
  Recipe r;
  const Plan p = test::planOf(j, r);
  size_t wedge = 0, black = 0;
  for (size_t i = 0; i < p.takes.size(); ++i) (p.takes[i].role == TakeRole::Wedge ? wedge : black) = i;
  const Prompt says = promptFor(r, p, {}, {}, wedge);
  EXPECT_FALSE(says.onScales) << "label and grey mean nothing on a wedge";
  EXPECT_NE(says.meter.find("4000 cd/m"), std::string::npos) << says.meter;
  EXPECT_NE(says.meter.find("it clips by 0.5"), std::string::npos) << says.meter;
  EXPECT_NE(promptFor(r, p, {}, {}, black).meter.find("cap on"), std::string::npos);
  // ISO 2720: a spot meter calls L = K N^2 / (t S) correct; grey clips 6 stops over it.
  const TakeSettings& s = p.takes[wedge].settings;
  const double clip = reflectedLuminance(s.aperture, s.shutter, s.iso) * std::pow(10, s.nd.value()) * 64;
  const auto read = [&](double cdM2) {
    const auto judged = judgeReadings(r, p, {},
                                      foldLog({{1,
                                                "2026-11-25T10:00:00.000Z",
                                                p.takes[wedge].slate,
                                                "reading",
                                                {{"position", "first step"},
                                                 {"text", std::to_string(cdM2) + " cd/m2"},
                                                 {"spot", true},
                                                 {"instrument", "meter"}}}}),
                                      wedge);
    return judged.empty() ? Standing::Doubt : judged[0].standing;
  };
  EXPECT_EQ(read(clip * std::exp2(0.5)), Standing::Pass);
  EXPECT_EQ(read(clip * std::exp2(-0.3)), Standing::Fail) << "a first step that does not clip finds no clip";
  EXPECT_EQ(read(clip * std::exp2(2.5)), Standing::Doubt);
}

// A base set by a face names the face: its luminance is that of an 18 % card in this light (L = 0.18 E / pi),
// times the stops it lies over grey.
TEST(BaseSchool, NamesWhatIsRead) {
  json j = test::plainRecipe();
  j["base"]["school"] = "forehead";
  Recipe r;
  const Plan p = test::planOf(j, r);
  size_t at = 0;
  while (p.takes[at].role != TakeRole::Base) ++at;
  const double luminance = 0.18 * p.takes[at].settings.light.value() / 3.14159265 * 2;
  const std::string meter = promptFor(r, p, {}, {}, at).meter;
  EXPECT_EQ(meter.rfind(fmt::format("forehead of first head {:.3g} cd/m", luminance), 0), 0U) << meter;
  j["base"]["school"] = "grey card";
  const Plan plain = test::planOf(j, r);
  EXPECT_EQ(promptFor(r, plain, {}, {}, at).meter.find("forehead"), std::string::npos);
}

TEST_F(AsShot, WhoWritesIsKeptWithEveryEntry) {
  say("note", {{"text", "x"}});
  say("who", {{"name", "Ada"}}, "");
  say("done");
  say("who", {{"name", "Ben"}}, "");
  EXPECT_EQ(log().authors, (std::vector<std::string>{"", "Ada", "Ada", "Ben"}));
  EXPECT_EQ(log().of(take().slate).doneBy, "Ada");
  EXPECT_NE(logCsv(entries_).find(",Ada,"), std::string::npos);
}

// The clip of a take that was knowingly shot a stop over is right where it measures so.
TEST_F(AsShot, TheLinkExpectsWhatWasLogged) {
  say("done", {{"settings", "T" + std::to_string(take().settings.aperture.value() / std::sqrt(2.0))}});
  ClipFacts f;
  f.path = "/cards/" + take().slate + ".mkv";
  f.measured = take().plannedStops + 1;
  auto m = matchClips(recipe_, plan_, log(), "5A17A1", {f});
  ASSERT_TRUE(m.links[0].take);
  EXPECT_NEAR(m.links[0].expected, take().plannedStops + 1, 0.02);
  checkExposures(plan_, {f}, m);
  EXPECT_TRUE(m.links[0].trouble.empty()) << m.links[0].trouble;
  m = matchClips(recipe_, plan_, {}, "5A17A1", {f});
  checkExposures(plan_, {f}, m);
  EXPECT_NE(m.links[0].trouble.find("measured"), std::string::npos) << "unlogged, it is trouble";
}

TEST_F(AsShot, SettingsInTheFileAreHeldAgainstThePlan) {
  ClipFacts f;
  f.path = "/cards/" + take().slate + ".mkv";
  f.fNumber = take().settings.aperture.value() / 2;
  EXPECT_NE(matchClips(recipe_, plan_, {}, "5A17A1", {f}).links[0].trouble.find("iris"), std::string::npos);
  say("done", {{"settings", "T" + std::to_string(*f.fNumber)}});
  EXPECT_TRUE(matchClips(recipe_, plan_, log(), "5A17A1", {f}).links[0].trouble.empty());
  f.fNumber = take().settings.aperture.value(), f.shutterSeconds = take().settings.shutter.value() / 2;
  EXPECT_NE(matchClips(recipe_, plan_, {}, "5A17A1", {f}).links[0].trouble.find("1/"), std::string::npos);
}

}  // namespace
}  // namespace edge
