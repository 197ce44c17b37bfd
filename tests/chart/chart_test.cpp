#include "chart/chart.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "simulate/random.h"
#include "simulate/scene.h"
#include "support/support.h"

using nlohmann::json;

namespace edge {
namespace {

TEST(Chart, SurvivesBeingWrittenAndRead) {
  const test::TempFolder folder;
  for (const Chart& c : {wedgeChart({0, -1.02, -1.98}, 1280, 720), benchChart(1280, 720)}) {
    test::writeText(folder / "c.json", toJson(c).dump());
    const Chart back = readChart(folder / "c.json");
    EXPECT_EQ(toJson(back), toJson(c));
    EXPECT_EQ(back.grey, c.grey);
  }
}

TEST(Chart, DefaultsAreThoseOfTheContract) {
  const json j = {
      {"format", "edge-test-chart"},
      {"version", 1},
      {"reference", {{"width", 100}, {"height", 100}}},
      {"patches", {{{"name", "a"}, {"corners", {{1, 1}, {50, 1}, {50, 50}, {1, 50}}}, {"stops", -1}}}}};
  const Chart c = chartFromJson(j, "x");
  EXPECT_EQ(c.kind, "wedge");
  EXPECT_DOUBLE_EQ(c.patches[0].stopsSigma, 0.02);
  json own = j;
  own["stops_sigma"] = 0.05;
  EXPECT_DOUBLE_EQ(chartFromJson(own, "x").patches[0].stopsSigma, 0.05);
  own["patches"][0]["stops_sigma"] = 0.3;
  EXPECT_DOUBLE_EQ(chartFromJson(own, "x").patches[0].stopsSigma, 0.3);
}

TEST(Chart, ContradictionsAreRefused) {
  const json good = toJson(wedgeChart({0, -1}, 640, 360));
  const auto refused = [&](const std::function<void(json&)>& spoil) {
    json j = good;
    spoil(j);
    EXPECT_THROW((void)chartFromJson(j, "c.json"), Error) << j.dump();
  };
  refused([](json& j) { j["kind"] = "banana"; });
  refused([](json& j) { j["kind"] = 7; });
  refused([](json& j) { j["patches"][1]["name"] = "1"; });
  refused([](json& j) { j["patches"][1].erase("stops"); });
  refused([](json& j) { j["patches"][1].erase("corners"); });
  refused([](json& j) { j["patches"] = "none"; });
  refused([](json& j) { j["reference"]["width"] = -3; });
  refused([](json& j) { j["reference"].erase("height"); });
  refused([](json& j) { j["stops_sigma"] = -0.1; });
  refused([](json& j) { j["grey"] = "no such patch"; });
  refused([](json& j) { j["patches"][0]["corners"][2] = {1e9, 2}; });
  refused([](json& j) { j["patches"][0]["corners"][2] = {nullptr, 2}; });
}

// Random damage to a chart file: an error of ours or a chart, never anything else.
TEST(Chart, RandomDamageNeverCrashes) {
  const test::TempFolder folder;
  const std::string good = toJson(wedgeChart({0, -1, -2}, 640, 360)).dump();
  RandomStream random(5);
  int refused = 0;
  for (int i = 0; i < 400; ++i) {
    std::string text = good;
    for (int k = 0; k < 3; ++k) text[random.next() % text.size()] = static_cast<char>(random.next() % 128);
    test::writeText(folder / "c.json", text);
    try {
      (void)readChart(folder / "c.json");
    } catch (const Error&) {
      ++refused;
    }
  }
  EXPECT_GT(refused, 100);
}

TEST(Scene, BenchHasItsPatchesWhereTheChartSays) {
  const Chart c = benchChart(640, 360);
  const SceneImage s = renderBench(640, 360);
  for (const auto& p : c.patches) {
    if (!p.stops) continue;
    const Rect r = innerRect(p.corners, 0.1, 1, 1000);
    const float* v = s.at(r.x + r.width / 2, r.y + r.height / 2);
    EXPECT_NEAR(std::log2(v[1] / 0.18), *p.stops, 1e-4) << p.name;
    EXPECT_FLOAT_EQ(v[0], v[2]);
  }
  int heads = 0;
  for (const auto& r : benchRegions(640, 360)) heads += r.role == "skin";
  EXPECT_GE(heads, 2);
}

}  // namespace
}  // namespace edge
