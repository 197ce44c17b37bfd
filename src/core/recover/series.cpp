#include "recover/series.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"
#include "media/formats.h"

using nlohmann::json;
namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr size_t kMaxTakes = 5000;

[[noreturn]] void refuse(const fs::path& file, const std::string& place, const std::string& what) {
  throw Error(what, file.string(), place, "correct the series file; docs/formats.md describes it");
}

std::string word(const json& j, const char* key, const fs::path& file, const std::string& place,
                 bool needed) {
  if (!j.contains(key) || j[key].is_null()) {
    if (needed) refuse(file, place, std::string("\"") + key + "\" is missing");
    return {};
  }
  if (!j[key].is_string()) refuse(file, place, std::string("\"") + key + "\" must be text");
  return j[key].get<std::string>();
}

std::int64_t count(const json& j, const char* key, const fs::path& file) {
  if (!j.contains(key)) return 0;
  if (!j[key].is_number_integer() || j[key] < 0)
    refuse(file, std::string("decode, ") + key, "a whole number from 0");
  return j[key];
}

void readDecode(const json& d, const fs::path& file, const fs::path& folder, Series& s) {
  if (!d.is_object()) refuse(file, "decode", "an object was expected");
  s.decode.curve = word(d, "curve", file, "decode", false);
  if (!s.decode.curve.empty() && !isCurveName(s.decode.curve))
    s.decode.curve = (folder / s.decode.curve).string();
  const std::string range = word(d, "range", file, "decode", false);
  if (range == "full")
    s.decode.range = Range::Full;
  else if (range == "legal")
    s.decode.range = Range::Legal;
  else if (!range.empty() && range != "auto")
    refuse(file, "decode, range", "full, legal or auto");
  const auto primaries = [&](const char* key) -> std::optional<Primaries> {
    const std::string name = word(d, key, file, "decode", false);
    if (name.empty() || name == "auto") return std::nullopt;
    const auto p = parsePrimaries(name);
    if (!p) refuse(file, std::string("decode, ") + key, "bt601, bt709 or bt2020");
    return p;
  };
  s.decode.matrix = primaries("matrix");
  s.decode.primaries = primaries("primaries");
  s.window = {count(d, "first", file), count(d, "frames", file)};
}

// kind: what its takes are told apart by must be there.
TakeSpec readTake(const json& t, const fs::path& file, const fs::path& folder, size_t i,
                  const std::string& kind) {
  const std::string place = "take " + std::to_string(i + 1);
  if (!t.is_object()) refuse(file, place, "an object was expected");
  TakeSpec take;
  take.name = word(t, "name", file, place, false);
  if (take.name.empty()) take.name = std::to_string(i + 1);
  take.clip = folder / word(t, "clip", file, place, true);
  take.role = word(t, "role", file, place, false);
  const auto number = [&](const char* key, double low, double high) -> std::optional<double> {
    if (!t.contains(key) || t[key].is_null()) return std::nullopt;
    if (!t[key].is_number()) refuse(file, place, std::string("\"") + key + "\" must be a number");
    const double v = t[key];
    if (!std::isfinite(v) || v < low || v > high)
      refuse(file, place, std::string("\"") + key + "\" is absurd");
    return v;
  };
  take.plannedStops = number("stops", -30, 30);
  take.iso = number("iso", 1, 1e8);
  take.nd = number("nd", 0, 12);
  if (t.contains("native")) {
    if (!t["native"].is_boolean()) refuse(file, place, "\"native\" must be true or false");
    take.native = t["native"];
  }
  if (take.role == "black") return take;
  if (!take.plannedStops && (kind == "bracket" || kind == "transfer"))
    refuse(file, place, "\"stops\" is missing");
  if (!take.iso && kind == "iso-sweep") refuse(file, place, "\"iso\" is missing");
  if (!take.nd && kind == "infrared") refuse(file, place, "\"nd\" is missing");
  return take;
}

}  // namespace

std::string defaultCurve(const ClipInfo& info) {
  if (const auto curve = curveByFormat(info)) return *curve;
  throw UsageError("the curve of this kind of clip must be given", info.path.string(), "",
                   "say how its codes were made, for instance acescct");
}

void requireKind(const Series& s, const fs::path& file, const std::vector<std::string>& kinds) {
  if (std::find(kinds.begin(), kinds.end(), s.kind) != kinds.end()) return;
  std::string wanted;
  for (const auto& k : kinds) wanted += (wanted.empty() ? "" : " or ") + k;
  refuse(file, "kind", "this is a series of kind " + s.kind + ", not " + wanted);
}

Series readSeries(const fs::path& file) {
  const json j = readJsonFile(file);
  if (!j.is_object()) refuse(file, "", "not a JSON object");
  if (j.value("format", json()) != "edge-test-series") refuse(file, "format", "this is no edge-test-series");
  if (j.value("version", json()) != 1) refuse(file, "version", "only version 1 is read");
  const fs::path folder = file.parent_path();
  Series s;
  if (j.contains("kind")) s.kind = word(j, "kind", file, "kind", true);
  static const std::set<std::string> kinds = {"bracket",  "iso-sweep", "iso-ladder",
                                              "transfer", "pair",      "infrared"};
  if (!kinds.count(s.kind)) refuse(file, "kind", "unknown kind \"" + s.kind.substr(0, 40) + "\"");
  readDecode(j.value("decode", json::object()), file, folder, s);
  const std::string chart = word(j, "chart", file, "chart", s.kind == "bracket");
  if (!chart.empty()) {
    s.chartFile = folder / chart;
    s.chart = readChart(s.chartFile);
  }
  if (j.contains("regions"))
    // Without a chart they are given in pixels of the clips.
    s.regions = s.chartFile.empty()
                    ? readRegions(j["regions"], file, kMaxSide, kMaxSide)
                    : readRegions(j["regions"], file, s.chart.referenceWidth, s.chart.referenceHeight);
  const std::string base = word(j, "base", file, "base", s.kind == "bracket");
  if (!base.empty()) s.base = folder / base;
  if (j.contains("display")) s.display = word(j, "display", file, "display", true);
  s.display = displayName(s.display);
  if (isDisplayFile(s.display)) s.display = (folder / s.display).string();
  if (!j.contains("takes") || !j["takes"].is_array() || j["takes"].empty()) refuse(file, "takes", "no takes");
  if (j["takes"].size() > kMaxTakes) refuse(file, "takes", "too many takes");
  for (size_t i = 0; i < j["takes"].size(); ++i)
    s.takes.push_back(readTake(j["takes"][i], file, folder, i, s.kind));
  return s;
}

}  // namespace edge
