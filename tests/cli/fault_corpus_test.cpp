// Faults as they come, made here as files, each with the answer that is expected: an error of one line that
// names the file, the place and a remedy, or a warning in the result. None may go unexplained, hang or fill
// memory.
#include <SQLiteCpp/SQLiteCpp.h>
#include <fmt/format.h>
#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/stat.h>

#include <chrono>
#include <nlohmann/json.hpp>
#include <random>

#include "base/files.h"
#include "base/numbers.h"
#include "media/writers.h"
#include "project/project.h"
#include "support/support.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

using test::TempFolder;
using test::writeText;

constexpr int kWidth = 64, kHeight = 48;

// Files of one fault in their folder; gives the arguments of the command that meets it.
using Make = std::function<std::string(const fs::path& folder)>;

struct Fault {
  const char* name;
  Make make;
  int exit;                       // 0: said as a warning
  std::vector<const char*> says;  // all of them, in the error or in the result
};

std::string quoted(const fs::path& p) {
  return "'" + p.string() + "'";
}

fs::path picture(const fs::path& file, int channels = 3, int bits = 16, float level = 0.25F) {
  test::writeImage(file, kWidth, kHeight, channels,
                   std::vector<float>(static_cast<size_t>(channels) * kWidth * kHeight, level), bits);
  return file;
}

fs::path movie(const fs::path& file, int frames = 6) {
  std::mt19937 random(1);
  std::vector<std::uint16_t> codes(kWidth * kHeight), chroma(kWidth / 2 * kHeight, 512);
  MovieWriter w(file, kWidth, kHeight, 24);
  for (int n = 0; n < frames; ++n) {
    for (auto& c : codes) c = static_cast<std::uint16_t>(300 + random() % 300);
    w.add(codes, chroma, chroma);
  }
  w.finish();
  return file;
}

void cut(const fs::path& file, double share) {
  fs::resize_file(file, static_cast<std::uintmax_t>(static_cast<double>(fs::file_size(file)) * share));
}

void put(const fs::path& file, size_t at, const std::string& bytes) {
  std::string all = readText(file);
  all.replace(at, bytes.size(), bytes);
  writeText(file, all);
}

json goodChart() {
  json patches = json::array();
  for (int i = 0; i < 2; ++i) {
    const double x = 32.0 * i;
    patches.push_back({{"name", std::to_string(i + 1)},
                       {"corners", {{x, 0}, {x + 32, 0}, {x + 32, 48}, {x, 48}}},
                       {"stops", -i}});
  }
  return {{"format", "edge-test-chart"},
          {"version", 1},
          {"kind", "wedge"},
          {"reference", {{"width", kWidth}, {"height", kHeight}}},
          {"patches", patches}};
}

std::string rangeWith(const fs::path& f, const std::string& chart,
                      const std::string& more = "--curve linear") {
  writeText(f / "chart.json", chart);
  return "range " + quoted(picture(f / "clip.tif")) + " --chart " + quoted(f / "chart.json") + " " + more;
}
Make badChart(const std::function<void(json&)>& spoil) {
  return [spoil](const fs::path& f) {
    json j = goodChart();
    spoil(j);
    return rangeWith(f, j.dump());
  };
}
Make text(const char* name, const std::string& bytes, const char* command) {
  return [=](const fs::path& f) {
    writeText(f / name, bytes);
    std::string words = command;
    words.replace(words.find('%'), 1, quoted(f / name));
    return words;
  };
}
Make badProject(const std::function<void(const fs::path&)>& spoil) {
  return [spoil](const fs::path& f) {
    const fs::path file = f / "p.edgetest";
    {
      const auto p = Project::create(file, "Rope works");
      for (int i = 0; i < 40; ++i) p->setDecision({0, std::to_string(i), "note", std::string(900, 'x'), ""});
    }
    spoil(file);
    return "check " + quoted(file);
  };
}
void sql(const fs::path& file, const char* words) {
  SQLite::Database(file.string(), SQLite::OPEN_READWRITE).exec(words);
}

std::string series(const fs::path& f, const std::function<void(json&)>& spoil) {
  writeText(f / "chart.json", goodChart().dump());
  picture(f / "base.tif");
  json j = {{"format", "edge-test-series"},
            {"version", 1},
            {"kind", "bracket"},
            {"decode", {{"curve", "linear"}}},
            {"chart", "chart.json"},
            {"base", "base.tif"},
            {"takes", {{{"name", "p1"}, {"clip", "p1.tif"}, {"stops", 1}}}}};
  spoil(j);
  writeText(f / "series.json", j.dump());
  return "latitude " + quoted(f / "series.json");
}
Make badSeries(const std::function<void(json&)>& spoil) {
  return [spoil](const fs::path& f) { return series(f, spoil); };
}

