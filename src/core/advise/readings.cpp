#include "advise/readings.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/csv.h"
#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"
#include "base/numbers.h"
#include "exposure/meter.h"
#include "exposure/series.h"
#include "shoot/reading.h"

using nlohmann::json;
namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr const char* kFormat = "edge-test-readings";
constexpr int kVersion = 1;
constexpr std::uintmax_t kMostBytes = 1u << 20;
constexpr size_t kLongestName = 200;
// "T11 1/48 ISO800 ND0.3" and any other reading are far shorter.
constexpr size_t kLongestReading = 80;
constexpr const char* kHowWritten =
    R"(write one of "stops", "lux", "fc", "cd_m2", or "t" with "iso" and "shutter" where the meter was set otherwise)";

// What one reading says, by the names of the file's columns.
struct Words {
  std::optional<double> stops, lux, fc, candela, aperture, iso;
  std::optional<Seconds> shutter;
};
struct Column {
  const char* key;
  std::optional<double> Words::*value;
};
constexpr Column kColumns[] = {{"stops", &Words::stops},   {"lux", &Words::lux},    {"fc", &Words::fc},
                               {"cd_m2", &Words::candela}, {"t", &Words::aperture}, {"iso", &Words::iso}};

const ExposureSettings& needed(const std::optional<ExposureSettings>& e) {
  if (!e)
    throw UsageError("a meter's word says nothing without the scene's exposure", "", "",
                     "give ISO, shutter and T-stop the scene was metered for");
  return *e;
}

// Light that makes a grey at the scene's exposure, as the product N^2 / (t S), ND standing for less light.
double greyOf(const ExposureSettings& e) {
  const double n = e.aperture->value();
  return n * n / (e.shutter->value() * e.iso->value()) * ratioOf(stopsOf(e.nd));
}

double checkedStops(double stops) {
  if (!std::isfinite(stops) || std::abs(stops) > kFarthestTone)
    throw UsageError(fmt::format("a tone {} stops from grey", formatNumber(stops, 1)), "", "",
                     fmt::format("at most {} either way: look at the unit", formatNumber(kFarthestTone, 0)));
  return stops;
}

double positive(double v, const char* what) {
  if (!std::isfinite(v) || v <= 0)
    throw UsageError(fmt::format("{} must be more than nothing", what), "", "", "type what the meter showed");
  return v;
}

double stopsOf(const Words& w, const std::optional<ExposureSettings>& exposure) {
  const int said = static_cast<int>(w.stops.has_value()) + w.lux.has_value() + w.fc.has_value() +
                   w.candela.has_value() + w.aperture.has_value();
  if (said != 1)
    throw UsageError(said ? "more than one reading of one tone" : "no reading", "", "", kHowWritten);
  if (w.stops) return checkedStops(*w.stops);
  const ExposureSettings& e = needed(exposure);
  const double grey = greyOf(e);
  if (w.candela) return checkedStops(std::log2(positive(*w.candela, "a luminance") / (kReflected * grey)));
  if (w.lux || w.fc) {
    const double lux = w.lux ? *w.lux : luxOfFootCandles(*w.fc).value();
    return checkedStops(std::log2(positive(lux, "light") / (kIncidentFlat * grey)));
  }
  const double n = readTStop(positive(*w.aperture, "a T-stop")).exact.value();
  const double iso = w.iso ? readIso(positive(*w.iso, "an ISO")).exact.value() : e.iso->value();
  const double time = (w.shutter ? *w.shutter : *e.shutter).value();
  return checkedStops(std::log2(n * n / (time * iso) / grey));
}

Seconds shutterOf(const std::string& text) {
  const ExposureSettings s = parseSettings(text);
  if (!s.shutter || s.aperture || s.iso)
    throw UsageError("\"" + text + "\" is no shutter", "", "", "write 1/48 or 180deg@24");
  return *s.shutter;
}

[[noreturn]] void refuse(const std::string& problem, const std::string& file, const std::string& place,
                         const std::string& remedy) {
  throw Error(problem, file, place, remedy);
}

// An error of the words becomes one of the file.
template <class F>
auto inFile(const std::string& file, const std::string& place, F&& read) {
  try {
    return read();
  } catch (const UsageError& e) {
    refuse(e.problem(), file, place, e.remedy());
  }
}

double numberAt(const json& j, const std::string& file, const std::string& place) {
  if (!j.is_number() || !std::isfinite(j.get<double>()))
    refuse("a number was expected", file, place, "write it without quotes or unit");
  return j.get<double>();
}

std::string textAt(const json& j, const std::string& file, const std::string& place) {
  if (!j.is_string() || j.get_ref<const std::string&>().size() > kLongestName)
    refuse("a short text was expected", file, place, fmt::format("at most {} characters", kLongestName));
  return j.get<std::string>();
}

