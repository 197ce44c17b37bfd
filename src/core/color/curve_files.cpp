#include "color/curve_files.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <sstream>

#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"
#include "base/numbers.h"
#include "color/ocio.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr int kMaxRows = 1 << 20;
// Samples of a CLF per unit of code: linear interpolation is then within 1e-8 of a log curve.
constexpr int kClfSamplesPerUnit = 65536;

[[noreturn]] void refuse(const fs::path& file, const std::string& what, const std::string& place) {
  throw Error(what, file.string(), place, "give a curve file as described in docs/formats.md");
}

std::string lineNumber(int n) {
  return fmt::format("line {}", n);
}

std::vector<double> numbersOf(const fs::path& file, const std::string& line, int number, char separator) {
  std::vector<double> values;
  const auto words = separator == ' ' ? splitWords(line) : split(line, separator);
  for (const auto& word : words) {
    const auto v = parseNumber(word);
    if (!v) refuse(file, "not a number: \"" + word.substr(0, 40) + "\"", lineNumber(number));
    values.push_back(*v);
  }
  return values;
}

double neutralValue(const fs::path& file, const std::vector<double>& v, int line) {
  if (v.size() != 1 && v.size() != 3) refuse(file, "one or three values were expected", lineNumber(line));
  for (double x : v)
    if (std::abs(x - v[0]) > 1e-6 * std::max(1.0, std::abs(v[0])))
      throw Error("the three channels differ", file.string(), lineNumber(line),
                  "give a curve that is the same for red, green and blue");
  return v[0];
}

std::shared_ptr<const Curve> risingTable(const fs::path& file, std::vector<double> codes,
                                         std::vector<double> linears) {
  if (codes.size() < 2) refuse(file, "a curve needs at least two rows", "");
  for (size_t i = 1; i < codes.size(); ++i)
    if (!(codes[i] > codes[i - 1]) || !(linears[i] > linears[i - 1]))
      refuse(file, "the curve does not rise", fmt::format("row {}", i + 1));
  return tableCurve(std::move(codes), std::move(linears));
}

std::shared_ptr<const Curve> readCsv(const fs::path& file) {
  std::istringstream in(readText(file));
  std::string line;
  std::getline(in, line);
  if (lower(trim(line)) != "linear,code")
    refuse(file, "the header \"linear,code\" is missing", lineNumber(1));
  std::vector<double> codes, linears;
  for (int n = 2; std::getline(in, line); ++n) {
    if (trim(line).empty()) continue;
    const auto v = numbersOf(file, line, n, ',');
    if (v.size() != 2) refuse(file, "two values were expected", lineNumber(n));
    if (n > kMaxRows) refuse(file, "too many rows", lineNumber(n));
    linears.push_back(v[0]);
    codes.push_back(v[1]);
  }
  return risingTable(file, std::move(codes), std::move(linears));
}

// Evenly spaced samples of linear from code `from` to `to`.
std::shared_ptr<const Curve> evenTable(const fs::path& file, double from, double to,
                                       std::vector<double> linears) {
  std::vector<double> codes(linears.size());
  for (size_t i = 0; i < codes.size(); ++i)
    codes[i] = from + (to - from) * static_cast<double>(i) / static_cast<double>(codes.size() - 1);
  return risingTable(file, std::move(codes), std::move(linears));
}

std::shared_ptr<const Curve> readCube(const fs::path& file) {
  std::istringstream in(readText(file));
  std::string line;
  double from = 0, to = 1, size = 0;
  std::vector<double> linears;
  for (int n = 1; std::getline(in, line); ++n) {
    const std::string t = trim(line);
    if (t.empty() || t[0] == '#' || t.rfind("TITLE", 0) == 0) continue;
    const auto words = splitWords(t);
    if (words[0] == "LUT_3D_SIZE")
      throw Error("a 3D LUT is no transfer curve", file.string(), lineNumber(n),
                  "use a 1D curve here; a 3D LUT can be the display transform");
    if (std::isalpha(static_cast<unsigned char>(words[0][0]))) {
      const auto v = words.size() > 1 ? parseNumber(words[1]) : std::nullopt;
      if (!v) refuse(file, "keyword without a number", lineNumber(n));
      if (words[0] == "LUT_1D_SIZE") size = *v;
      if (words[0] == "DOMAIN_MIN" || words[0] == "LUT_1D_INPUT_RANGE") from = *v;
      if (words[0] == "DOMAIN_MAX") to = *v;
      if (words[0] == "LUT_1D_INPUT_RANGE" && words.size() > 2) to = parseNumber(words[2]).value_or(1);
      continue;
    }
    linears.push_back(neutralValue(file, numbersOf(file, t, n, ' '), n));
  }
  if (size < 2 || size > kMaxRows || linears.size() != static_cast<size_t>(size))
    refuse(file, fmt::format("LUT_1D_SIZE {:g} and {} rows don't agree", size, linears.size()), "");
  return evenTable(file, from, to, std::move(linears));
}

