// The command line as it is checked from outside (docs/edge-test-cli.1): keys, exit codes, one-line errors,
// no partial files.
#include <gtest/gtest.h>

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <thread>

#include "base/files.h"
#include "project/project.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

using test::runCli;
using test::TempFolder;
using test::writeText;

json result(const std::string& arguments) {
  const auto r = runCli(arguments);
  EXPECT_EQ(r.exit, 0) << arguments << "\n" << r.err;
  EXPECT_EQ(r.err, "") << "nothing but the result is said when all is well";
  return json::parse(r.out, nullptr, false);
}

void expectError(const std::string& arguments, int exit, const std::string& part) {
  const auto r = runCli(arguments);
  EXPECT_EQ(r.exit, exit) << arguments << "\n" << r.out << r.err;
  EXPECT_EQ(r.out, "") << arguments;
  if (exit == 1) {
    EXPECT_EQ(r.err.rfind("error: ", 0), 0U) << r.err;
    EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << r.err;
  }
  EXPECT_NE(r.err.find(part), std::string::npos) << r.err;
}

TEST(Cli, StopsGivesLightGainAndTotal) {
  const json j = result("stops 'T2.8 1/48 ISO800 ND0.6' 'T4 180deg@24 ISO400'");
  EXPECT_EQ(j["schema"], "edge-test/stops/1");
  EXPECT_NEAR(j["light_stops"].get<double>(), 0.993, 0.001);
  EXPECT_NEAR(j["gain_stops"].get<double>(), -1, 1e-9);
  EXPECT_NEAR(j["total_stops"].get<double>(), -0.007, 0.001);
  EXPECT_TRUE(j["warnings"].is_array());
  expectError("stops 'T2.8' 'purple'", 2, "purple");
  expectError("stops 'T2.8'", 2, "");
}

TEST(Cli, CurveGivesAllItsKeys) {
  const json j = result("curve acescct --code 0.5 0.4135884 --linear 0.18");
  EXPECT_NEAR(j["grey_code"].get<double>(), 0.4135884, 1e-6);
  EXPECT_NEAR(j["code_to_linear"][1]["linear"].get<double>(), 0.18, 1e-6);
  EXPECT_NEAR(j["linear_to_code"][0]["code"].get<double>(), 0.4135884, 1e-6);
  for (const char* key : {"white_code", "stops_above_grey", "stops_below_grey"})
    EXPECT_TRUE(j[key].is_number()) << key;
  expectError("curve nonsense", 1, "nonsense");
}

TEST(Cli, StopsWarnsWhereIsoAndShutterAddUp) {
  const json j = result("stops 'T4 1/48 ISO800' 'T4 1/24 ISO1600'");
  ASSERT_EQ(j["warnings"].size(), 1U);
  EXPECT_EQ(j["warnings"][0]["code"], "slower-for-higher-iso");
  EXPECT_TRUE(result("stops 'T4 1/48 ISO800' 'T4 1/96 ISO1600'")["warnings"].empty());
}

TEST(Cli, PlanGivesTakesProblemsTotalsAndFiles) {
  const TempFolder folder;
  const auto at = [&](const char* name) { return (folder / name).string(); };
  writeText(folder / "recipe.json", demoRecipeText());
  fs::create_directories(folder / "curves");
  const json j = result("plan " + at("recipe.json") + " --csv " + at("run.csv") + " --pdf " + at("run.pdf") +
                        " --json " + at("plan.json"));
  EXPECT_EQ(j["schema"], "edge-test/plan/1");
  EXPECT_EQ(j["totals"]["takes"], j["takes"].size());
  EXPECT_GT(j["totals"]["seconds"].get<double>(), 3600);
  EXPECT_GT(j["totals"]["bytes"].get<double>(), 1e9);
  EXPECT_TRUE(j["problems"].is_array());
  EXPECT_EQ(j["inputs"]["hash"].get<std::string>().size(), 32U);
  for (const auto& t : j["takes"])
    EXPECT_NEAR(t["light_stops"].get<double>(), t["planned_stops"].get<double>(), 0.01) << t["slate"];
  const std::string csv = readText(folder / "run.csv");
  EXPECT_EQ(static_cast<size_t>(std::count(csv.begin(), csv.end(), '\n')), j["takes"].size() + 1);
  EXPECT_EQ(readText(folder / "run.pdf").substr(0, 5), "%PDF-");
  EXPECT_EQ(json::parse(readText(folder / "plan.json"))["takes"], j["takes"]);
}

