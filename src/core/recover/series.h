// A series of takes to be compared (docs/formats.md, "Series").
#pragma once
#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "chart/chart.h"
#include "color/display.h"
#include "image/decode.h"
#include "media/clip.h"
#include "recover/criteria.h"
#include "recover/delivery.h"
#include "recover/look.h"

namespace edge {

struct TakeSpec {
  std::string name;
  std::filesystem::path clip;
  std::optional<double> plannedStops;  // against base; nullopt: a cap-on take
  std::string role;                    // "black" or empty
  std::optional<double> iso;
  std::optional<FrameWindow> window;  // where it is not that of the series
  std::optional<double> nd{};         // density of a take over infrared
  bool native = false;                // of a push pair: shot at the native ISO
};

struct Series {
  std::string kind = "bracket";
  DecodeOptions decode;  // curve empty: default of the clip's kind
  FrameWindow window;
  std::filesystem::path chartFile;
  Chart chart;
  std::vector<Patch> regions;
  std::filesystem::path base;
  std::string display = kSoftShoulder;
  Delivery delivery;             // the headline's
  std::vector<Delivery> alsoAt;  // measured beside it, in the same pass
  CriteriaProfile wanted;  // by which it will be judged first: the reducer is tried where these limits ask
  std::vector<StressStep> stress = standardStress();
  std::filesystem::path look;  // CDL or LUT on log code, after the neutral bring-back; empty: none
  std::vector<TakeSpec> takes;
};

// Paths in the result are resolved against the file's folder. Errors name file and key.
[[nodiscard]] Series readSeries(const std::filesystem::path& file);

// Errors: the series is of another kind.
void requireKind(const Series& series, const std::filesystem::path& file,
                 const std::vector<std::string>& kinds);

// Curve of a clip where none is given: linear for OpenEXR and DNG; otherwise a usage error.
[[nodiscard]] std::string defaultCurve(const ClipInfo& info);

}  // namespace edge