ExposureSettings exposureFrom(const json& j, const std::string& file) {
  if (!j.is_object())
    refuse("the exposure is no object", file, "exposure",
           R"(write {"iso": 800, "shutter": "1/48", "t": 2.8})");
  ExposureSettings e;
  for (const char* key : {"iso", "shutter", "t"})
    if (!j.contains(key))
      refuse(fmt::format("the exposure has no {}", key), file, "exposure", "give iso, shutter and t");
  return inFile(file, "exposure", [&] {
    e.iso = readIso(positive(numberAt(j["iso"], file, "exposure.iso"), "an ISO")).exact;
    e.aperture = readTStop(positive(numberAt(j["t"], file, "exposure.t"), "a T-stop")).exact;
    e.shutter = shutterOf(textAt(j["shutter"], file, "exposure.shutter"));
    if (j.contains("nd")) e.nd = Density(numberAt(j["nd"], file, "exposure.nd"));
    return e;
  });
}

SceneReading readingFrom(const json& j, size_t i, const std::string& file,
                         const std::optional<ExposureSettings>& exposure) {
  const std::string place = fmt::format("readings[{}]", i);
  if (!j.is_object()) refuse("a reading is no object", file, place, kHowWritten);
  SceneReading r;
  r.name = j.contains("name") ? textAt(j["name"], file, place + ".name") : fmt::format("reading {}", i + 1);
  Words w;
  for (const auto& c : kColumns)
    if (j.contains(c.key) && !j[c.key].is_null()) w.*c.value = numberAt(j[c.key], file, place + "." + c.key);
  if (j.contains("shutter") && !j["shutter"].is_null())
    w.shutter =
        inFile(file, place, [&] { return shutterOf(textAt(j["shutter"], file, place + ".shutter")); });
  r.stops = inFile(file, place + " \"" + r.name + "\"", [&] { return stopsOf(w, exposure); });
  if (j.contains("words")) r.words = textAt(j["words"], file, place + ".words");
  if (j.contains("may")) {
    const auto may = heldOf(textAt(j["may"], file, place + ".may"));
    if (!may) refuse("that is no state", file, place + ".may", "holds, cleanable, lost or clips");
    r.may = *may;
  }
  return r;
}

// A table: its rows as the objects of the JSON form; a row named "exposure" holds the scene's.
json jsonOfTable(const std::string& text, const std::string& file) {
  const auto rows = readCsv(text);
  if (rows.empty() || std::find(rows[0].begin(), rows[0].end(), "name") == rows[0].end())
    refuse("the table has no header with a column \"name\"", file, "line 1",
           "columns: name, stops, lux, fc, cd_m2, iso, shutter, t, may");
  json j = {{"format", kFormat}, {"version", kVersion}, {"readings", json::array()}};
  for (size_t i = 1; i < rows.size(); ++i) {
    json one = json::object();
    const std::string line = fmt::format("line {}", i + 1);
    if (rows[i].size() > rows[0].size()) refuse("more fields than columns", file, line, "one field a column");
    for (size_t c = 0; c < rows[i].size(); ++c) {
      const std::string& key = rows[0][c];
      const std::string value = trim(rows[i][c]);
      if (value.empty()) continue;
      const bool number = std::any_of(std::begin(kColumns), std::end(kColumns),
                                      [&](const Column& k) { return key == k.key; });
      if (!number && key != "name" && key != "shutter" && key != "may")
        refuse("no such column: \"" + key.substr(0, 40) + "\"", file, "line 1",
               "columns: name, stops, lux, fc, cd_m2, iso, shutter, t, may");
      if (!number) {
        one[key] = value;
        continue;
      }
      const auto v = parseNumber(value);
      if (!v) refuse("\"" + value.substr(0, 40) + "\" is no number", file, line + ", " + key, "digits only");
      one[key] = *v;
    }
    if (one.value("name", "") == "exposure")
      j["exposure"] = one;
    else
      j["readings"].push_back(one);
  }
  return j;
}

}  // namespace

ExposureSettings sceneExposure(const std::string& text) {
  ExposureSettings e = parseSettings(text);
  if (!e.aperture || !e.shutter || !e.iso)
    throw UsageError("\"" + text + "\" is no whole exposure", "", "",
                     "write T-stop, shutter and ISO: T2.8 1/48 ISO800");
  return e;
}

