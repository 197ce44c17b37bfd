// The commands of noise on series files from outside: keys of docs/edge-test-cli.1, errors with remedy;
// and what the project keeps of them, read back.
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "noise/plain_series.h"
#include "noise/store.h"

namespace edge {
namespace {

using namespace test;
using nlohmann::json;

class NoiseCommands : public ::testing::Test {
 protected:
  NoiseCommands() {
    writeLogCurve(folder_ / "log.json");
    std::ofstream(folder_ / "chart.json") << toJson(row_.chart()).dump();
  }
  // A series file of takes {name, ISO, light}; further keys of a take from `also`.
  fs::path series(const std::string& kind, const json& takes, const json& also = json::object()) {
    json j = {{"format", "edge-test-series"},      {"version", 1},          {"kind", kind},
              {"decode", {{"curve", "log.json"}}}, {"chart", "chart.json"}, {"takes", takes}};
    j.update(also);
    const fs::path file = folder_ / "series.json";
    std::ofstream(file) << j.dump();
    return file;
  }
  void shoot(const std::string& name, double iso, double stops, double read) {
    row_.shoot(folder_ / (name + ".mkv"), iso / 100, stops, read, random_, lossless(10, Sampling::Full444));
  }
  static json run(const std::string& arguments, int exit = 0) {
    const auto r = runCli(arguments + " --quiet");
    EXPECT_EQ(r.exit, exit) << r.err;
    return exit ? json(r.err) : json::parse(r.out);
  }
  TempFolder folder_;
  GreyRow row_{[] {
    PlainCamera c;
    c.well = 1 << 18;
    c.frames = 8;
    return c;
  }()};
  std::mt19937_64 random_{81};
};

TEST_F(NoiseCommands, ALadderAndAPairHaveTheirKeys) {
  shoot("a", 400, 0, 3);
  shoot("b", 1600, 0, 3);
  const json takes = {{{"name", "a"}, {"clip", "a.mkv"}, {"stops", 0}, {"iso", 400}},
                      {{"name", "b"}, {"clip", "b.mkv"}, {"stops", -2}, {"iso", 1600}, {"native", true}}};
  const json ladder = run("noise " + series("iso-ladder", takes).string());
  EXPECT_EQ(ladder["schema"], "edge-test/noise/1");
  ASSERT_EQ(ladder["takes"].size(), 2U);
  const json& zone = ladder["takes"][1]["zones"][0];
  EXPECT_EQ(zone["zone"], "shadow");
  EXPECT_NEAR(zone["stops"], -3, 1e-9);
  for (const char* key :
       {"snr", "luma", "chroma", "temporal", "fixed", "row", "column", "grain_px", "hue", "sigma"})
    EXPECT_TRUE(zone.contains(key)) << key;
  EXPECT_NEAR(zone["grain_px"], 1, 0.15) << "white noise";
  EXPECT_TRUE(ladder["takes"][0]["floor_below_grey"].contains("snr2"));
  EXPECT_EQ(ladder["raster"]["width"], GreyRow::kSide * GreyRow::kCount);
  EXPECT_FALSE(ladder["crossings"].empty());
  const json pair = run("noise " + series("pair", takes).string());
  EXPECT_TRUE(pair["pair"]["by_construction"].is_boolean());
  EXPECT_TRUE(pair["pair"]["difference_stops"].is_number());
}

TEST_F(NoiseCommands, ASeriesOfAnotherKindIsRefusedWithARemedy) {
  shoot("a", 400, 0, 3);
  const json takes = {{{"name", "a"}, {"clip", "a.mkv"}, {"stops", 0}, {"iso", 400}}};
  const fs::path file = series("iso-ladder", takes);
  for (const char* command : {"iso-sweep ", "infrared "}) {
    const std::string said = run(command + file.string(), 1);
    EXPECT_NE(said.find("error: "), std::string::npos);
    EXPECT_NE(said.find("iso-ladder"), std::string::npos) << said;
  }
  run("readout " + (folder_ / "a.mkv").string(), 2);
  const json none = run("readout " + (folder_ / "a.mkv").string() + " --strobe 300 --curve " +
                        (folder_ / "log.json").string());
  EXPECT_TRUE(none["readout_ms"].is_null());
  EXPECT_EQ(none["warnings"][0]["code"], "no-bars");
}

TEST_F(NoiseCommands, WhatIsStoredIsReadBack) {
  shoot("a", 400, 0, 3);
  shoot("b", 1600, 0, 3);
  Series s = row_.series(folder_.path(), "iso-ladder");
  s.takes = {takeAt("a", folder_ / "a.mkv", 0, 400), takeAt("b", folder_ / "b.mkv", -2, 1600)};
  const json ladder = toJson(measureLadder(s, Progress()));
  EXPECT_EQ(toJson(ladderFromJson(ladder)), ladder);
  s.kind = "iso-sweep";
  const json sweep = toJson(measureSweep(s, Progress()));
  EXPECT_EQ(toJson(sweepFromJson(sweep)), sweep);
  const RowTraces rows{24, 4, 2, {{0.1, 0.2}, {0.2, 0.1}}};
  EXPECT_EQ(toJson(tracesFromJson(toJson(rows))), toJson(rows));
  Readout bars;
  bars.rowsPerPeriod = 12.5;
  bars.milliseconds = 9;
  bars.direction = ReadoutDirection::BottomToTop;
  bars.phases = {0.1, 0.2};
  bars.warnings = {{"no-bars", "none", ""}};
  EXPECT_EQ(toJson(readoutFromJson(toJson(bars))), toJson(bars));
  const InfraredMeasure leak{"black", "white", "bt709", {{"nd0", 0, 0, 0, 0, 0, 0, 0, false}}};
  EXPECT_EQ(toJson(infraredFromJson(toJson(leak))), toJson(leak));
  json broken = ladder;
  broken["takes"][0]["zones"][0]["zone"] = 7;
  EXPECT_THROW((void)ladderFromJson(broken), json::exception);
}

}  // namespace
}  // namespace edge
