// The comparability key: complete, kept with the base's clip, and used where results stand beside each other.
#include <gtest/gtest.h>

#include "plan/recipes.h"
#include "plan/run_list.h"
#include "report/protocols.h"

namespace edge {
namespace {

using nlohmann::json;

Protocol protocolFor(const std::function<void(json&)>& change) {
  json j = test::plainRecipe();
  change(j);
  return protocolOf(recipeFromJson(j, "test.json"));
}

Finding shotBy(const Protocol& p) {
  Finding f;
  f.configuration.clips.emplace_back();
  f.configuration.clips[0].kind = ClipKind::Base;
  f.configuration.clips[0].link = {{"by", "slate"}, {"protocol", toJson(p)}};
  f.latitude.emplace();
  return f;
}

int marks(const Finding& f) {
  int n = 0;
  for (const auto& w : f.latitude->warnings) n += w.code == "other-protocol";
  return n;
}

TEST(Protocols, TheKeyHoldsAllThatMovesAnEdgeAndNoMore) {
  const std::string plain = protocolFor([](json&) {}).key;
  const std::pair<const char*, std::function<void(json&)>> matters[] = {
      {"base", [](json& j) { j["base"]["school"] = "forehead"; }},
      {"lens", [](json& j) { j["lenses"][0]["name"] = "another"; }},
      {"light", [](json& j) { j["lamps"][0]["kelvin"] = 3200; }},
      {"controls", [](json& j) { j["tests"][0]["controls"] = {"iris"}; }},
      {"recovery", [](json& j) { j["protocol"]["recovery"] = "best grade"; }},
      {"criteria", [](json& j) { j["protocol"]["criteria"] = "web"; }}};
  for (const auto& [what, change] : matters) EXPECT_NE(protocolFor(change).key, plain) << what;
  EXPECT_EQ(protocolFor([](json& j) { j["tests"][0]["step"] = 0.5; }).key, plain)
      << "how finely is no matter";
  EXPECT_EQ(protocolFor([](json& j) { j["media"] = {{{"name", "x"}, {"gigabytes", 1}}}; }).key, plain);
}

TEST(Protocols, WhatWasShotOtherwiseSaysSo) {
  const Protocol usual = protocolFor([](json&) {}),
                 other = protocolFor([](json&j) { j["base"]["school"] = "forehead"; });
  std::vector<Finding> findings = {shotBy(usual), shotBy(other), shotBy(usual)};
  EXPECT_EQ(protocolOf(findings[1].configuration)->key, other.key) << "as it was kept";
  for (int again = 0; again < 2; ++again) {
    markProtocols(findings);
    EXPECT_EQ(marks(findings[0]), 0);
    EXPECT_EQ(marks(findings[1]), 1) << "once, however often it is looked at";
    EXPECT_EQ(marks(findings[2]), 0);
  }
  EXPECT_NE(findings[1].latitude->warnings.back().message.find("forehead"), std::string::npos)
      << findings[1].latitude->warnings.back().message;
  findings[1] = shotBy(usual);
  markProtocols(findings);
  EXPECT_EQ(marks(findings[1]), 0);
  // Damaged or absent notes mark nothing.
  findings[1].configuration.clips[0].link["protocol"] = {{"version", "x"}};
  findings[2].configuration.clips[0].link = nullptr;
  markProtocols(findings);
  for (const auto& f : findings) EXPECT_EQ(marks(f), 0);
}

}  // namespace
}  // namespace edge
