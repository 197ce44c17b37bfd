#include "demo/demo_project.h"

#include <fmt/format.h>

#include <cmath>

#include "base/files.h"
#include "base/hash.h"
#include "plan/plan.h"
#include "project/analysis.h"
#include "project/copy.h"
#include "project/decode_json.h"
#include "project/match_project.h"
#include "project/project.h"
#include "simulate/random.h"
#include "simulate/scenario.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kDemoId = "5A17A0";  // on every slate of the demo
constexpr const char* kLastYearId = "5A17A1";
constexpr const char* kLastYear = "last-year";
constexpr const char* kLastYearAt = "2025-10-14T15:20:00.000Z";
constexpr std::uint64_t kLastYearSeed = 20251014;
constexpr int kSlateForgotten = 29;  // each so-manieth take

// Written last: a broken run leaves none.
std::string stampOf(bool small) {
  return small ? "edge-test-demo 8 small\n" : "edge-test-demo 7\n";
}

class DemoBuilder {
 public:
  DemoBuilder(fs::path folder, bool small, const Progress& progress)
      : folder_(std::move(folder)), small_(small), scenario_(demoScenario(small)), progress_(progress) {
    wedge_ = wedgeChart(scenario_.wedgeStops, scenario_.width, scenario_.height);
    bench_ = benchChart(scenario_.width, scenario_.height);
    regions_ = benchRegions(scenario_.width, scenario_.height);
  }

  void run() {
    for (const char* sub : {"clips", "charts", "curves", "series"}) fs::create_directories(folder_ / sub);
    writeJson("charts/wedge.json", toJson(wedge_));
    writeJson("charts/bench.json", toJson(bench_));
    wedgeScene_ = renderWedge(wedge_, scenario_.width, scenario_.height);
    benchScene_ = renderBench(scenario_.width, scenario_.height);
    fieldScene_ = renderField(scenario_.width, scenario_.height);
    for (const auto& c : scenario_.configurations) configurations_.push_back(configuration(c));
    shootPlan();
    for (size_t i = 0; i < configurations_.size(); ++i)
      writeSeries(scenario_.configurations[i], configurations_[i]);
    const fs::path file = demoFilesIn(folder_).project;
    for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(file.string() + suffix);
    const auto project =
        Project::create(file, scenario_.film + ", camera prep in " + scenario_.place, kDemoId);
    for (const auto& c : configurations_) project->addConfiguration(c);
    project->setDecision({0, "", kRecipeKey, recipeJson_, ""});
    writeJson("truth.json", truth_);
    shootLastYear();
    writeFileAtomically(folder_ / "demo.stamp", stampOf(small_));
    progress_.report(1, "demo ready");
  }

 private:
  void writeJson(const std::string& name, const json& j) {
    writeFileAtomically(folder_ / name, j.dump(2) + "\n");
  }

  Configuration configuration(const ScenarioConfiguration& c) {
    Configuration out;
    out.body = c.camera.name, out.mode = c.raw ? "raw" : "log", out.iso = c.iso;
    out.wedge = wedge_, out.bench = bench_, out.regions = regions_;
    if (c.raw)
      out.decode.curve = "linear";
    else {
      out.decode.curve = writeCurve(c.camera);
      out.decode.range = Range::Legal, out.decode.matrix = Primaries::Bt709;
    }
    writeTruth(c);
    return out;
  }

  // Every take of the plan, in its order, as the simulated cameras see it.
  void shootPlan() {
    recipeJson_ = json::parse(demoRecipeText());
    // Planned as it is shot, or every take would be told to be of another raster.
    for (auto& body : recipeJson_.at("bodies"))
      for (auto& mode : body.at("modes")) mode["width"] = scenario_.width, mode["height"] = scenario_.height;
    writeJson("recipe.json", recipeJson_);
    recipe_ = recipeFromJson(recipeJson_, folder_ / "recipe.json");
    plan_ = makePlan(recipe_, {}, Progress());
    for (const auto& t : plan_.takes) total_ += framesOf(t);
    for (const auto& t : plan_.takes) shoot(t);
    // Shot as the plan orders; kept from under to over.
    for (auto& c : configurations_)
      std::stable_sort(c.clips.begin(), c.clips.end(), [](const ClipRecord& a, const ClipRecord& b) {
        const auto key = [](const ClipRecord& r) {
          return std::make_pair(r.kind == ClipKind::Take, r.kind == ClipKind::Take ? *r.plannedStops : 0.0);
        };
        return key(a) < key(b);
      });
    for (auto& c : truth_["configurations"])
      std::stable_sort(c["takes"].begin(), c["takes"].end(),
                       [](const json& a, const json& b) { return a["planned"] < b["planned"]; });
  }