SceneReadings readingsFromJson(const json& j, const std::string& file,
                               const std::optional<ExposureSettings>& exposure) {
  if (!j.is_object() || j.value("format", json()) != kFormat || j.value("version", json()) != kVersion)
    refuse("these are no readings", file, "format",
           R"(readings start with "format": "edge-test-readings", "version": 1)");
  SceneReadings s;
  if (j.contains("name")) s.name = textAt(j["name"], file, "name");
  if (j.contains("exposure_words")) s.exposureWords = textAt(j["exposure_words"], file, "exposure_words");
  s.exposure = exposure ? exposure
               : j.contains("exposure") && !j["exposure"].is_null()
                   ? std::optional(exposureFrom(j["exposure"], file))
                   : std::nullopt;
  if (s.exposure && !exposure && s.exposureWords.empty())
    s.exposureWords =
        fmt::format("T{:g} {} ISO{:g}", j["exposure"]["t"].get<double>(),
                    j["exposure"]["shutter"].get<std::string>(), j["exposure"]["iso"].get<double>()) +
        (s.exposure->nd.value() != 0 ? fmt::format(" ND{:g}", s.exposure->nd.value()) : "");
  const json list = j.value("readings", json());
  if (!list.is_array() || list.empty())
    refuse("there are no readings", file, "readings", R"(write [{"name": "window", "stops": 4.5}])");
  if (list.size() > kMostReadings)
    refuse(fmt::format("{} readings", list.size()), file, "readings",
           fmt::format("at most {}", kMostReadings));
  for (size_t i = 0; i < list.size(); ++i) s.readings.push_back(readingFrom(list[i], i, file, s.exposure));
  return s;
}

SceneReadings readReadings(const fs::path& file, const std::optional<ExposureSettings>& exposure) {
  const std::string text = readText(file, kMostBytes), name = file.string();
  if (lowerExtension(file) == ".csv") return readingsFromJson(jsonOfTable(text, name), name, exposure);
  return readingsFromJson(parseJson(text, name, 8), name, exposure);
}

json toJson(const SceneReadings& s) {
  json j = {{"format", kFormat}, {"version", kVersion}, {"name", s.name}, {"readings", json::array()}};
  if (!s.exposureWords.empty()) j["exposure_words"] = s.exposureWords;
  for (const auto& r : s.readings) {
    json one = {{"name", r.name}, {"stops", r.stops}};
    if (!r.words.empty()) one["words"] = r.words;
    if (r.may != Held::Holds) one["may"] = keyOf(r.may);
    j["readings"].push_back(std::move(one));
  }
  return j;
}

double stopsOfReading(const std::string& text, const std::optional<ExposureSettings>& exposure) {
  Words w;
  std::string first = trim(text);
  // A stop of a meter that was set otherwise: "T11 1/48 ISO800".
  if (const auto gap = first.find(' ');
      gap != std::string::npos && lower(first).find("iso") != std::string::npos) {
    const ExposureSettings own = sceneExposure(first);
    w.aperture = own.aperture->value(), w.shutter = own.shutter, w.iso = own.iso->value();
    return stopsOf(w, exposure);
  }
  // Plain numbers are stops from grey here.
  if (const auto v = parseNumber(first)) return checkedStops(*v);
  const MeterReading r = readReading(first);
  switch (r.unit) {
    case ReadingUnit::Offset:
      w.stops = r.value;
      break;
    case ReadingUnit::Lux:
      w.lux = r.value;
      break;
    case ReadingUnit::CandelaPerSquareMetre:
      w.candela = r.value;
      break;
    case ReadingUnit::Stop:
      w.aperture = r.value;
      break;
  }
  return stopsOf(w, exposure);
}

std::vector<SceneReading> readingsFromText(const std::string& text,
                                           const std::optional<ExposureSettings>& exposure) {
  std::vector<SceneReading> out;
  size_t number = 0;
  for (const auto& raw : split(text, '\n')) {
    ++number;
    const std::string line = trim(raw);
    if (line.empty()) continue;
    if (out.size() == kMostReadings)
      throw UsageError("too many lines", "", fmt::format("line {}", number),
                       fmt::format("at most {}", kMostReadings));
    // The name goes as far as what follows can be read: names have spaces, and so have readings. Of a long
    // line only the end can be one: tried at every gap, a pasted megabyte would hold the window for minutes.
    const size_t first = line.size() - std::min(line.size(), kLongestReading);
    std::optional<SceneReading> found;
    std::string remedy = "write a name and a reading: window +4.5";
    for (size_t gap = line.find_first_of(" \t,;:", first); gap != std::string::npos && !found;
         gap = line.find_first_of(" \t,;:", gap + 1)) {
      const std::string reading = trim(line.substr(gap + 1));
      if (reading.empty()) break;
      try {
        found =
            SceneReading{trim(line.substr(0, gap)), stopsOfReading(reading, exposure), Held::Holds, reading};
      } catch (const UsageError& e) {
        remedy = e.problem() + ": " + e.remedy();
      }
    }
    if (!found)
      throw UsageError("\"" + line.substr(0, 60) + "\" can't be read", "", fmt::format("line {}", number),
                       remedy);
    out.push_back(std::move(*found));
  }
  return out;
}

}  // namespace edge
