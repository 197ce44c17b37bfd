// Charts, series, recipes, curves, profiles, projects and outputs with a fault each.
#include <SQLiteCpp/SQLiteCpp.h>

#include "cli/fault_corpus.h"
#include "project/project.h"

namespace edge {
namespace {

using test::cut, test::Fault, test::goodChart, test::Make, test::movie, test::picture, test::put,
    test::quoted, test::text, test::writeText;
namespace fs = std::filesystem;
using nlohmann::json;

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

TEST(FaultCorpus, DocumentsAreExplained) {
  test::meetAll(documentFaults());
}

}  // namespace
}  // namespace edge