  [[nodiscard]] int framesOf(const Take& t) const {
    if (t.role == TakeRole::Wedge) return scenario_.wedgeFrames;
    if (t.role == TakeRole::Black) return scenario_.blackFrames;
    const TestKind kind = plan_.series[t.series].kind;
    // Fixed pattern wants eight frames, which are told at the native ISOs; the way bars move wants a few.
    const CircuitSpec* circuit = recipe_.bodies[plan_.series[t.series].body].circuitFor(t.iso);
    if (kind == TestKind::IsoLadder && circuit && circuit->nativeIso == t.iso) return scenario_.baseFrames;
    if (kind == TestKind::RollingShutter) return scenario_.bracketFrames;
    if (kind == TestKind::PhotonTransfer) return scenario_.baseFrames;
    if (kind != TestKind::Bracket) return scenario_.otherFrames;
    return t.role == TakeRole::Base && t.baseIndex == 0 ? scenario_.baseFrames : scenario_.bracketFrames;
  }

  [[nodiscard]] size_t configurationOf(const Take& t) const {
    const TestSeries& s = plan_.series[t.series];
    const BodySpec& body = recipe_.bodies[s.body];
    if (const auto* c = findConfiguration(scenario_, body.name, body.modes[s.mode].kind == ModeKind::Raw,
                                          body.circuitFor(t.iso)->nativeIso))
      return static_cast<size_t>(c - scenario_.configurations.data());
    throw Error("the recipe has a body that the scenario has not", "demo-data/recipe.json", body.name,
                "correct the demo data");
  }

  // What hands and lamps made of the plan: small errors everywhere, and the accidents of the scenario.
  void disturb(const Take& t, const std::string& configuration, Shot& shot) {
    RandomStream random(scenario_.seed, static_cast<std::uint64_t>(t.number), 77);
    const NormalTable normal;
    if (t.role == TakeRole::Step)
      shot.stops += scenario_.exposureErrorSigma * normal(static_cast<std::uint32_t>(random.next() >> 16));
    if (plan_.series[t.series].kind != TestKind::Bracket) return;
    for (const auto& a : scenario_.accidents)
      if (a.configuration == configuration && a.take == t.name)
        (a.drift ? shot.driftStops : shot.stops) += a.stops;
  }

  void shoot(const Take& t) {
    const size_t index = configurationOf(t);
    Shot shot;
    const ClipRecord r =
        shootAs(scenario_.configurations[index], t, folder_, static_cast<std::uint64_t>(t.number), shot);
    configurations_[index].clips.push_back(r);
    noteTruth(index, t, r.kind, r.name, shot);
  }

  // Its clip, below `home`/clips.
  ClipRecord shootAs(const ScenarioConfiguration& c, const Take& t, const fs::path& home, std::uint64_t seed,
                     Shot& shot) {
    const auto [kind, name] = kindAndNameOf(plan_, t);
    progress_.report(std::min(1.0, done_ / total_), c.id + " " + name);
    const fs::path folder = fs::path("clips") / c.id;
    fs::create_directories(home / folder);
    shot.stops = aboveMeter(t.settings).value(), shot.capped = t.role == TakeRole::Black;
    shot.gain = t.settings.iso.value() / readIso(c.iso).exact.value();
    shot.frames = framesOf(t), shot.seed = seed;
    if (plan_.series[t.series].kind == TestKind::Infrared) shot.nd = t.settings.nd.value();
    shot.strobeHz = recipe_.tests[plan_.series[t.series].test].strobeHz;
    shot.shutterSeconds = t.settings.shutter.value();
    // The wedge's first step stands at 1.0, grey at 0.18.
    if (t.role == TakeRole::Wedge) shot.stops += std::log2(kMiddleGrey);
    disturb(t, c.id, shot);
    // Nobody sees a slate with the cap on, and now and then it is forgotten.
    const bool slated = !shot.capped && t.number % kSlateForgotten != 0;
    if (slated) shot.slate = qrOf(slateText(slateOf(kDemoId, t, 1)));
    if (!slated && !shot.capped) ++shot.frames;
    const Scene before = blockOf(plan_.series[t.series].kind).scene;
    const SceneImage& scene = before == Scene::Wedge   ? wedgeScene_
                              : before == Scene::Field ? fieldScene_
                                                       : benchScene_;
    const fs::path clip = writeClip(c, scene, shot, scenario_.fps, home / folder / name, progress_);
    done_ += shot.frames;
    ClipRecord r;
    r.kind = kind, r.name = name, r.iso = t.iso, r.slate = t.slate;
    r.nd = t.settings.nd.value();
    r.strobeHz = recipe_.tests[plan_.series[t.series].test].strobeHz;
    if (!shot.capped) r.first = 1;
    r.plannedStops = plannedOf(kind, t);
    r.path = fs::relative(clip, home).generic_string();
    r.hash = hashClip(openClip(clip)->info());
    return r;
  }

