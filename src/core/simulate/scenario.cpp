#include "simulate/scenario.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "scenario_data.h"
#include "simulate/random.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

std::string takeName(int stops) {
  return fmt::format("{}{}", stops < 0 ? "m" : "p", std::abs(stops));
}

void addAccidents(const json& list, Scenario& s) {
  for (const auto& a : list)
    for (auto& c : s.configurations) {
      if (c.id != a.at("configuration")) continue;
      for (auto& t : c.takes) {
        if (t.name != a.at("take")) continue;
        const double stops = a.at("stops");
        if (a.at("kind") == "mislabelled") t.trueStops += stops;
        if (a.at("kind") == "drift")
          t.driftStops = stops, t.trueStops += std::log2((1 + std::exp2(stops)) / 2);
      }
    }
}

}  // namespace

Scenario demoScenario(bool small) {
  const json j = json::parse(kScenarioJson);
  Scenario s;
  s.film = j.at("film"), s.place = j.at("place");
  const auto& raster = j.at(small ? "small_raster" : "raster");
  s.width = raster.at(0), s.height = raster.at(1), s.fps = j.at("fps");
  s.wedgeFrames = j.at("frames").at("wedge"), s.baseFrames = j.at("frames").at("base");
  s.takeFrames = j.at("frames").at("take");
  RandomStream random(j.at("seed"));
  const NormalTable normal;
  const auto gauss = [&] { return normal(static_cast<std::uint32_t>(random.next() >> 16)); };
  const auto& wedge = j.at("wedge");
  for (int i = 0; i < wedge.at("steps"); ++i)
    s.wedgeStops.push_back(i == 0 ? 0 : -i + wedge.at("density_sigma_stops").get<double>() * gauss());
  s.firstStepOverClip = wedge.at("first_step_over_clip_stops");
  for (const auto& body : j.at("bodies")) {
    const CameraModel camera = cameraFromJson(body);
    for (const auto& mode : body.at("modes"))
      for (const auto& circuit : camera.circuits) {
        ScenarioConfiguration c;
        c.camera = camera, c.iso = circuit.nativeIso, c.raw = mode == "raw";
        c.id = fmt::format("{}-{}-{:g}", body.at("short").get<std::string>(), mode.get<std::string>(), c.iso);
        for (int n = j.at("bracket").at("from"); n <= j.at("bracket").at("to"); ++n)
          if (n != 0)
            c.takes.push_back({takeName(n), double(n),
                               n + j["bracket"]["iris_error_sigma_stops"].get<double>() * gauss(), 0});
        s.configurations.push_back(std::move(c));
      }
  }
  addAccidents(j.at("accidents"), s);
  return s;
}

double wedgeExposureStops(const Scenario& s, const ScenarioConfiguration& c) {
  return std::log2(c.camera.clipLinear()) + s.firstStepOverClip;
}

fs::path writeClip(const ScenarioConfiguration& c, const SceneImage& scene, double exposureStops,
                   double driftStops, int frames, int fps, const fs::path& stem, std::uint64_t clipSeed,
                   const Progress& progress) {
  const SimulatedCamera camera(c.camera, c.iso);
  const auto exposureAt = [&](int n) {
    // A drift runs linearly in light, so that the clip's mean is known exactly.
    const double share = frames > 1 ? static_cast<double>(n) / (frames - 1) : 0;
    return std::exp2(exposureStops) * (1 + share * (std::exp2(driftStops) - 1));
  };
  // exposureStops is that of the first frame.
  const auto noiseFrame = [&](int n) { return clipSeed * 1000 + static_cast<std::uint64_t>(n); };
  if (c.raw) {
    fs::create_directories(stem);
    for (int n = 0; n < frames; ++n) {
      progress.throwIfCancelled();
      writeDng(stem / fmt::format("{:06d}.dng", n + 1), camera.dngFor(scene),
               camera.rawFrame(scene, exposureAt(n), noiseFrame(n)));
    }
    return stem;
  }
  const fs::path file = stem.string() + ".mkv";
  MovieWriter writer(file, scene.width, scene.height, fps);
  for (int n = 0; n < frames; ++n) {
    progress.throwIfCancelled();
    const auto f = camera.logFrame(scene, exposureAt(n), noiseFrame(n));
    writer.add(f.y, f.cb, f.cr);
  }
  writer.finish();
  return file;
}

}  // namespace edge
