#include "chart/densities.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <sstream>

#include "base/error.h"
#include "base/files.h"
#include "base/numbers.h"
#include "base/units.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr double kStopsPerDensity = 1 / kDensityPerStop;
constexpr size_t kMostRows = 2000;

[[noreturn]] void refuse(const fs::path& file, int line, const std::string& what) {
  throw Error(what, file.string(), line > 0 ? fmt::format("line {}", line) : "",
              "give name and density by row, as docs/formats.md describes");
}

enum class Unit { Density, Stops, LuminanceY };

std::optional<Unit> unitOf(const std::string& column) {
  const std::string c = lower(trim(column));
  if (c == "density" || c == "d" || c == "d_vis" || c == "vis" || c == "d_visual") return Unit::Density;
  if (c == "stops") return Unit::Stops;
  if (c == "xyz_y" || c == "y" || c == "luminance") return Unit::LuminanceY;
  return std::nullopt;
}

bool isName(const std::string& column) {
  const std::string c = lower(trim(column));
  return c == "name" || c == "sample_id" || c == "sample_name" || c == "patch";
}

struct Columns {
  size_t name = 0, value = 0;
  Unit unit = Unit::Density;
};

Columns columnsOf(const std::vector<std::string>& header, const fs::path& file, int line) {
  Columns c;
  bool value = false, name = false;
  for (size_t i = 0; i < header.size(); ++i) {
    if (isName(header[i]) && !name) c.name = i, name = true;
    if (const auto u = unitOf(header[i]); u && !value) c.value = i, c.unit = *u, value = true;
  }
  if (!name || !value) refuse(file, line, "no column of names, or none of density, stops or Y");
  return c;
}

PatchLight rowOf(const std::vector<std::string>& words, const Columns& c, const fs::path& file, int line) {
  if (words.size() <= std::max(c.name, c.value)) refuse(file, line, "the row is too short");
  const auto v = parseNumber(words[c.value]);
  if (!v) refuse(file, line, "not a number: \"" + words[c.value].substr(0, 40) + "\"");
  std::string name = trim(words[c.name]);
  if (name.size() >= 2 && name.front() == '"' && name.back() == '"') name = name.substr(1, name.size() - 2);
  PatchLight p{name, 0};
  if (c.unit == Unit::Density) {
    if (*v < -0.5 || *v > 12) refuse(file, line, fmt::format("a density of {:g} is absurd", *v));
    p.stops = -*v * kStopsPerDensity;
  } else if (c.unit == Unit::Stops) {
    if (std::abs(*v) > 40) refuse(file, line, fmt::format("{:g} stops are absurd", *v));
    p.stops = *v;
  } else {
    if (!(*v > 0 && *v < 1e6)) refuse(file, line, fmt::format("a luminance of {:g} is absurd", *v));
    p.stops = std::log2(*v / 100);
  }
  return p;
}

std::vector<PatchLight> readCgats(std::istringstream& in, const fs::path& file) {
  std::vector<PatchLight> rows;
  std::optional<Columns> columns;
  std::string line;
  bool format = false, data = false;
  for (int n = 1; std::getline(in, line); ++n) {
    const auto words = splitWords(line);
    if (words.empty() || words[0][0] == '#') continue;
    if (words[0] == "BEGIN_DATA_FORMAT")
      format = true;
    else if (words[0] == "END_DATA_FORMAT")
      format = false;
    else if (words[0] == "BEGIN_DATA")
      data = true;
    else if (words[0] == "END_DATA")
      break;
    else if (format)
      columns = columnsOf(words, file, n);
    else if (data) {
      if (!columns) refuse(file, n, "data before its format");
      rows.push_back(rowOf(words, *columns, file, n));
      if (rows.size() > kMostRows) refuse(file, n, "too many rows");
    }
  }
  return rows;
}

std::vector<PatchLight> readCsv(std::istringstream& in, const fs::path& file) {
  std::vector<PatchLight> rows;
  std::optional<Columns> columns;
  std::string line;
  for (int n = 1; std::getline(in, line); ++n) {
    if (trim(line).empty() || line[0] == '#') continue;
    const char separator = line.find(';') != std::string::npos ? ';' : ',';
    const auto words = split(line, separator);
    if (!columns) {
      columns = columnsOf(words, file, n);
      continue;
    }
    rows.push_back(rowOf(words, *columns, file, n));
    if (rows.size() > kMostRows) refuse(file, n, "too many rows");
  }
  return rows;
}

}  // namespace

std::vector<PatchLight> readDensities(const fs::path& file) {
  const std::string text = readText(file);
  std::istringstream in(text);
  auto rows = text.find("BEGIN_DATA") != std::string::npos ? readCgats(in, file) : readCsv(in, file);
  if (rows.empty()) refuse(file, 0, "no densities in it");
  return rows;
}

std::vector<PatchLight> typedDensities(const std::string& text) {
  std::string plain = text;
  std::replace(plain.begin(), plain.end(), ';', ' ');
  std::istringstream in(plain);
  std::vector<PatchLight> lights;
  for (std::string word; in >> word;) {
    const auto density = parseNumber(word);
    if (!density || !(std::abs(*density) <= 12) || lights.size() >= kMostRows)
      throw Error("not a density: \"" + word.substr(0, 40) + "\"", "",
                  fmt::format("entry {}", lights.size() + 1),
                  "type one density for each patch, in the chart's order, for instance 0.05 0.35 0.66");
    lights.push_back({"", -*density * kStopsPerDensity});
  }
  if (lights.empty())
    throw Error("no density was typed", "", "", "type one for each patch, in the chart's order");
  return lights;
}

void calibrate(Chart& chart, const std::vector<PatchLight>& lights, const fs::path& file, double sigma) {
  const auto named = [&](const Patch& p) {
    return std::find_if(lights.begin(), lights.end(), [&](const PatchLight& l) { return l.name == p.name; });
  };
  const bool byName = std::all_of(chart.patches.begin(), chart.patches.end(),
                                  [&](const Patch& p) { return named(p) != lights.end(); });
  if (!byName && lights.size() < chart.patches.size())
    throw Error(fmt::format("{} densities for {} patches", lights.size(), chart.patches.size()),
                file.string(), "", "give one for each patch, by its name or in the chart's order");
  for (size_t i = 0; i < chart.patches.size(); ++i) {
    Patch& p = chart.patches[i];
    p.stops = byName ? named(p)->stops : lights[i].stops;
    p.stopsSigma = sigma;
  }
}

}  // namespace edge
