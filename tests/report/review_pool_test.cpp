// What is looked at in Review, and by what it is known again: a sealed session refers to pictures by their
// keys, and stores of pictures find them by these.
#include "report/review_pool.h"

#include <gtest/gtest.h>

#include <functional>

namespace edge {
namespace {

Finding bracket() {
  Finding f;
  Configuration& c = f.configuration;
  c.body = "Tarn M1";
  c.mode = "log";
  c.iso = 800;
  c.decode.curve = "acescct";
  ClipRecord base, take;
  base.kind = ClipKind::Base, base.name = "base", base.path = "clips/base.mkv", base.hash = "00";
  take.kind = ClipKind::Take, take.name = "-2", take.path = "clips/under.mkv", take.hash = "01";
  take.plannedStops = -2;
  c.clips = {base, take};
  return f;
}

std::vector<std::string> keysOf(const Finding& f, const char* folder = "/shoot") {
  std::vector<std::string> keys;
  for (const auto& s : shownOf({f}, {}, folder)) keys.push_back(s.key);
  return keys;
}

TEST(ReviewPool, TheSamePicturesHaveTheSameKeysWhereverTheyLie) {
  EXPECT_EQ(keysOf(bracket()).size(), 2U);
  EXPECT_EQ(keysOf(bracket()), keysOf(bracket(), "/elsewhere"));
  Finding renamed = bracket();
  renamed.configuration.light = "tungsten";
  EXPECT_EQ(keysOf(renamed), keysOf(bracket()));
}

TEST(ReviewPool, WhatChangesAPictureChangesItsKey) {
  const auto were = keysOf(bracket());
  const std::pair<const char*, std::function<void(Configuration&)>> changes[] = {
      {"curve", [](auto& c) { c.decode.curve = "linear"; }},
      {"range", [](auto& c) { c.decode.range = Range::Full; }},
      {"matrix", [](auto& c) { c.decode.matrix = Primaries::Bt2020; }},
      {"primaries", [](auto& c) { c.decode.primaries = Primaries::Bt2020; }},
      {"display", [](auto& c) { c.display = "bt709"; }},
      {"the base that takes are developed like", [](auto& c) { c.clips[0].hash = "02"; }}};
  for (const auto& [what, change] : changes) {
    Finding f = bracket();
    change(f.configuration);
    const auto keys = keysOf(f);
    ASSERT_EQ(keys.size(), were.size());
    for (size_t i = 0; i < keys.size(); ++i) EXPECT_NE(keys[i], were[i]) << what;
  }
}

}  // namespace
}  // namespace edge
