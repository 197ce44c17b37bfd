// The demo scenario as data: bodies, wedge, accidents (demo-data/saltpan-road.json). What is shot comes from
// the plan of demo-data/recipe.json; this says what the simulated cameras make of it.
#pragma once
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "simulate/camera.h"

namespace edge {

struct Accident {
  std::string configuration, take;  // "corvane35-log-500", "p3"
  double stops = 0;                 // off by this much
  bool drift = false;               // from first to last frame, instead of throughout
};

struct ScenarioConfiguration {
  std::string id;  // "corvane35-log-500"
  CameraModel camera;
  double iso = 0;  // native
  bool raw = false;
};

struct Scenario {
  std::string film, place;
  int width = 0, height = 0, fps = 24;
  int wedgeFrames = 16, blackFrames = 4, baseFrames = 8, bracketFrames = 4, otherFrames = 2;
  double exposureErrorSigma = 0;  // stops: how well hands and lamps meet what was planned
  std::uint64_t seed = 1;
  std::vector<double> wedgeStops;
  std::vector<ScenarioConfiguration> configurations;
  std::vector<Accident> accidents;
};

// The scenario that ships with the application.
[[nodiscard]] Scenario demoScenario(bool small);
// The recipe that ships with it, as JSON text.
[[nodiscard]] const char* demoRecipeText();

struct Shot {
  double stops = 0;       // exposure of the first frame, from grey at the meter's base of the ISO as set
  double driftStops = 0;  // first to last frame
  double gain = 1;        // ISO as set over native
  bool capped = false;    // no light at all
  int frames = 1;
  std::uint64_t seed = 1;
  std::optional<QrSymbol> slate{};  // held before the scene in front of the frames above
  int slateFrames = 1;
  double nd = 0;        // density before the lens, which infrared passes
  double strobeHz = 0;  // a wall before a strobe in place of the scene; 0: none
  double shutterSeconds = 1.0 / 48;
};

// Body, recording mode and native ISO as a recipe names them; nullptr: not in the scenario.
[[nodiscard]] const ScenarioConfiguration* findConfiguration(const Scenario& scenario,
                                                             const std::string& body, bool raw,
                                                             double nativeIso);

// Writes one clip: log a movie FILE.mkv, raw a folder FILE of DNG frames. Returns its path.
std::filesystem::path writeClip(const ScenarioConfiguration& c, const SceneImage& scene, const Shot& shot,
                                int fps, const std::filesystem::path& stem, const Progress& progress);

}  // namespace edge