TEST(Cli, PlanRefusesWhatMakesNoSense) {
  const TempFolder folder;
  const auto at = [&](const char* name) { return (folder / name).string(); };
  expectError("plan " + at("none.json"), 1, "none.json");
  writeText(
      folder / "bad.json",
      R"({"format": "edge-test-recipe", "version": 1, "lenses": [{"name": "x", "widest": -2, "closest": 8}]})");
  expectError("plan " + at("bad.json") + " --csv " + at("run.csv"), 1, "lenses[0].widest");
  EXPECT_FALSE(fs::exists(folder / "run.csv"));
  json many = json::parse(demoRecipeText());
  for (auto& t : many["tests"])
    if (t["kind"] == "bracket") t["step"] = 0.01;
  for (int b = 0; b < 12; ++b) {
    many["bodies"].push_back(many["bodies"][0]);
    many["bodies"].back()["name"] = "body " + std::to_string(b);
  }
  writeText(folder / "many.json", many.dump());
  expectError("plan " + at("many.json"), 1, "takes");
}

class CliRange : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new TempFolder;
    sensor_ = {12000, 4};
    clip_ = test::writeWedge(folder_->path(), "exr", 32, sensor_, *makeCurve("linear").curve, 4, 16, 0.6);
  }
  static void TearDownTestSuite() {
    delete folder_;
    folder_ = nullptr;
  }
  static std::string arguments() { return clip_.clip.string() + " --chart " + clip_.chartFile.string(); }
  static inline TempFolder* folder_ = nullptr;
  static inline test::TextbookSensor sensor_;
  static inline test::WedgeClip clip_;
};

TEST_F(CliRange, HasEveryKeyOfTheContract) {
  const json j = result("range " + arguments());
  for (const char* c : {"Y", "R", "G", "B"})
    for (const char* s : {"snr1", "snr2", "snr10"}) {
      const json& limit = j["dynamic_range"][c][s];
      EXPECT_TRUE(limit.contains("stops") || limit.contains("at_least")) << c << s;
      EXPECT_TRUE(limit.contains("sigma"));
    }
  EXPECT_NEAR(j["dynamic_range"]["G"]["snr2"]["stops"].get<double>(), sensor_.trueRange(2), 0.1);
  EXPECT_TRUE(j["headline"]["stops"].is_number());
  EXPECT_TRUE(j["headline"]["label"].is_string());
  for (const char* c : {"R", "G", "B", "colour_complete"}) EXPECT_TRUE(j["upper"][c].is_number()) << c;
  for (const char* key : {"steps_visible", "split", "rebuilt", "patches", "noise_floor_below_grey", "inputs",
                          "warnings", "schema"})
    EXPECT_TRUE(j.contains(key)) << key;
  const json& patch = j["patches"][3];
  for (const char* key : {"name", "stops", "code", "linear", "snr", "noise", "state"})
    EXPECT_TRUE(patch.contains(key)) << key;
  EXPECT_EQ(j["patches"][0]["state"], "clipped");
  EXPECT_EQ(j["patches"][15]["state"], "lost");
  EXPECT_EQ(j["inputs"]["clip"]["hash"].get<std::string>().size(), 32U);
}

TEST_F(CliRange, NumbersDoNotDependOnThreads) {
  json one = result("range " + arguments() + " --threads 1"),
       many = result("range " + arguments() + " --threads 4");
  EXPECT_EQ(one, many);
}

TEST_F(CliRange, OutWritesAFileAndNothingElse) {
  const fs::path out = *folder_ / "r.json";
  const auto r = runCli("range " + arguments() + " --out " + out.string());
  EXPECT_EQ(r.exit, 0);
  EXPECT_EQ(r.out, "");
  EXPECT_TRUE(json::parse(readText(out)).contains("headline"));
  expectError("range " + arguments() + " --out /no/such/folder/r.json", 1, "folder does not exist");
}

TEST_F(CliRange, DiskFullIsSaidAndLeavesNoPartialFile) {
  if (!fs::exists("/dev/full")) GTEST_SKIP();
  const fs::path said = *folder_ / "said";
  const int status = std::system(
      (std::string(EDGE_CLI) + " range " + arguments() + " >/dev/full 2>" + said.string()).c_str());
  EXPECT_NE(status, 0);
  EXPECT_NE(readText(said).find("can't write the result"), std::string::npos);
}

