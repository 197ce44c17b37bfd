#include "project/demo_project.h"

#include <fmt/format.h>

#include <cmath>

#include "base/files.h"
#include "base/hash.h"
#include "project/decode_json.h"
#include "project/project.h"
#include "simulate/scenario.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

// Written last: a broken run leaves none.
std::string stampOf(bool small) {
  return small ? "edge-test-demo 1 small\n" : "edge-test-demo 1\n";
}

class DemoBuilder {
 public:
  DemoBuilder(fs::path folder, bool small, const Progress& progress)
      : folder_(std::move(folder)), small_(small), scenario_(demoScenario(small)), progress_(progress) {
    wedge_ = wedgeChart(scenario_.wedgeStops, scenario_.width, scenario_.height);
    bench_ = benchChart(scenario_.width, scenario_.height);
    regions_ = benchRegions(scenario_.width, scenario_.height);
    for (const auto& c : scenario_.configurations)
      total_ += scenario_.wedgeFrames + scenario_.baseFrames +
                static_cast<double>(c.takes.size()) * scenario_.takeFrames;
  }

  void run() {
    for (const char* sub : {"clips", "charts", "curves", "series"}) fs::create_directories(folder_ / sub);
    writeJson("charts/wedge.json", toJson(wedge_));
    writeJson("charts/bench.json", toJson(bench_));
    wedgeScene_ = renderWedge(wedge_, scenario_.width, scenario_.height);
    benchScene_ = renderBench(scenario_.width, scenario_.height);
    std::vector<Configuration> configurations;
    for (const auto& c : scenario_.configurations) configurations.push_back(configuration(c));
    const fs::path file = demoFilesIn(folder_).project;
    for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(file.string() + suffix);
    const auto project = Project::create(file, scenario_.film + ", camera prep in " + scenario_.place);
    for (const auto& c : configurations) project->addConfiguration(c);
    writeJson("truth.json", truth_);
    writeFileAtomically(folder_ / "demo.stamp", stampOf(small_));
    progress_.report(1, "demo ready");
  }

 private:
  void writeJson(const std::string& name, const json& j) {
    writeFileAtomically(folder_ / name, j.dump(2) + "\n");
  }

  ClipRecord shoot(const ScenarioConfiguration& c, const SceneImage& scene, const char* kind,
                   const std::string& name, std::optional<double> planned, double stops, double drift,
                   int frames) {
    progress_.report(done_ / total_, c.id + " " + name);
    const fs::path folder = fs::path("clips") / c.id;
    fs::create_directories(folder_ / folder);
    // A drifting clip starts so that its mean light is the stated one.
    const double first = stops - std::log2((1 + std::exp2(drift)) / 2);
    const auto seed = ++clipCount_;
    const fs::path clip =
        writeClip(c, scene, first, drift, frames, scenario_.fps, folder_ / folder / name, seed, progress_);
    done_ += frames;
    ClipRecord r;
    r.kind = kind, r.name = name, r.plannedStops = planned;
    r.path = fs::relative(clip, folder_).generic_string();
    r.hash = hashClip(openClip(clip)->info());
    return r;
  }

  Configuration configuration(const ScenarioConfiguration& c) {
    Configuration out;
    out.body = c.camera.name, out.mode = c.raw ? "raw" : "log", out.iso = c.iso, out.light = "5600 K";
    out.wedge = wedge_, out.bench = bench_, out.regions = regions_;
    if (c.raw)
      out.decode.curve = "linear";
    else {
      out.decode.curve = writeCurve(c.camera);
      out.decode.range = Range::Legal, out.decode.matrix = Primaries::Bt709;
    }
    out.clips.push_back(shoot(c, wedgeScene_, "wedge", "wedge", std::nullopt,
                              wedgeExposureStops(scenario_, c), 0, scenario_.wedgeFrames));
    out.clips.push_back(shoot(c, benchScene_, "base", "base", 0.0, 0, 0, scenario_.baseFrames));
    for (const auto& t : c.takes)
      out.clips.push_back(shoot(c, benchScene_, "take", t.name, t.plannedStops, t.trueStops, t.driftStops,
                                scenario_.takeFrames));
    writeSeries(c, out);
    writeTruth(c);
    return out;
  }

