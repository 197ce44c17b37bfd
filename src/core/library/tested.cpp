#include "library/tested.h"

#include <fmt/format.h>

#include <chrono>
#include <cmath>
#include <set>

#include "base/hash.h"
#include "base/json_numbers.h"
#include "base/numbers.h"
#include "plan/run_list.h"
#include "project/decode_json.h"
#include "report/protocols.h"
#include "report/reach.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

json kept(const std::optional<Limit>& l) {
  return l ? json{l->stops, l->sigma, l->atLeast} : json();
}
std::optional<Limit> limitFrom(const json& j) {
  if (j.is_null()) return std::nullopt;
  return Limit{j.at(0), j.at(1), j.at(2)};
}

std::string dayOf(fs::file_time_type t) {
  const std::time_t at = std::chrono::system_clock::to_time_t(
      std::chrono::time_point_cast<std::chrono::system_clock::duration>(std::chrono::file_clock::to_sys(t)));
  std::tm day{};
  gmtime_r(&at, &day);
  char text[16] = {};
  std::strftime(text, sizeof text, "%Y-%m-%d", &day);
  return text;
}

// What codes mean: the curve by its file's name, range, matrix.
std::string decodeWords(const DecodeOptions& d) {
  json j = toJson(d);
  if (j.contains("curve") && j["curve"].is_string())
    j["curve"] = fs::path(j["curve"].get<std::string>()).filename().string();
  return j.dump();
}

// A pixel of another raster or sampling has another noise.
std::string rasterWords(const WedgeMeasure& w) {
  return fmt::format("{} x {}{}{}", w.rasterWidth, w.rasterHeight, w.mosaic ? ", a mosaic" : "",
                     w.subsampled ? ", shared colour" : "");
}

// Of the last take that was shot, else of the first entry: a note of years later is no test of that day.
std::string dayOfTest(const std::vector<LogEntry>& log) {
  std::string day = log.empty() ? "" : log.front().at;
  for (const auto& e : log)
    if (e.kind == "done") day = e.at;
  return day.substr(0, 10);
}

bool isDay(const std::string& s) {
  return s.size() >= 10 && s[4] == '-' && s[7] == '-';
}

}  // namespace

const std::array<TestedFigureSpec, kTestedFigures>& testedFigures() {
  static const std::array<TestedFigureSpec, kTestedFigures> list = {{
      {TestedFigure::Range, "range", "dynamic range", false, false, 1},
      {TestedFigure::Latitude, "latitude", "latitude", false, true, 1},
      {TestedFigure::Under, "under", "sinks to", true, true, -1},
      {TestedFigure::Over, "over", "burns to", true, true, 1},
      {TestedFigure::Clip, "clip", "clips at", false, false, 1},
      {TestedFigure::Floor, "floor", "noise floor below grey", false, false, 1},
  }};
  return list;
}

std::string Tested::label() const {
  Configuration c;
  c.body = body, c.mode = mode, c.iso = iso, c.light = light;
  return c.label();
}

Tested testedOf(const Finding& f, double headlineSnr, bool fits) {
  Tested t;
  const Configuration& c = f.configuration;
  t.id = c.id, t.body = c.body, t.mode = c.mode, t.light = c.light, t.iso = c.iso;
  t.decode = decodeWords(c.decode);
  t.criteria = f.profile.name + " " + hashBytes(toJson(f.profile).dump()).substr(0, 8);
  t.headlineSnr = headlineSnr, t.protocol = protocolOf(c), t.fits = fits;
  const auto set = [&](TestedFigure figure, const std::optional<Limit>& l) {
    if (l && std::isfinite(l->stops) && std::isfinite(l->sigma)) t.figures[static_cast<size_t>(figure)] = l;
  };
  if (f.wedge) t.raster = rasterWords(*f.wedge);
  if (f.range) {
    std::set<std::string> codes;
    for (const auto& w : f.range->warnings) codes.insert(w.code);
    t.said.assign(codes.begin(), codes.end());
    set(TestedFigure::Range, f.range->headline), set(TestedFigure::Clip, f.range->aboveGrey);
    set(TestedFigure::Floor, f.range->noiseFloorBelowGrey);
  }
  if (f.latitude) {
    const Reach r = reachOf(f);
    set(TestedFigure::Latitude, f.latitude->edges.latitude);
    set(TestedFigure::Under, r.cleanUnder), set(TestedFigure::Over, r.cleanOver);
    if (f.latitudeMeasure->toGrey) t.baseOverCurve = -*f.latitudeMeasure->toGrey;
  }
  return t;
}

std::vector<Tested> testedOf(const Project& p, const std::string& file) {
  std::string date = dayOfTest(p.log());
  const bool logged = isDay(date);
  if (!logged) date = dayOf(fs::last_write_time(p.file()));
  const std::string title = p.title(), id = p.id();
  const double snr = rangeOptionsOf(p).headlineSnr;
  std::vector<Tested> list;
  for (auto& c : p.configurations()) {
    bool fits = true;
    const Finding f = recordedFinding(p, std::move(c), &fits);
    Tested t = testedOf(f, snr, fits);
    t.file = file, t.title = title, t.project = id, t.date = date, t.dateOfFile = !logged;
    list.push_back(std::move(t));
  }
  return list;
}

bool sameConfiguration(const Tested& a, const Tested& b) {
  const auto alike = [](const std::string& x, const std::string& y) {
    return lower(trim(x)) == lower(trim(y));
  };
  return alike(a.body, b.body) && alike(a.mode, b.mode) && alike(a.light, b.light) && a.iso == b.iso;
}

json toJson(const Tested& t) {
  json j = {{"project", t.project},    {"file", t.file}, {"title", t.title},         {"date", t.date},
            {"of_file", t.dateOfFile}, {"id", t.id},     {"body", t.body},           {"mode", t.mode},
            {"light", t.light},        {"iso", t.iso},   {"decode", t.decode},       {"criteria", t.criteria},
            {"snr", t.headlineSnr},    {"fits", t.fits}, {"figures", json::object()}};
  for (const auto& spec : testedFigures()) j["figures"][spec.key] = kept(t[spec.id]);
  j["raster"] = t.raster, j["said"] = t.said;
  j["base"] = t.baseOverCurve ? json(*t.baseOverCurve) : json();
  if (t.protocol) j["protocol"] = toJson(*t.protocol);
  return j;
}

Tested testedFromJson(const json& j) {
  Tested t;
  t.project = j.at("project"), t.file = j.at("file"), t.title = j.at("title"), t.date = j.at("date"),
  t.dateOfFile = j.at("of_file");
  t.id = Whole(j.at("id")), t.body = j.at("body"), t.mode = j.at("mode"), t.light = j.at("light");
  t.iso = j.at("iso"), t.decode = j.at("decode"), t.criteria = j.at("criteria");
  t.raster = j.at("raster"), t.said = j.at("said").get<std::vector<std::string>>();
  t.headlineSnr = j.at("snr"), t.fits = j.at("fits");
  for (const auto& spec : testedFigures())
    t.figures[static_cast<size_t>(spec.id)] = limitFrom(j.at("figures").at(spec.key));
  if (j.at("base").is_number()) t.baseOverCurve = j["base"].get<double>();
  if (j.contains("protocol")) t.protocol = protocolFromJson(j["protocol"]);
  return t;
}

}  // namespace edge