TEST_F(CliRange, WordsOfTheCallAreChecked) {
  test::writeImage(*folder_ / "p.png", 640, 300, 3, std::vector<float>(640 * 300 * 3, 0.4F), 8);
  expectError("range " + (*folder_ / "p.png").string() + " --chart " + clip_.chartFile.string(), 2,
              "--curve");
  expectError("range " + arguments() + " --range odd", 2, "");
  expectError("range " + clip_.clip.string(), 2, "--chart");
  expectError("dance", 2, "");
  expectError("", 2, "");
  EXPECT_EQ(runCli("range --help").exit, 0);
  EXPECT_EQ(runCli("--help").exit, 0);
}

TEST_F(CliRange, BadChartsAreRefusedWithThePatch) {
  const auto chart = [&](const std::string& text) {
    writeText(*folder_ / "bad.json", text);
    return "range " + clip_.clip.string() + " --chart " + (*folder_ / "bad.json").string();
  };
  const std::string head =
      R"({"format":"edge-test-chart","version":1,"kind":"wedge","reference":{"width":640,"height":300},"patches":[)";
  const auto patch = [](const char* corners, const char* stops) {
    return fmt::format(R"({{"name":"7","corners":{},"stops":{}}})", corners, stops);
  };
  expectError(chart("{"), 1, "line 1, column 2");
  expectError(chart("{}"), 1, "no edge-test-chart");
  expectError(chart(R"({"format":"edge-test-chart","version":9})"), 1, "version 1");
  expectError(chart(head + "]}"), 1, "no patches");
  expectError(chart(head + patch("[[600,10],[700,10],[700,90],[600,90]]", "0") + "]}"), 1, "patch 7");
  expectError(chart(head + patch("[[10,10],[90,90],[90,10],[10,90]]", "0") + "]}"), 1, "convex");
  expectError(chart(head + patch("[[10,10],[90,10],[90,90]]", "0") + "]}"), 1, "four corners");
  expectError(chart(head + patch("[[10,10],[90,10],[90,90],[10,90]]", "1e300") + "]}"), 1, "outside");
  expectError(chart(head + patch("[[10,10],[90,10],[90,90],[10,90]]", "\"x\"") + "]}"), 1, "number");
  expectError(chart(head + patch("[[10,10],[14,10],[14,14],[10,14]]", "0") + "]}"), 1, "too small");
  expectError(chart(std::string(200, '[')), 1, "nested too deeply");
}

TEST_F(CliRange, BadClipsAreRefusedInOneLine) {
  const auto range = [&](const fs::path& clip) {
    return "range " + clip.string() + " --curve linear --chart " + clip_.chartFile.string();
  };
  expectError(range(*folder_ / "none"), 1, "no such file");
  writeText(*folder_ / "empty.exr", "");
  expectError(range(*folder_ / "empty.exr"), 1, "empty");
  std::vector<float> nan(640 * 300 * 3, std::nanf(""));
  test::writeImage(*folder_ / "nan.exr", 640, 300, 3, nan, 32);
  expectError(range(*folder_ / "nan.exr"), 1, "not a finite number");
  test::writeImage(*folder_ / "two.exr", 640, 300, 2, std::vector<float>(640 * 300 * 2, 0.1F), 32);
  expectError(range(*folder_ / "two.exr"), 1, "2 channels");
}

// A slate in one frame of eight stood there as noise that was filtered and removed.
TEST_F(CliRange, ASlateThatWasMeasuredIsSaidWithTheWindowToAskFor) {
  const TempFolder folder;
  const auto clip =
      test::writeWedge(folder.path(), "exr", 32, sensor_, *makeCurve("linear").curve, 8, 16, 0.6);
  const std::string call = "range " + clip.clip.string() + " --chart " + clip.chartFile.string();
  const auto unsteady = [](const json& j) {
    return std::any_of(j["warnings"].begin(), j["warnings"].end(),
                       [](const json& w) { return w["code"] == "unsteady"; });
  };
  EXPECT_FALSE(unsteady(result(call)));
  const json about = result("probe " + clip.clip.string());
  const int width = about["width"], height = about["height"];
  std::vector<float> slate(static_cast<size_t>(width) * static_cast<size_t>(height) * 3, 0.6F);
  std::fill(slate.begin(), slate.begin() + static_cast<std::ptrdiff_t>(slate.size() / 2), 0.05F);
  fs::path first;
  for (const auto& f : fs::recursive_directory_iterator(folder.path()))
    if (f.path().extension() == ".exr" && (first.empty() || f.path() < first)) first = f.path();
  test::writeImage(first, width, height, 3, slate, 32);
  const json with = result(call);
  ASSERT_TRUE(unsteady(with));
  const std::string words = with["warnings"][0]["message"];
  EXPECT_NE(words.find("1 of 8: "), std::string::npos) << words;
  EXPECT_NE(words.find("--first 1"), std::string::npos) << words;
  const json without = result(call + " --first 1");
  EXPECT_FALSE(unsteady(without));
  EXPECT_NEAR(without["dynamic_range"]["G"]["snr2"]["stops"].get<double>(), sensor_.trueRange(2), 0.1);
}