std::shared_ptr<const Curve> readSpi1d(const fs::path& file) {
  std::istringstream in(readText(file));
  std::string line;
  double from = 0, to = 1, length = 0;
  bool inside = false;
  std::vector<double> linears;
  for (int n = 1; std::getline(in, line); ++n) {
    const auto words = splitWords(line);
    if (words.empty() || words[0][0] == '#') continue;
    if (words[0] == "{")
      inside = true;
    else if (words[0] == "}")
      break;
    else if (inside)
      linears.push_back(neutralValue(file, numbersOf(file, line, n, ' '), n));
    else if (words[0] == "From" && words.size() == 3) {
      from = parseNumber(words[1]).value_or(0);
      to = parseNumber(words[2]).value_or(1);
    } else if (words[0] == "Length" && words.size() == 2)
      length = parseNumber(words[1]).value_or(0);
  }
  if (length < 2 || length > kMaxRows || linears.size() != static_cast<size_t>(length))
    refuse(file, fmt::format("Length {:g} and {} rows don't agree", length, linears.size()), "");
  return evenTable(file, from, to, std::move(linears));
}

std::shared_ptr<const Curve> readJson(const fs::path& file) {
  const auto j = readJsonFile(file, 1u << 20);
  if (!j.is_object()) refuse(file, "not a JSON object", "");
  const auto number = [&](const char* key, bool needed, double fallback) {
    if (!j.contains(key)) {
      if (needed) refuse(file, "a parameter is missing", key);
      return fallback;
    }
    if (!j[key].is_number() || !std::isfinite(j[key].get<double>())) refuse(file, "not a number", key);
    return j[key].get<double>();
  };
  LogCamera p;
  p.base = number("base", true, 2);
  p.logSideSlope = number("logSideSlope", true, 1);
  p.logSideOffset = number("logSideOffset", true, 0);
  p.linSideSlope = number("linSideSlope", true, 1);
  p.linSideOffset = number("linSideOffset", true, 0);
  p.linSideBreak = number("linSideBreak", true, 0);
  p.linearSlope = number("linearSlope", false, 0);
  try {
    return logCameraCurve(p);
  } catch (const Error& e) {
    throw Error(e.problem(), file.string(), e.place(), e.remedy());
  }
}

// The transform is sampled on the neutral axis; where the library holds the value (it clamps outside a LUT's
// domain) the flat ends are cut off, so that the end slope goes on instead.
std::shared_ptr<const Curve> sampled(const fs::path& file, const std::function<double(double)>& apply) {
  const int first = -kClfSamplesPerUnit / 4, last = kClfSamplesPerUnit * 5 / 4;
  std::vector<double> codes, linears;
  for (int i = first; i <= last; ++i) {
    codes.push_back(static_cast<double>(i) / kClfSamplesPerUnit);
    linears.push_back(apply(codes.back()));
    if (!std::isfinite(linears.back())) refuse(file, "the transform gives no finite value", "");
  }
  // Single precision can repeat a value in a toe: keep only what rises.
  std::vector<double> risingCodes, risingLinears;
  for (size_t i = 0; i < codes.size(); ++i)
    if (risingLinears.empty() || linears[i] > risingLinears.back()) {
      risingCodes.push_back(codes[i]);
      risingLinears.push_back(linears[i]);
    } else if (risingLinears.size() == 1) {
      risingCodes[0] = codes[i];
    }
  return risingTable(file, std::move(risingCodes), std::move(risingLinears));
}

}  // namespace

std::shared_ptr<const Curve> readCurveFile(const fs::path& file) {
  requireReadable(file);
  const std::string extension = lowerExtension(file);
  if (extension == ".csv") return readCsv(file);
  if (extension == ".cube") return readCube(file);
  if (extension == ".spi1d") return readSpi1d(file);
  if (extension == ".json") return readJson(file);
  if (extension == ".clf") return sampled(file, openNeutralTransform(file));
  throw Error("not a kind of curve file", file.string(), "", "use .clf, .cube, .spi1d, .csv or .json");
}

std::shared_ptr<const Curve> readLibraryCurve(const std::string& name) {
  return sampled(name, openLibraryTransform(name));
}

}  // namespace edge