// An OpenEXR file (magic, version 2) of these attributes, already with their names, types and sizes.
std::string exr(const std::string& attributes) {
  return std::string("\x76\x2f\x31\x01\x02\0\0\0", 8) + attributes + std::string(1, '\0') +
         std::string(64, '\0');
}
std::string attribute(const std::string& name, const std::string& type, const std::string& value,
                      std::uint32_t size) {
  std::string s = name + '\0' + type + '\0';
  for (int i = 0; i < 4; ++i) s += static_cast<char>(size >> 8 * i);
  return s + value;
}

std::vector<Fault> mediaFaults() {
  const auto probe = [](auto make) -> Make {
    return [make](const fs::path& f) { return "probe " + quoted(make(f)); };
  };
  const auto of = [probe](const char* name, auto spoil) {
    return probe([=](const fs::path& f) {
      const fs::path file = f / name;
      if (file.extension() == ".mkv")
        movie(file);
      else
        picture(file);
      spoil(file);
      return file;
    });
  };
  const auto half = [](const fs::path& p) { cut(p, 0.5); };
  return {
      {"missing", probe([](auto& f) { return f / "none.exr"; }), 1, {"none.exr", "check the path"}},
      {"empty", text("a.exr", "", "probe %"), 1, {"the file is empty", "a.exr", "copy it again"}},
      {"text as OpenEXR", text("a.exr", "hello there", "probe %"), 1, {"no OpenEXR", "a.exr", "first bytes"}},
      {"PNG as OpenEXR",
       probe([](auto& f) {
         picture(f / "a.png");
         fs::rename(f / "a.png", f / "a.exr");
         return f / "a.exr";
       }),
       1,
       {"holds PNG", "a.exr", "extension"}},
      {"OpenEXR cut", of("a.exr", half), 1, {"a.exr"}},
      {"TIFF cut", of("a.tif", half), 1, {"a.tif"}},
      {"DPX cut", of("a.dpx", half), 1, {"truncated", "a.dpx", "copy it again"}},
      {"DPX cut, its size left open",
       of("a.dpx",
          [](const fs::path& p) {
            put(p, 16, std::string(4, '\xff'));
            cut(p, 0.5);
          }),
       1,
       {"truncated", "a.dpx"}},
      {"DPX that claims 4 GB beside its picture",
       of("a.dpx", [](const fs::path& p) { put(p, 32, "\xff\xff\xff\xde"); }),
       1,
       {"truncated", "a.dpx"}},
      {"DPX of 16000 x 16000 in a small file",
       of("a.dpx",
          [](const fs::path& p) {
            put(p, 16, std::string(4, '\xff'));
            put(p, 772, std::string("\x80\x3e\0\0\x80\x3e\0\0", 8));
          }),
       1,
       {"a.dpx"}},
      {"PNG without an end", of("a.png", [](const fs::path& p) { cut(p, 0.8); }), 1, {"truncated", "a.png"}},
      {"OpenEXR with an attribute of 2 GB",
       text("a.exr", exr(attribute("comments", "string", "short", 0x7fffffff)), "probe %"),
       1,
       {"a.exr", "too small", "copy it again"}},
      {"OpenEXR without channels",
       text(
           "a.exr",
           exr(attribute("channels", "chlist", std::string(1, '\0'), 1) +
               attribute("compression", "compression", std::string(1, '\0'), 1) +
               attribute("dataWindow", "box2i", std::string("\0\0\0\0\0\0\0\0\x3f\0\0\0\x2f\0\0\0", 16), 16) +
               attribute("displayWindow", "box2i", std::string("\0\0\0\0\0\0\0\0\x3f\0\0\0\x2f\0\0\0", 16),
                         16) +
               attribute("lineOrder", "lineOrder", std::string(1, '\0'), 1) +
               attribute("pixelAspectRatio", "float", std::string("\0\0\x80\x3f", 4), 4) +
               attribute("screenWindowCenter", "v2f", std::string(8, '\0'), 8) +
               attribute("screenWindowWidth", "float", std::string("\0\0\x80\x3f", 4), 4)),
           "probe %"),
       1,
       {"a.exr"}},
      {"OpenEXR of 2^30 pixels a side",
       text(
           "a.exr",
           exr(attribute("channels", "chlist", std::string("Y\0\2\0\0\0\0\0\0\0\1\0\0\0\1\0\0\0\0", 19), 19) +
               attribute("compression", "compression", std::string(1, '\0'), 1) +
               attribute("dataWindow", "box2i", std::string("\0\0\0\0\0\0\0\0\0\0\0\x40\0\0\0\x40", 16), 16) +
               attribute("displayWindow", "box2i", std::string("\0\0\0\0\0\0\0\0\0\0\0\x40\0\0\0\x40", 16),
                         16) +
               attribute("lineOrder", "lineOrder", std::string(1, '\0'), 1) +
               attribute("pixelAspectRatio", "float", std::string("\0\0\x80\x3f", 4), 4) +
               attribute("screenWindowCenter", "v2f", std::string(8, '\0'), 8) +
               attribute("screenWindowWidth", "float", std::string("\0\0\x80\x3f", 4), 4)),
           "probe %"),
       1,
       {"a.exr"}},
      {"TIFF of two channels",
       probe([](auto& f) { return picture(f / "a.tif", 2); }),
       1,
       {"2 channels", "a.tif"}},
      {"gap in the numbering",
       probe([](auto& f) {
         for (int n : {1, 2, 4}) picture(f / fmt::format("s.{:04d}.tif", n));
         return f;
       }),
       1,
       {"frame 3 is missing", "between 2 and 4"}},
      {"two runs in one folder",
       probe([](auto& f) {
         for (int n : {1, 2})
           picture(f / fmt::format("s.{:04d}.tif", n)), picture(f / fmt::format("t.{:04d}.tif", n));
         return f;
       }),
       1,
       {"more than one clip", "pattern"}},
      {"empty folder", probe([](auto& f) { return f; }), 1, {"no "}},
      {"sound without a picture",
       text("a.mov",
            std::string("RIFF\x24\0\0\0WAVEfmt \x10\0\0\0\1\0\1\0\x44\xac\0\0\x88\x58\1\0"
                        "\2\0\x10\0data\0\0\0\0",
                        44),
            "probe %"),
       1,
       {"a.mov"}},
      {"random bytes as a movie", text("a.mkv", std::string(5000, '\x5a'), "probe %"), 1, {"a.mkv"}},
      {"a pipe",
       probe([](auto& f) {
         mkfifo((f / "a.exr").c_str(), 0600);
         return f / "a.exr";
       }),
       1,
       {"a.exr"}},
      {"a pipe as a movie",
       probe([](auto& f) {
         mkfifo((f / "a.mkv").c_str(), 0600);
         return f / "a.mkv";
       }),
       1,
       {"a.mkv"}},
      {"a device", [](auto&) { return "probe /dev/zero"; }, 1, {"/dev/zero"}},
      {"a link to itself",
       probe([](auto& f) {
         fs::create_symlink(f / "a.exr", f / "a.exr");
         return f / "a.exr";
       }),
       1,
       {"a.exr"}},
      {"movie cut",
       [](auto& f) {
         movie(f / "a.mkv", 40);
         cut(f / "a.mkv", 0.6);
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.mkv") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       0,
       {"truncated"}},
      {"one bit of a movie",
       [](auto& f) {
         movie(f / "a.mkv", 12);
         std::string bytes = readText(f / "a.mkv");
         bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 0x10);
         writeText(f / "a.mkv", bytes);
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.mkv") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       0,
       {"truncated"}},
      {"not a number in a picture",
       [](auto& f) {
         writeText(f / "chart.json", goodChart().dump());
         picture(f / "a.exr", 3, 32, std::nanf(""));
         return "range " + quoted(f / "a.exr") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       1,
       {"a.exr", "finite"}},
  };
}

std::vector<Fault> documentFaults() {
  const std::string recipe = readText(fs::path(EDGE_REFERENCE) / "../../demo-data/recipe.json");
  const auto badRecipe = [recipe](const std::function<void(json&)>& spoil) {
    json j = json::parse(recipe);
    for (auto& b : j["bodies"])
      for (auto& m : b["modes"]) m.erase("curve");
    spoil(j);
    return text("r.json", j.dump(), "plan %");
  };
  const auto chartText = [](const std::string& words) -> Make {
    return [words](const fs::path& f) { return rangeWith(f, words); };
  };
  const auto densities = [](const std::string& words) -> Make {
    return [words](const fs::path& f) {
      writeText(f / "d.csv", words);
      return rangeWith(f, goodChart().dump(), "--curve linear --densities " + quoted(f / "d.csv"));
    };
  };
  std::string rows = "name,density\n";
  for (int i = 0; i < 2001; ++i) rows += fmt::format("{},0.1\n", i);
  return {
      {"chart: no JSON", chartText("{\n  \"format\": edge\n}"), 1, {"chart.json", "line 2", "column"}},
      {"chart: 30 MB of brackets", chartText(std::string(30u << 20, '[')), 1, {"chart.json", "MB"}},
      {"chart: deep", chartText(std::string(4000, '[') + std::string(4000, ']')), 1, {"chart.json", "deep"}},
      {"chart: a number that is none", chartText("{\"format\": NaN}"), 1, {"chart.json", "line 1"}},
      {"chart: 1e999", chartText("{\"a\": 1e999}"), 1, {"chart.json"}},
      {"chart: of another kind of file", chartText("{\"format\": \"edge-test-series\"}"), 1, {"chart.json"}},
      {"chart: no patches", badChart([](json& j) { j.erase("patches"); }), 1, {"chart.json", "patches"}},
      {"chart: corners outside",
       badChart([](json& j) { j["patches"][0]["corners"][1][0] = 9000; }),
       1,
       {"chart.json", "1"}},
      {"chart: corners crossed",
       badChart([](json& j) { std::swap(j["patches"][0]["corners"][1], j["patches"][0]["corners"][2]); }),
       1,
       {"chart.json", "1"}},
      {"chart: stops as a word",
       badChart([](json& j) { j["patches"][1]["stops"] = "many"; }),
       1,
       {"chart.json", "2"}},
      {"chart: wrong letters", chartText("{\"format\": \"\xff\xfe\"}"), 1, {"chart.json"}},
      {"chart: a later version", badChart([](json& j) { j["version"] = 9; }), 1, {"chart.json", "version"}},
      {"densities: no column", densities("a,b\n1,2\n"), 1, {"d.csv", "line 1"}},
      {"densities: a short row", densities("name,density\n1\n2,0.3\n"), 1, {"d.csv", "line 2"}},
      {"densities: a word", densities("name,density\n1,dark\n2,0.3\n"), 1, {"d.csv", "line 2"}},
      {"densities: 2001 rows", densities(rows), 1, {"d.csv"}},
      {"series: no takes",
       badSeries([](json& j) { j["takes"] = json::array(); }),
       1,
       {"series.json", "takes"}},
      {"series: 5001 takes",
       badSeries([](json& j) { j["takes"] = json(5001, j["takes"][0]); }),
       1,
       {"series.json", "takes"}},
      {"series: unknown kind",
       badSeries([](json& j) { j["kind"] = "circus"; }),
       1,
       {"series.json", "circus"}},
      {"series: no chart file", badSeries([](json& j) { j["chart"] = "gone.json"; }), 1, {"gone.json"}},
      {"series: a clip is gone", badSeries([](json&) {}), 1, {"p1.tif"}},
      {"series: stops beyond sense",
       badSeries([](json& j) { j["takes"][0]["stops"] = 1e6; }),
       1,
       {"series.json", "take 1", "stops"}},
      {"recipe: cut", text("r.json", recipe.substr(0, 700), "plan %"), 1, {"r.json", "line"}},
      {"recipe: unknown role",
       badRecipe([](json& j) { j["lamps"][0]["role"] = "moon"; }),
       1,
       {"r.json", "lamps[0]", "moon"}},
      {"recipe: 201 bodies",
       badRecipe([](json& j) { j["bodies"] = json(201, j["bodies"][0]); }),
       1,
       {"r.json", "bodies"}},
      {"recipe: ISO below zero",
       badRecipe([](json& j) { j["bodies"][0]["isos"][0] = -5; }),
       1,
       {"r.json", "isos"}},
      {"recipe: a long name",
       badRecipe([](json& j) { j["bodies"][0]["name"] = std::string(3000, 'x'); }),
       1,
       {"r.json", "name"}},
      {"curve: not rising", text("c.csv", "linear,code\n0,0.5\n1,0.2\n", "curve %"), 1, {"c.csv", "ris"}},
      {"curve: one row", text("c.csv", "linear,code\n0,0.5\n", "curve %"), 1, {"c.csv"}},
      {"curve: no header", text("c.csv", "0,0\n1,1\n", "curve %"), 1, {"c.csv"}},
      {"curve: a cube without numbers", text("c.cube", "LUT_1D_SIZE 4\nhello\n", "curve %"), 1, {"c.cube"}},
      {"curve: 25 MB",
       text("c.clf", "<ProcessList>" + std::string(25u << 20, ' '), "curve %"),
       1,
       {"c.clf", "MB"}},
      {"curve: unknown", [](auto&) { return "curve marmalade"; }, 1, {"marmalade"}},
      {"profile: limits the wrong way",
       [](auto& f) {
         writeText(f / "p.json",
                   R"({"format":"edge-test-profile","version":1,"name":"a","limits":{"detail":[0.1,0.9]}})");
         return series(f, [](json&) {}) + " --profile " + quoted(f / "p.json");
       },
       1,
       {"p.json", "detail"}},
      {"project: text",
       text("p.edgetest", "hello there, all", "check %"),
       1,
       {"p.edgetest", "no Edge Test project"}},
      {"project: of another program",
       badProject([](auto& p) { sql(p, "PRAGMA application_id=7"); }),
       1,
       {"no Edge Test project"}},
      {"project: newer",
       badProject([](auto& p) { sql(p, "PRAGMA user_version=99"); }),
       1,
       {"version 99", "newer program"}},
      {"project: version below nought",
       badProject([](auto& p) { sql(p, "PRAGMA user_version=-3"); }),
       1,
       {"damaged", "-3"}},
      {"project: with a trigger",
       badProject([](auto& p) { sql(p, "CREATE TRIGGER t AFTER INSERT ON log BEGIN DELETE FROM log; END"); }),
       1,
       {"trigger"}},
      {"project: cut", badProject([](auto& p) { cut(p, 0.5); }), 1, {"damaged", "open a copy"}},
      {"project: a page of noughts",
       badProject([](auto& p) { put(p, 4096, std::string(4096, '\0')); }),
       1,
       {"damaged", "open a copy"}},
      {"readings: unknown unit",
       [](auto& f) {
         (void)Project::create(f / "p.edgetest", "Rope works");
         writeText(f / "s.csv", "name,stops\nwindow,blue\n");
         return "scene " + quoted(f / "p.edgetest") + " --readings " + quoted(f / "s.csv");
       },
       1,
       {"s.csv"}},
      {"usage: unknown option", [](auto&) { return "probe --sideways a.exr"; }, 2, {}},
      {"usage: no curve for a movie",
       [](auto& f) {
         movie(f / "a.mkv");
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.mkv") + " --chart " + quoted(f / "chart.json");
       },
       2,
       {"a.mkv", "curve"}},
      {"output: no such folder",
       [](auto& f) { return "stops T4 T2.8 --out " + quoted(f / "no/a.json"); },
       1,
       {"no", "folder"}},
      {"output: a folder of that name",
       [](auto& f) {
         fs::create_directories(f / "a.json");
         return "stops T4 T2.8 --out " + quoted(f / "a.json");
       },
       1,
       {"a.json"}},
  };
}

class FaultCorpus : public ::testing::Test {
 protected:
  static void meet(const Fault& fault) {
    const TempFolder folder;
    fs::create_directories(folder / "f");
    const std::string arguments = fault.make(folder / "f");
    const auto start = std::chrono::steady_clock::now();
    // Whatever it is: 600 MB more than the program itself, and 20 seconds.
    const auto r = test::runCli(arguments);
    const std::chrono::duration<double> took = std::chrono::steady_clock::now() - start;
    const std::string said = fault.exit == 0 ? r.out : r.err;
    std::printf("| %-42s | %d | %s |\n", fault.name, r.exit,
                fault.exit == 0 ? "warned" : r.err.substr(0, 400).c_str());
    EXPECT_EQ(r.exit, fault.exit) << fault.name << ": " << r.err;
    EXPECT_LT(took.count(), 20) << fault.name;
    for (const char* words : fault.says)
      EXPECT_NE(said.find(words), std::string::npos)
          << fault.name << " says nothing of \"" << words << "\": " << said;
    if (fault.exit != 1) return;
    EXPECT_EQ(std::count(r.err.begin(), r.err.end(), '\n'), 1) << fault.name << ": " << r.err;
    EXPECT_TRUE(r.err.starts_with("error: ")) << r.err;
    EXPECT_EQ(r.err.find("please report"), std::string::npos) << r.err;
    EXPECT_LE(r.err.size(), 420U) << r.err;
  }
};

// The most that any process took so far; the command line itself takes some 150 MB of it.
void expectLittleMemory() {
  rusage children{};
  getrusage(RUSAGE_CHILDREN, &children);
  EXPECT_LT(children.ru_maxrss, 600 * 1024) << "kilobytes";
}

TEST_F(FaultCorpus, MediaAreExplained) {
  for (const auto& fault : mediaFaults()) meet(fault);
  expectLittleMemory();
}

TEST_F(FaultCorpus, DocumentsAreExplained) {
  for (const auto& fault : documentFaults()) meet(fault);
  expectLittleMemory();
}

}  // namespace
}  // namespace edge