TEST(Cli, ProbeDescribesAClip) {
  const TempFolder folder;
  for (int n = 0; n < 3; ++n)
    test::writeImage(folder / fmt::format("a.{:03d}.dpx", n), 32, 16, 3,
                     std::vector<float>(32 * 16 * 3, 0.5F), 10);
  const json j = result("probe " + folder.path().string());
  EXPECT_EQ(j["kind"], "sequence");
  EXPECT_EQ(j["width"], 32);
  EXPECT_EQ(j["frames"], 3);
  EXPECT_EQ(j["bit_depth"], 10);
  for (const char* key : {"height", "fps", "pixel_format", "range", "cfa", "metadata"})
    EXPECT_TRUE(j.contains(key)) << key;
}

// States and margins worked out anew from the edges the report prints (the rules of the command-line
// contract).
void expectSceneAgrees(const std::string& project, const json& report, const TempFolder& folder) {
  writeFileAtomically(folder / "scene.json", R"({"format": "edge-test-readings", "version": 1,
    "exposure": {"iso": 800, "shutter": "1/48", "t": 2.8},
    "readings": [{"name": "window", "stops": 4.5}, {"name": "wall", "lux": 240}, {"name": "corner", "cd_m2": 0.375},
                 {"name": "face", "stops": 1}, {"name": "sun", "stops": 9}]})");
  const json scene = result("scene " + project + " --readings " + (folder / "scene.json").string());
  EXPECT_EQ(scene["schema"], "edge-test/scene/1");
  ASSERT_EQ(scene["configurations"].size(), report["configurations"].size());
  const double stops[] = {4.5, 1, -4, 1, 9};
  int compared = 0;
  for (size_t i = 0; i < scene["configurations"].size(); ++i) {
    const json &c = scene["configurations"][i], &r = report["configurations"][i];
    EXPECT_EQ(c["id"], r["id"]);
    EXPECT_NEAR(c["ei"].get<double>(), r["iso"].get<double>() / std::exp2(c["offset_stops"].get<double>()),
                1e-6);
    if (r["latitude"].is_null()) {
      EXPECT_TRUE(c["readings"][0]["state"].is_null());
      continue;
    }
    const json &clean = r["latitude"]["edges"], &lost = r["latitude"]["cleaned"]["edges"];
    const auto edge = [](const json& e) {
      return e["estimate"].value("stops", e["estimate"].value("at_least", 0.0));
    };
    const double edges[] = {edge(lost["under"]), edge(clean["under"]), edge(clean["over"]),
                            edge(lost["over"]), r["range"]["split"]["above_grey"].get<double>()};
    for (size_t k = 0; k < 5; ++k) {
      const json& one = c["readings"][k];
      EXPECT_NEAR(one["stops"].get<double>(), stops[k], 1e-6);
      const double at = stops[k] + c["offset_stops"].get<double>();
      const char* state = at > edges[4]                    ? "clips"
                          : at > edges[3] || at < edges[0] ? "lost"
                          : at > edges[2] || at < edges[1] ? "cleanable"
                                                           : "holds";
      EXPECT_EQ(one["state"], state) << c["label"] << one["name"];
      double margin = 1e9;
      for (const double e : edges) margin = std::min(margin, std::abs(at - e));
      const json& said = one["margin"].is_number() ? one["margin"] : one["margin"]["at_least"];
      EXPECT_NEAR(said.get<double>(), margin, 1e-6) << c["label"] << one["name"];
      ++compared;
    }
  }
  EXPECT_GE(compared, 30);
  EXPECT_TRUE(scene["recommended"]["id"].is_number());
  EXPECT_FALSE(scene["recommended"]["reason"].get<std::string>().empty());
  EXPECT_EQ(runCli("scene " + project).exit, 2);
  expectError("scene " + project + " --readings " + project, 1, "too large");
}