  std::string writeCurve(const CameraModel& m) {
    const std::string name = "curves/" + m.logName + ".json";
    writeJson(name, {{"base", m.log.base},
                     {"logSideSlope", m.log.logSideSlope},
                     {"logSideOffset", m.log.logSideOffset},
                     {"linSideSlope", m.log.linSideSlope},
                     {"linSideOffset", m.log.linSideOffset},
                     {"linSideBreak", m.log.linSideBreak}});
    return name;
  }

  void writeSeries(const ScenarioConfiguration& c, const Configuration& out) {
    json j = {{"format", "edge-test-series"},
              {"version", 1},
              {"kind", "bracket"},
              {"decode", toJson(out.decode)},
              {"chart", "../charts/bench.json"},
              {"regions", json::array()},
              {"display", "filmic"},
              {"takes", json::array()}};
    if (!c.raw) j["decode"]["curve"] = "../" + out.decode.curve;
    for (const auto& r : regions_) j["regions"].push_back(toJson(r));
    for (const auto& clip : out.clips) {
      if (clip.kind == "base") j["base"] = "../" + clip.path;
      if (clip.kind == "take")
        j["takes"].push_back({{"name", clip.name},
                              {"clip", "../" + clip.path},
                              {"stops", *clip.plannedStops},
                              {"iso", c.iso}});
    }
    writeJson("series/" + c.id + ".json", j);
  }

  void writeTruth(const ScenarioConfiguration& c) {
    const CameraTruth t = truthOf(c.camera, c.iso, c.raw);
    json j = {{"configuration", c.id}, {"clip_stops_above_grey", t.clipStops}};
    constexpr const char* kNames[3] = {"R", "G", "B"};
    for (double snr : {1.0, 2.0, 10.0}) {
      const std::string key = fmt::format("snr{:g}", snr);
      j["dynamic_range"]["Y"][key] = t.lumaRange(snr);
      j["stops_from_grey"][key] = t.lumaStopsAt(snr);
      if (c.raw)
        for (int k = 0; k < 3; ++k)
          j["dynamic_range"][kNames[k]][key] = t.channelClipStops(k) - t.channelStopsAt(k, snr);
    }
    for (const auto& take : c.takes)
      j["takes"].push_back({{"name", take.name},
                            {"planned", take.plannedStops},
                            {"true", take.trueStops},
                            {"drift", take.driftStops}});
    truth_["configurations"].push_back(j);
    truth_["format"] = "edge-test-truth", truth_["version"] = 1;
  }

  fs::path folder_;
  bool small_;
  Scenario scenario_;
  const Progress& progress_;
  Chart wedge_, bench_;
  std::vector<Patch> regions_;
  SceneImage wedgeScene_, benchScene_;
  json truth_;
  double done_ = 0, total_ = 0;
  std::uint64_t clipCount_ = 0;
};

}  // namespace

DemoFiles demoFilesIn(const fs::path& folder) {
  return {folder / "saltpan-road.edgetest", folder / "clips", folder / "truth.json"};
}

bool demoStands(const fs::path& folder, bool small) {
  std::error_code ec;
  return fs::exists(folder / "demo.stamp", ec) && readText(folder / "demo.stamp") == stampOf(small) &&
         fs::exists(demoFilesIn(folder).project, ec);
}

DemoFiles makeDemo(const fs::path& folder, bool small, const Progress& progress) {
  std::error_code ec;
  fs::create_directories(folder, ec);
  if (ec)
    throw Error("the folder can't be made: " + ec.message(), folder.string(), "", "choose another place");
  if (!demoStands(folder, small)) DemoBuilder(folder, small, progress).run();
  return demoFilesIn(folder);
}

}  // namespace edge