  // The first configuration as it was tested a year before, measured, with a sensor that held half a stop
  // more: what a library is for.
  void shootLastYear() {
    const fs::path home = folder_ / kLastYear;
    fs::create_directories(home / "curves");
    ScenarioConfiguration before = scenario_.configurations.front();
    for (auto& circuit : before.camera.circuits) circuit.fullWellElectrons *= std::sqrt(2.0);
    Configuration c = configurations_.front();
    c.clips.clear();
    for (const auto& t : plan_.takes) {
      const bool wanted = configurationOf(t) == 0 && (plan_.series[t.series].kind == TestKind::Bracket ||
                                                      t.role == TakeRole::Wedge || t.role == TakeRole::Black);
      Shot shot;
      if (wanted)
        c.clips.push_back(shootAs(
            before, t, home, scenario_.seed + kLastYearSeed + static_cast<std::uint64_t>(t.number), shot));
    }
    fs::copy_file(folder_ / c.decode.curve, home / c.decode.curve, fs::copy_options::overwrite_existing);
    const fs::path file = home / "saltpan-road-camera-prep.edgetest";
    for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(file.string() + suffix);
    const auto project = Project::create(file, scenario_.film + ", first camera prep", kLastYearId);
    project->addConfiguration(c);
    project->setDecision({0, "", kRecipeKey, recipeElsewhere(recipeJson_, folder_, home), ""});
    project->appendLog({0, kLastYearAt, "", "note", {{"text", "shot in the rope works, as this year"}}});
    if (const auto failures = analyseAll(*project, Progress()); !failures.empty()) throw asOne(failures);
  }

  // Mean exposure of a clip against its base, as it truly was.
  void noteTruth(size_t index, const Take& t, ClipKind kind, const std::string& name, const Shot& shot) {
    const TakeSettings& base = plan_.series[t.series].route.bases[static_cast<size_t>(t.setup)];
    const double mean =
        shot.stops + std::log2((1 + std::exp2(shot.driftStops)) / 2) - aboveMeter(base).value();
    json j = {{"name", name},
              {"planned", t.plannedStops},
              {"true", mean},
              {"drift", shot.driftStops},
              {"iso", t.iso}};
    if (kind == ClipKind::Take)
      truth_["configurations"][index]["takes"].push_back(j);
    else if (kind != ClipKind::Wedge && kind != ClipKind::Black)
      truth_["configurations"][index]["others"].push_back(j);
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
              {"display", kSoftShoulder},
              {"takes", json::array()}};
    if (!c.raw) j["decode"]["curve"] = "../" + out.decode.curve;
    j["decode"]["first"] = 1;  // the slate
    for (const auto& r : regions_) j["regions"].push_back(toJson(r));
    for (const auto& clip : out.clips) {
      if (clip.kind == ClipKind::Base) j["base"] = "../" + clip.path;
      if (clip.kind == ClipKind::Take)
        j["takes"].push_back({{"name", clip.name},
                              {"clip", "../" + clip.path},
                              {"stops", *clip.plannedStops},
                              {"iso", c.iso}});
    }
    writeJson("series/" + c.id + ".json", j);
  }

  void writeTruth(const ScenarioConfiguration& c) {
    const CameraTruth t = truthOf(c.camera, c.iso, c.raw);
    json j = {{"configuration", c.id},
              {"clip_stops_above_grey", t.clipStops},
              {"readout_ms", 1000 * c.camera.readoutSeconds},
              {"read_noise_e", t.circuit.readNoiseElectrons},
              {"full_well_e", t.circuit.fullWellElectrons}};
    constexpr const char* kNames[3] = {"R", "G", "B"};
    for (double snr : {1.0, 2.0, 10.0}) {
      const std::string key = fmt::format("snr{:g}", snr);
      j["dynamic_range"]["Y"][key] = t.lumaRange(snr);
      j["stops_from_grey"][key] = t.lumaStopsAt(snr);
      if (c.raw)
        for (int k = 0; k < 3; ++k)
          j["dynamic_range"][kNames[k]][key] = t.channelClipStops(k) - t.channelStopsAt(k, snr);
    }
    truth_["configurations"].push_back(j);
    truth_["format"] = "edge-test-truth", truth_["version"] = 1;
  }

  fs::path folder_;
  bool small_;
  Scenario scenario_;
  const Progress& progress_;
  Chart wedge_, bench_;
  std::vector<Patch> regions_;
  SceneImage wedgeScene_, benchScene_, fieldScene_;
  json truth_;
  json recipeJson_;
  Recipe recipe_;
  Plan plan_;
  std::vector<Configuration> configurations_;
  double done_ = 0, total_ = 0;
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