// The whole way on the small demo: make, latitude against truth, report, check.
// The same body a year before had a well larger by sqrt(2): its whole curve of SNR lay half a stop lower.
void expectRetestFindsHalfAStop(const std::string& measured, const std::string& demo,
                                const test::TempFolder& folder) {
  const std::string before =
      (std::filesystem::path(demo).parent_path() / "last-year/saltpan-road-camera-prep.edgetest").string();
  const json j = result("retest " + before + " " + measured);
  ASSERT_EQ(j["configurations"].size(), 1U);
  const json& c = j["configurations"][0];
  EXPECT_EQ(c["change"], "changed");
  for (const auto& f : c["figures"]) {
    const double expected = f["figure"] == "range" || f["figure"] == "latitude" || f["figure"] == "floor"
                                ? -0.5
                            : f["figure"] == "under" ? 0.5
                                                     : 0.0;
    EXPECT_NEAR(f["difference"].get<double>(), expected, 2 * f["sigma"].get<double>()) << f;
  }
  // Anew, with the plan of the old one; and the library finds all three.
  (void)result("repeat " + before + " --project " + (folder / "again.edgetest").string());
  const json again = result("library " + folder.path().string() + " --search again");
  EXPECT_EQ(again["projects"], 1);
  EXPECT_EQ(test::runCli("repeat " + before + " --project " + (folder / "again.edgetest").string()).exit, 1);
  const json taken = result("take-in " + before + " --library " + folder.path().string());
  EXPECT_EQ(result("retest " + taken["project"].get<std::string>() + " " +
                   measured)["configurations"][0]["figures"],
            c["figures"]);
}

TEST(Cli, CheckNamesThePathsThatLeadOut) {
  const TempFolder folder;
  const fs::path file = folder / "p.edgetest";
  {
    const auto p = Project::create(file, "Rope works");
    Configuration c;
    c.body = "Tarn M1", c.decode.curve = "linear";
    for (const char* path : {"clips/own.exr", "../b.exr", "/etc/c.exr"})
      c.clips.push_back({0, ClipKind::Take, path, 1.0, path, ""});
    p->addConfiguration(c);
  }
  const json check = result("check '" + file.string() + "'");
  EXPECT_EQ(check["outside_paths"], (json{"../b.exr", "/etc/c.exr"}));
  EXPECT_EQ(check["media_problems"].size(), 3U);
}

