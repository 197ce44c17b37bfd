// The demo scenario as data: bodies, wedge, bracket, accidents (demo-data/saltpan-road.json), and the clips
// made from it.
#pragma once
#include <filesystem>
#include <string>
#include <vector>

#include "base/progress.h"
#include "simulate/camera.h"

namespace edge {

struct ScenarioTake {
  std::string name;
  double plannedStops = 0;
  double trueStops = 0;   // mean over the clip
  double driftStops = 0;  // first to last frame
};

struct ScenarioConfiguration {
  std::string id;  // "corvane35-log-500"
  CameraModel camera;
  double iso = 0;
  bool raw = false;
  std::vector<ScenarioTake> takes;  // base not among them
};

struct Scenario {
  std::string film, place;
  int width = 0, height = 0, fps = 24;
  int wedgeFrames = 16, baseFrames = 8, takeFrames = 4;
  std::vector<double> wedgeStops;
  double firstStepOverClip = 0.55;
  std::vector<ScenarioConfiguration> configurations;
};

// The scenario that ships with the application.
[[nodiscard]] Scenario demoScenario(bool small);

// Writes one clip: log a movie FILE.mkv, raw a folder FILE of DNG frames. Returns its path.
std::filesystem::path writeClip(const ScenarioConfiguration& c, const SceneImage& scene, double exposureStops,
                                double driftStops, int frames, int fps, const std::filesystem::path& stem,
                                std::uint64_t clipSeed, const Progress& progress);

// Exposure in stops that puts the wedge's first step this far over the clip.
[[nodiscard]] double wedgeExposureStops(const Scenario& s, const ScenarioConfiguration& c);

}  // namespace edge
