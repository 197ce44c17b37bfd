// Chart descriptions: named patches with their place on the picture and their calibrated light
// (docs/formats.md).
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "image/region.h"

namespace edge {

struct Patch {
  std::string name;
  Quad corners{};               // in the chart's reference raster
  std::optional<double> stops;  // log2 luminance against a common reference
  double stopsSigma = 0.02;     // 1 standard error of the calibration
  std::string role;             // "grey", "skin", "black", "white" or empty
};

struct Chart {
  std::string kind = "wedge";  // "wedge", "grey-scale", "colour"
  double referenceWidth = 1920, referenceHeight = 1080;
  std::vector<Patch> patches;
  std::optional<std::string> grey;  // name of the patch that is 18 % grey
  std::optional<Quad> outline;      // the whole chart's corners, clockwise from its own top left

  [[nodiscard]] const Patch* find(const std::string& name) const;
  // Where 18 % grey lies on the scale of the patches' stops: the patch named `grey`; else 0 where the stops
  // lie on both sides of it, as they do when they count from grey. nullopt: they count from something else.
  [[nodiscard]] std::optional<double> greyStops() const;
};

// Errors name file and patch: not JSON, missing keys, absurd values, corners not convex or outside the
// reference.
[[nodiscard]] Chart readChart(const std::filesystem::path& file);
// The same from a parsed object; `file` is named in errors. Found: a chart seen on a picture, whose patches'
// light nobody has said yet.
enum class ChartLight { Known, Found };
[[nodiscard]] Chart chartFromJson(const nlohmann::json& j, const std::filesystem::path& file,
                                  ChartLight light = ChartLight::Known);
[[nodiscard]] nlohmann::json toJson(const Chart& chart);

// Named objects of a series, as in its `regions`.
[[nodiscard]] std::vector<Patch> readRegions(const nlohmann::json& list, const std::filesystem::path& file,
                                             double width, double height);
[[nodiscard]] nlohmann::json toJson(const Patch& patch);

}  // namespace edge