TEST(CliDemo, IsMadeMeasuredReportedAndChecked) {
  const TempFolder folder;
  const fs::path stands = EDGE_SMALL_DEMO;
  const json demo = result("demo " + stands.string() + " --small");  // stands already: found, not made again
  const json truth = json::parse(readText(demo["truth"].get<std::string>()));
  for (const char* id : {"corvane35-log-500", "pellams6-raw-640"}) {
    const json j = result("latitude " + (stands / "series" / (std::string(id) + ".json")).string());
    json takes;
    for (const auto& c : truth["configurations"])
      if (c["configuration"] == id) takes = c["takes"];
    ASSERT_EQ(j["takes"].size(), takes.size());
    for (size_t i = 0; i < takes.size(); ++i) {
      if (j["takes"][i]["patches_used"].get<int>() < 3) continue;
      EXPECT_NEAR(j["takes"][i]["measured_stops"].get<double>(), takes[i]["true"].get<double>(), 0.03)
          << id << takes[i]["name"];
    }
    for (const char* side : {"over", "under"})
      for (const char* key : {"last_good", "first_bad", "cause"}) EXPECT_TRUE(j["edges"][side].contains(key));
    EXPECT_TRUE(j.contains("latitude_stops"));
    EXPECT_TRUE(j["cleaned"].contains("over"));
    if (std::string(id) == "corvane35-log-500") {
      bool found = false;
      for (const auto& w : j["warnings"])
        found |= w["code"] == "exposure-mismatch" && w["where"] == "take p3";
      EXPECT_TRUE(found) << "the mislabelled take";
    }
  }
  const fs::path copy = stands / "cli.edgetest";
  for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(copy.string() + suffix);
  fs::copy_file(demo["project"].get<std::string>(), copy);
  const std::string project = copy;
  const std::string out = folder.path().string();
  (void)result("report " + project + " --pdf " + out + "/r.pdf --html " + out + "/r.html --csv " + out +
               "/csv --json " + out + "/r.json");
  EXPECT_EQ(readText(folder / "r.pdf").substr(0, 5), "%PDF-");
  const json report = json::parse(readText(folder / "r.json"));
  EXPECT_EQ(report["configurations"].size(), 7U);
  expectSceneAgrees(project, report, folder);
  expectRetestFindsHalfAStop(project, demo["project"].get<std::string>(), folder);
  EXPECT_EQ(report["situations"].size(), 7U);
  // The page by an independent checker (HTML Tidy), the tables by another reader (Python's csv).
  if (std::system("command -v tidy > /dev/null") == 0) {
    EXPECT_EQ(std::system(("tidy -e -q " + out + "/r.html > /dev/null 2> " + out + "/tidy.txt").c_str()), 0)
        << readText(folder / "tidy.txt");
  }
  const std::string reads =
      "python3 -c \"import csv,sys; r=list(csv.reader(open(sys.argv[1],newline=''))); "
      "sys.exit(0 if len(r)==int(sys.argv[2]) and len({len(x) for x in r})==1 else 1)\" ";
  EXPECT_EQ(std::system((reads + out + "/csv/situations.csv 8").c_str()), 0);
  EXPECT_EQ(std::system((reads + out + "/csv/edge-board.csv 8").c_str()), 0);
  EXPECT_NE(readText(folder / "csv" / "edge-board.csv").find("Corvane 35"), std::string::npos);
  const json check = result("check " + project);
  EXPECT_TRUE(check["sound"]);
  EXPECT_EQ(
      check["results"]["current"],
      18 + 12);  // of configurations; of noise: five each of two bodies, a transfer, a third body's sweep
  // Checks of every take of the brackets stand there as well; the two accidents of the demo are found.
  std::map<std::string, std::string> failed;
  for (const auto& t : check["checks"])
    for (const auto& c : t["checks"])
      if (!c["pass"]) failed[t["slate"]] += c["code"].get<std::string>() + " ";
  EXPECT_NE(failed["Corvane 35 log 500 +3"].find("exposure"), std::string::npos);
  EXPECT_NE(failed["Corvane 35 raw 2500 \u22122"].find("drift"), std::string::npos);
  EXPECT_LE(failed.size(), 4U) << "false alarms";

  // One card of the demo, matched headless: by slate, or as it is kept where the slate was forgotten.
  const json match = result("match " + project + " --clips " + (stands / "clips/corvane35-log-500").string() +
                            " --manifest " + out + "/hashes.xxh --keep");
  EXPECT_EQ(match["schema"], "edge-test/match/1");
  int bySlate = 0, byKept = 0;
  for (const auto& l : match["links"]) {
    EXPECT_TRUE(l["take"].is_string()) << l;
    bySlate += l["by"] == "slate";
    byKept += l["by"] == "kept";
    EXPECT_EQ(!l["trouble"].get<std::string>().empty(), l["take"] == "Corvane 35 log 500 +3") << l;
  }
  EXPECT_GE(bySlate, 18);
  // What other cards brought before stands in the same list: 180 in all.
  EXPECT_GT(byKept, 100);
  EXPECT_EQ(match["missing"].size() + match["links"].size(), 180U);
  EXPECT_EQ(std::system(("cd '" + (stands / "clips/corvane35-log-500").string() + "' && xxhsum -c '" + out +
                         "/hashes.xxh' >/dev/null 2>&1")
                            .c_str()),
            0);
  expectError("match " + project + " --clips " + out + "/nothing", 1, "no such folder");

  // The log curve of the demo's camera, measured from its bracket: grey within a fiftieth of a stop of the
  // true one.
  const json fit = result("curve-fit " + (stands / "series/corvane35-log-500.json").string() + " --csv " +
                          out + "/curve.csv");
  EXPECT_LT(fit["rms_stops"].get<double>(), 0.03);
  const double grey = result("curve " + (stands / "curves/ropelog.json").string())["grey_code"].get<double>();
  EXPECT_NEAR(
      result("curve " + out + "/curve.csv --code " + std::to_string(grey))["code_to_linear"][0]["linear"]
          .get<double>(),
      0.18, 0.18 * 0.014);
  expectError("curve-fit " + out + "/none.json", 1, "no such file");
  expectError("report " + project, 2, "nothing to write");
  expectError("report " + out + "/none.edgetest --json " + out + "/x.json", 1, "no such file");
}

}  // namespace
}  // namespace edge
