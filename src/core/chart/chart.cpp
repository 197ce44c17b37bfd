#include "chart/chart.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr size_t kMaxPatches = 2000;
constexpr double kMaxStops = 40;

[[noreturn]] void refuse(const std::filesystem::path& file, const std::string& place,
                         const std::string& what) {
  throw Error(what, file.string(), place, "correct the chart file; docs/formats.md describes it");
}

double finite(const json& j, const std::filesystem::path& file, const std::string& place, double low,
              double high) {
  if (!j.is_number()) refuse(file, place, "a number was expected");
  const double v = j.get<double>();
  if (!std::isfinite(v) || v < low || v > high)
    refuse(file, place, fmt::format("{:g} is outside {:g} to {:g}", v, low, high));
  return v;
}

Quad readCorners(const json& j, const std::filesystem::path& file, const std::string& place, double width,
                 double height) {
  if (!j.is_array() || j.size() != 4) refuse(file, place, "four corners were expected");
  Quad q;
  for (size_t i = 0; i < 4; ++i) {
    if (!j[i].is_array() || j[i].size() != 2) refuse(file, place, "a corner is [x, y]");
    q[i].x = finite(j[i][0], file, place, -1e6, 1e6);
    q[i].y = finite(j[i][1], file, place, -1e6, 1e6);
    if (q[i].x < 0 || q[i].y < 0 || q[i].x > width || q[i].y > height)
      refuse(file, place,
             fmt::format("corner {} ({:g}, {:g}) lies outside the picture of {:g} x {:g}", i + 1, q[i].x,
                         q[i].y, width, height));
  }
  if (!isConvex(q)) refuse(file, place, "the corners make no convex area; list them clockwise");
  return q;
}

Patch readPatch(const json& j, const std::filesystem::path& file, const std::string& fallbackName,
                double width, double height, double chartSigma) {
  if (!j.is_object()) refuse(file, fallbackName, "an object was expected");
  Patch p;
  p.name = j.contains("name") && j["name"].is_string() ? j["name"].get<std::string>().substr(0, 200)
                                                       : fallbackName;
  const std::string place = "patch " + p.name;
  if (!j.contains("corners")) refuse(file, place, "\"corners\" is missing");
  p.corners = readCorners(j["corners"], file, place, width, height);
  if (j.contains("stops") && !j["stops"].is_null())
    p.stops = finite(j["stops"], file, place + ", stops", -kMaxStops, kMaxStops);
  p.stopsSigma =
      j.contains("stops_sigma") ? finite(j["stops_sigma"], file, place + ", stops_sigma", 0, 2) : chartSigma;
  if (j.contains("role") && j["role"].is_string()) p.role = j["role"].get<std::string>().substr(0, 40);
  return p;
}

json cornersJson(const Quad& q) {
  json j = json::array();
  for (const auto& c : q) j.push_back({c.x, c.y});
  return j;
}

}  // namespace

std::optional<double> Chart::greyStops() const {
  if (grey)
    if (const Patch* p = find(*grey); p && p->stops) return p->stops;
  constexpr double kEitherSide = 0.5;
  double low = 0, high = 0;
  for (const auto& p : patches)
    low = std::min(low, p.stops.value_or(0)), high = std::max(high, p.stops.value_or(0));
  return low < -kEitherSide && high > kEitherSide ? std::optional(0.0) : std::nullopt;
}

const Patch* Chart::find(const std::string& name) const {
  const auto it =
      std::find_if(patches.begin(), patches.end(), [&](const Patch& p) { return p.name == name; });
  return it == patches.end() ? nullptr : &*it;
}

Chart readChart(const std::filesystem::path& file) {
  return chartFromJson(readJsonFile(file), file);
}

Chart chartFromJson(const json& j, const std::filesystem::path& file, ChartLight light) {
  if (!j.is_object()) refuse(file, "", "not a JSON object");
  if (j.value("format", json()) != "edge-test-chart") refuse(file, "format", "this is no edge-test-chart");
  if (!j.contains("version") || !j["version"].is_number_integer() || j["version"] != 1)
    refuse(file, "version", "only version 1 is read");
  Chart c;
  if (j.contains("kind")) {
    if (!j["kind"].is_string()) refuse(file, "kind", "a word was expected");
    c.kind = j["kind"].get<std::string>();
  }
  if (c.kind != "wedge" && c.kind != "grey-scale" && c.kind != "colour")
    refuse(file, "kind", "\"wedge\", \"grey-scale\" or \"colour\" was expected");
  const json reference = j.value("reference", json());
  if (!reference.is_object() || !reference.contains("width") || !reference.contains("height"))
    refuse(file, "reference", "width and height of the reference raster are missing");
  c.referenceWidth = finite(reference["width"], file, "reference, width", 8, 100000);
  c.referenceHeight = finite(reference["height"], file, "reference, height", 8, 100000);
  const double sigma = j.contains("stops_sigma") ? finite(j["stops_sigma"], file, "stops_sigma", 0, 2) : 0.02;
  if (!j.contains("patches") || !j["patches"].is_array() || j["patches"].empty())
    refuse(file, "patches", "no patches");
  if (j["patches"].size() > kMaxPatches) refuse(file, "patches", "too many patches");
  std::set<std::string> names;
  for (size_t i = 0; i < j["patches"].size(); ++i) {
    c.patches.push_back(
        readPatch(j["patches"][i], file, std::to_string(i + 1), c.referenceWidth, c.referenceHeight, sigma));
    const Patch& p = c.patches.back();
    if (!names.insert(p.name).second) refuse(file, "patch " + p.name, "this name stands twice");
    if (light == ChartLight::Known && c.kind != "colour" && !p.stops)
      refuse(file, "patch " + p.name, "\"stops\" is missing");
  }
  if (j.contains("grey") && j["grey"].is_string()) {
    c.grey = j["grey"].get<std::string>();
    if (!c.find(*c.grey)) refuse(file, "grey", "there is no patch \"" + *c.grey + "\"");
  }
  if (j.contains("outline") && !j["outline"].is_null())
    c.outline = readCorners(j["outline"], file, "outline", c.referenceWidth, c.referenceHeight);
  return c;
}

std::vector<Patch> readRegions(const json& list, const std::filesystem::path& file, double width,
                               double height) {
  if (!list.is_array() || list.size() > kMaxPatches) refuse(file, "regions", "a list was expected");
  std::vector<Patch> regions;
  for (size_t i = 0; i < list.size(); ++i)
    regions.push_back(readPatch(list[i], file, "region " + std::to_string(i + 1), width, height, 0.02));
  return regions;
}

json toJson(const Patch& p) {
  json j = {{"name", p.name}, {"corners", cornersJson(p.corners)}};
  if (p.stops) j["stops"] = *p.stops, j["stops_sigma"] = p.stopsSigma;
  if (!p.role.empty()) j["role"] = p.role;
  return j;
}

json toJson(const Chart& c) {
  json j = {{"format", "edge-test-chart"},
            {"version", 1},
            {"kind", c.kind},
            {"reference", {{"width", c.referenceWidth}, {"height", c.referenceHeight}}},
            {"patches", json::array()}};
  for (const auto& p : c.patches) j["patches"].push_back(toJson(p));
  if (c.grey) j["grey"] = *c.grey;
  if (c.outline) j["outline"] = cornersJson(*c.outline);
  return j;
}

}  // namespace edge
