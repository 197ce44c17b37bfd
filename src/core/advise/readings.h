// A scene as a spot meter reads it: named tones in stops from grey, written as stops or in a meter's own
// words.
//   incident    stops = log2(E / (C N^2 / (t S)))          lux, foot-candles; ISO 2720, C = 250
//   reflected   stops = log2(L / (K N^2 / (t S)))          cd/m2; ISO 2720, K = 12.5
//   aperture    stops = 2 log2(Nr/N) - log2(tr/t) - log2(Sr/S), with ND of the scene's exposure taken off the
//   light
// Files are described in docs/formats.md, "Readings".
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>

#include "exposure/settings.h"
#include "report/reach.h"

namespace edge {

struct SceneReading {
  std::string name;
  double stops = 0;        // from grey, before any offset
  Held may = Held::Holds;  // the most harm that is asked for: a practical lamp may clip
  std::string words;       // as it was written, where that was no stop
};

struct SceneReadings {
  std::string name;
  std::optional<ExposureSettings> exposure;  // aperture, shutter and ISO given
  std::string exposureWords;
  std::vector<SceneReading> readings;
};

inline constexpr size_t kMostReadings = 500;
inline constexpr double kFarthestTone = 40;  // of a reading, either way: beyond is a slip of the pen

// .json or .csv. exposure: of the command line, over that of the file. Throws Error with file, place and
// remedy.
[[nodiscard]] SceneReadings readReadings(const std::filesystem::path& file,
                                         const std::optional<ExposureSettings>& exposure = std::nullopt);
[[nodiscard]] SceneReadings readingsFromJson(const nlohmann::json& j, const std::string& file,
                                             const std::optional<ExposureSettings>& exposure = std::nullopt);
[[nodiscard]] nlohmann::json toJson(const SceneReadings& scene);

// "+4.5", "T11", "320 lux", "40 fc", "3.1 cd/m2", "T11 1/48 ISO800" at the scene's exposure. Throws
// UsageError.
[[nodiscard]] double stopsOfReading(const std::string& text, const std::optional<ExposureSettings>& exposure);
// Throws UsageError where aperture, shutter or ISO is missing.
[[nodiscard]] ExposureSettings sceneExposure(const std::string& text);

// Lines of "name reading", as pasted: "window +4.5", "corner 3.1 cd/m2". Throws UsageError naming the line.
[[nodiscard]] std::vector<SceneReading> readingsFromText(const std::string& text,
                                                         const std::optional<ExposureSettings>& exposure);

}  // namespace edge
