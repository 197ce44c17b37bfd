#include "simulate/scenario.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "scenario_data.h"
#include "simulate/random.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
Scenario demoScenario(bool small) {
  const json j = json::parse(kScenarioJson);
  Scenario s;
  s.film = j.at("film"), s.place = j.at("place");
  const auto& raster = j.at(small ? "small_raster" : "raster");
  s.width = raster.at(0), s.height = raster.at(1), s.fps = j.at("fps");
  s.wedgeFrames = j.at("frames").at("wedge"), s.baseFrames = j.at("frames").at("base");
  s.blackFrames = j.at("frames").at("black"), s.bracketFrames = j.at("frames").at("bracket");
  s.otherFrames = j.at("frames").at("other"), s.exposureErrorSigma = j.at("exposure_error_sigma_stops");
  s.seed = j.at("seed");
  RandomStream random(s.seed);
  const NormalTable normal;
  const auto gauss = [&] { return normal(static_cast<std::uint32_t>(random.next() >> 16)); };
  const auto& wedge = j.at("wedge");
  for (int i = 0; i < wedge.at("steps"); ++i)
    s.wedgeStops.push_back(i == 0 ? 0 : -i + wedge.at("density_sigma_stops").get<double>() * gauss());
  for (const auto& body : j.at("bodies")) {
    const CameraModel camera = cameraFromJson(body);
    for (const auto& mode : body.at("modes"))
      for (const auto& circuit : camera.circuits) {
        ScenarioConfiguration c;
        c.camera = camera, c.iso = circuit.nativeIso, c.raw = mode == "raw";
        c.id = fmt::format("{}-{}-{:g}", body.at("short").get<std::string>(), mode.get<std::string>(), c.iso);
        s.configurations.push_back(std::move(c));
      }
  }
  for (const auto& a : j.at("accidents"))
    s.accidents.push_back({a.at("configuration"), a.at("take"), a.at("stops"), a.at("kind") == "drift"});
  return s;
}

const char* demoRecipeText() {
  return kRecipeJson;
}

const ScenarioConfiguration* findConfiguration(const Scenario& s, const std::string& body, bool raw,
                                               double nativeIso) {
  for (const auto& c : s.configurations)
    if (c.camera.name == body && c.raw == raw && std::abs(c.iso - nativeIso) < 0.5) return &c;
  return nullptr;
}

fs::path writeClip(const ScenarioConfiguration& c, const SceneImage& scene, const Shot& shot, int fps,
                   const fs::path& stem, const Progress& progress) {
  const SimulatedCamera camera(c.camera, c.iso, shot.gain);
  const int before = shot.slate ? shot.slateFrames : 0, all = before + shot.frames;
  const SceneImage slated = shot.slate ? withSlate(scene, *shot.slate) : SceneImage();
  const SceneImage leaking = shot.nd > 0 && c.camera.infraredLeak > 0
                                 ? withInfrared(scene, shot.nd, c.camera.infraredLeak)
                                 : SceneImage();
  SceneImage bars;
  const auto sceneAt = [&](int n) -> const SceneImage& {
    if (n < before) return slated;
    if (shot.strobeHz > 0)
      return bars = renderStrobe(scene.width, scene.height,
                                 {shot.strobeHz, 0.3, shot.shutterSeconds, c.camera.readoutSeconds},
                                 static_cast<double>(n - before) / fps);
    return leaking.width > 0 ? leaking : scene;
  };
  const auto exposureAt = [&](int frame) {
    if (shot.capped) return 0.0;
    const int n = std::max(0, frame - before);
    // A drift runs linearly in light, so that the clip's mean is known exactly.
    const double share = shot.frames > 1 ? static_cast<double>(n) / (shot.frames - 1) : 0;
    // A higher ISO asks for less light by just its gain.
    return std::exp2(shot.stops) / shot.gain * (1 + share * (std::exp2(shot.driftStops) - 1));
  };
  const auto noiseFrame = [&](int n) { return shot.seed * 1000 + static_cast<std::uint64_t>(n); };
  if (c.raw) {
    fs::create_directories(stem);
    for (int n = 0; n < all; ++n) {
      progress.throwIfCancelled();
      writeDng(stem / fmt::format("{:06d}.dng", n + 1), camera.dngFor(scene),
               camera.rawFrame(sceneAt(n), exposureAt(n), noiseFrame(n)));
    }
    return stem;
  }
  const fs::path file = stem.string() + ".mkv";
  MovieWriter writer(file, scene.width, scene.height, fps);
  for (int n = 0; n < all; ++n) {
    progress.throwIfCancelled();
    const auto f = camera.logFrame(sceneAt(n), exposureAt(n), noiseFrame(n));
    writer.add(f.y, f.cb, f.cr);
  }
  writer.finish();
  return file;
}

}  // namespace edge
