// Guided checks measure nothing: what a person saw, and a file of it, is kept, asked for before striking, and
// asked for again after a redo.
#include <gtest/gtest.h>

#include "plan/recipes.h"
#include "shoot/gate.h"

namespace edge {
namespace {

using nlohmann::json;

struct Set {
  Recipe recipe;
  Plan plan;
  std::string slate;  // of the check
  std::vector<LogEntry> log;

  Set() {
    json j = test::plainRecipe();
    j["tests"] = {{{"kind", "check"}, {"what", "focus to the corners"}}};
    plan = test::planOf(j, recipe);
    for (const auto& t : plan.takes)
      if (t.role == TakeRole::Check) slate = t.slate;
  }
  void add(const std::string& kind, const json& value) {
    log.push_back(
        {static_cast<std::int64_t>(log.size()) + 1, "2026-11-25T10:00:00.000Z", slate, kind, value});
  }
  [[nodiscard]] Gate gate() const { return gateOf(recipe, plan, {}, foldLog(log), {}); }
};

TEST(Evidence, IsAskedForBeforeTheSetIsStruck) {
  Set s;
  ASSERT_FALSE(s.slate.empty());
  s.add("done", {{"settings", nullptr}});
  ASSERT_EQ(s.gate().items.size(), 1U);
  EXPECT_EQ(s.gate().items[0].words, "nothing was noted of this check");
  EXPECT_FALSE(s.gate().safe);
  s.add("evidence", {{"holds", false}, {"text", "soft on the left"}, {"file", ""}});
  EXPECT_EQ(s.gate().items[0].words, "it fails: soft on the left");
  // A failing check may stay with a reason, as a failing reading may.
  Set stays = s;
  stays.add("stays", {{"codes", {s.gate().items[0].code}}, {"reason", "known of this lens"}});
  EXPECT_TRUE(stays.gate().safe);
  s.add("evidence", {{"holds", true}, {"text", "sharp"}, {"file", "/evidence/corner.jpg"}});
  EXPECT_TRUE(s.gate().safe) << "the last word counts";
  EXPECT_EQ(foldLog(s.log).of(s.slate).evidence->file, "/evidence/corner.jpg");
  EXPECT_EQ(logWords(s.log.back()), "sharp /evidence/corner.jpg");
  s.add("redo", {{"reason", "lens changed"}});
  s.add("done", {{"settings", nullptr}});
  EXPECT_EQ(s.gate().items[0].words, "nothing was noted of this check");
}

TEST(Evidence, ThatMakesNoSenseIsKeptAndSaid) {
  Set s;
  s.add("evidence", {{"holds", "perhaps"}});
  EXPECT_EQ(foldLog(s.log).unreadable.size(), 1U);
}

}  // namespace
}  // namespace edge
