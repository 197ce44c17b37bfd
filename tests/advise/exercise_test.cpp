// Exercises are fair: every answer stands well away from an edge, and the same seed is the same scene.
#include "advise/exercise.h"

#include <gtest/gtest.h>

#include <set>

namespace edge {
namespace {

Reach rope() {
  const auto at = [](double stops) { return Limit{stops, 0.1, false}; };
  Reach r;
  r.id = 1, r.label = "A", r.iso = 800;
  r.cleanUnder = at(-4), r.lostUnder = at(-6), r.cleanOver = at(3.5), r.lostOver = at(5), r.clip = at(6);
  return r;
}

TEST(Exercise, ToneStandWellInsideTheirState) {
  std::set<Held> states;
  for (std::uint64_t seed = 0; seed < 300; ++seed) {
    const auto e = exerciseFor(rope(), seed);
    ASSERT_TRUE(e);
    ASSERT_EQ(e->truth.size(), kExerciseTones);
    std::set<Held> here;
    std::set<std::string> names;
    for (size_t i = 0; i < e->truth.size(); ++i) {
      const double s = e->scene.readings[i].stops;
      // By the numbers above, not by the code that drew it.
      const Held truth = s > 6               ? Held::Clips
                         : s > 5 || s < -6   ? Held::Lost
                         : s > 3.5 || s < -4 ? Held::Cleanable
                                             : Held::Holds;
      EXPECT_EQ(*e->truth[i].state, truth) << s;
      for (const double edge : {-6.0, -4.0, 3.5, 5.0, 6.0}) EXPECT_GT(std::abs(s - edge), 0.3 - 1e-9) << s;
      here.insert(truth), names.insert(e->scene.readings[i].name);
    }
    EXPECT_GE(here.size(), 2U) << "one answer for all is no exercise";
    EXPECT_EQ(names.size(), kExerciseTones);
    states.insert(here.begin(), here.end());
  }
  EXPECT_EQ(states.size(), static_cast<size_t>(kHeld));
  EXPECT_EQ(exerciseFor(rope(), 7)->scene.readings[0].stops, exerciseFor(rope(), 7)->scene.readings[0].stops);
  EXPECT_FALSE(exerciseFor(Reach(), 1)) << "nothing is known of it";
}

TEST(Exercise, WhatIsNotGuessedIsWrong) {
  const auto e = exerciseFor(rope(), 3);
  EXPECT_EQ(scoreOf(*e, {}).right, 0);
  EXPECT_EQ(scoreOf(*e, {}).of, 4);
  std::vector<std::optional<Held>> all;
  for (const auto& p : e->truth) all.push_back(p.state);
  EXPECT_EQ(scoreOf(*e, all).right, 4);
}

}  // namespace
}  // namespace edge
