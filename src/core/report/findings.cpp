#include "report/findings.h"

#include <fmt/format.h>

#include <cmath>

#include "base/csv.h"
#include "base/json_numbers.h"
#include "base/numbers.h"
#include "base/parallel.h"
#include "report/protocols.h"

using nlohmann::json;

namespace edge {
namespace {

std::string plain(const std::optional<Limit>& l) {
  if (!l) return "";
  return (l->atLeast ? ">=" : "") + formatNumber(l->stops, 3);
}
std::string sigma(const std::optional<Limit>& l) {
  return l && !l->atLeast ? formatNumber(l->sigma, 3) : "";
}
std::string plain(const std::optional<double>& v, int decimals) {
  return v ? formatNumber(*v, decimals) : "";
}

std::optional<Limit> headlineOf(const Finding& f) {
  return f.range ? f.range->headline : std::nullopt;
}

std::optional<double> greyCodeOf(const Configuration& c, const std::filesystem::path& folder) {
  const std::string curve = decodeOfBracket(c, folder).curve;
  if (curve.empty() || curve == "linear") return std::nullopt;
  try {
    return makeCurve(curve).curve->toCode(kMiddleGrey);
  } catch (const Error&) {
    return std::nullopt;  // the curve's file is gone: measuring says so
  }
}

}  // namespace

namespace {

// What people decided of it.
void decide(const Project& p, Finding& f) {
  const std::int64_t id = f.configuration.id;
  const auto claim = p.decision(id, "", kClaimKey), count = p.decision(id, "", kOwnCountKey);
  f.claimStops = claim && claim->value.is_number() ? std::optional(claim->value.get<double>()) : std::nullopt;
  f.ownCount = count ? optionalWhole<int>(count->value) : std::nullopt;
  f.profile = criteriaOf(p);
}

// All but the figures and the files they need.
Finding findingOf(const Project& p, Configuration c) {
  Finding f;
  f.configuration = std::move(c);
  f.baseAboveGrey = baseOffsetOf(p);
  f.baseAperture = baseApertureOf(p);
  decide(p, f);
  return f;
}

void judge(const Project& p, Finding& f) {
  if (!f.latitudeMeasure) return;
  const Overrides own = overridesOf(p, f.configuration.id);
  f.latitude = judgeLatitude(*f.latitudeMeasure, f.profile, own);
  f.toolEdges =
      own.empty() ? std::nullopt : std::optional(judgeLatitude(*f.latitudeMeasure, f.profile).edges);
}

}  // namespace

void decideAgain(const Project& p, Finding& f) {
  decide(p, f);
  judge(p, f);
}

Finding collectFinding(const Project& p, Configuration c) {
  const auto raster = deliveryRasterOf(p);
  Finding f = findingOf(p, std::move(c));
  f.wedge = storedWedge(p, f.configuration);
  f.black = storedBlack(p, f.configuration);
  if (raster) f.rasterWedge = storedWedge(p, f.configuration, raster);
  f.latitudeMeasure = storedLatitude(p, f.configuration);
  f.greyCode = greyCodeOf(f.configuration, p.folder());
  judge(p, f);
  return f;
}

Finding recordedFinding(const Project& p, Configuration c, bool* fits) {
  Finding f = findingOf(p, std::move(c));
  Recorded r = recordedOf(p, f.configuration);
  *fits = (!r.wedge || r.wedgeFits) && (!r.latitude || r.latitudeFits);
  f.wedge = std::move(r.wedge), f.black = std::move(r.black), f.latitudeMeasure = std::move(r.latitude);
  judge(p, f);
  analyseRanges(f, rangeOptionsOf(p));
  return f;
}

std::vector<Finding> collectFindings(const Project& p) {
  std::vector<Finding> list;
  for (auto& c : p.configurations()) list.push_back(collectFinding(p, std::move(c)));
  analyseRanges(list, rangeOptionsOf(p));
  markProtocols(list);
  return list;
}

void analyseRanges(std::vector<Finding>& findings, const RangeOptions& options) {
  parallelFor(static_cast<int>(findings.size()), [&](int i) {
    Finding& f = findings[static_cast<size_t>(i)];
    analyseRanges(f, options);
  });
}

void analyseRanges(Finding& f, const RangeOptions& options) {
  RangeOptions own = options;
  if (f.black) setBlack(own, *f.black);
  if (f.wedge) f.range = analyseRange(*f.wedge, own);
  // Noise of the cap-on clip belongs to its own raster.
  if (f.rasterWedge) f.rasterRange = analyseRange(*f.rasterWedge, options);
}

std::string limitFigure(const std::optional<Limit>& l, bool sign) {
  if (!l) return "not known";
  const std::string number = sign ? formatSigned(l->stops, 1) : formatNumber(l->stops, 1);
  if (l->atLeast) return (sign && l->stops < 0 ? "beyond " : "at least ") + number;
  const double s = std::max(0.1, std::ceil(l->sigma * 10 - 0.5) / 10);
  return number + " ±" + formatNumber(s, 1);
}

std::string limitWords(const std::optional<Limit>& l, bool sign) {
  return l ? limitFigure(l, sign) + " stops" : limitFigure(l);
}

std::string boardCsv(const std::vector<Finding>& findings) {
  std::string s = csvLine({"body",
                           "mode",
                           "iso",
                           "range_stops",
                           "range_sigma",
                           "range_label",
                           "above_grey",
                           "below_grey",
                           "snr1_stops",
                           "snr10_stops",
                           "noise_floor_below_grey",
                           "steps_visible",
                           "over_edge",
                           "over_sigma",
                           "over_cause",
                           "under_edge",
                           "under_sigma",
                           "under_cause",
                           "latitude_stops",
                           "latitude_sigma",
                           "latitude_with_clean_up",
                           "light",
                           "base_above_grey",
                           "published_stops",
                           "own_count",
                           "rate"});
  for (const auto& f : findings) {
    const auto at = [&](double t) -> std::optional<Limit> {
      if (!f.range) return std::nullopt;
      const auto& m = f.range->channel[kY].range;
      const auto i = m.find(t);
      return i == m.end() ? std::nullopt : std::optional(i->second);
    };
    const auto edge = [&](bool over) {
      return f.latitude ? std::optional(over ? f.latitude->edges.over : f.latitude->edges.under)
                        : std::nullopt;
    };
    const auto over = edge(true), under = edge(false);
    const auto estimate = [](const std::optional<EdgeLimit>& e) {
      return e ? std::optional(e->estimate) : std::nullopt;
    };
    const auto latitude = f.latitude ? f.latitude->edges.latitude : std::nullopt;
    s += csvLine({f.configuration.body,
                  f.configuration.mode,
                  formatNumber(f.configuration.iso, 0),
                  plain(headlineOf(f)),
                  sigma(headlineOf(f)),
                  f.range ? f.range->headlineLabel : "",
                  plain(f.range ? f.range->aboveGrey : std::nullopt),
                  plain(f.range ? f.range->belowGrey : std::nullopt),
                  plain(at(1)),
                  plain(at(10)),
                  plain(f.range ? f.range->noiseFloorBelowGrey : std::nullopt),
                  f.range ? std::to_string(f.range->stepsVisible) : "",
                  plain(estimate(over)),
                  sigma(estimate(over)),
                  over ? wordsOf(over->cause) : "",
                  plain(estimate(under)),
                  sigma(estimate(under)),
                  under ? wordsOf(under->cause) : "",
                  plain(latitude),
                  sigma(latitude),
                  plain(f.latitude ? f.latitude->cleaned.latitude : std::nullopt),
                  f.configuration.light,
                  formatNumber(f.baseAboveGrey, 3),
                  plain(f.claimStops, 3),
                  f.ownCount ? std::to_string(*f.ownCount) : "",
                  cardOf(f).large.back().value});
  }
  return s;
}

std::string takesCsv(const std::vector<Finding>& findings) {
  std::vector<std::string> head = {
      "body",    "mode",          "iso",          "take",    "planned_stops",   "measured_stops",
      "sigma",   "verdict",       "tool_verdict", "reasons", "clipped_percent", "shift_a",
      "shift_b", "delta_e00_mean"};
  for (const auto& spec : criteria())
    if (spec.is(kListed)) head.emplace_back(spec.metric);
  std::string s = csvLine(head);
  for (const auto& f : findings) {
    if (!f.latitude) continue;
    for (size_t i = 0; i < f.latitudeMeasure->takes.size(); ++i) {
      const TakeMetrics& t = f.latitudeMeasure->takes[i];
      std::string reasons;
      for (const auto& r : f.latitude->verdicts[i].reasons)
        reasons += (reasons.empty() ? "" : "; ") + reasonWords(r);
      std::vector<std::string> line = {f.configuration.body,
                                       f.configuration.mode,
                                       formatNumber(f.configuration.iso, 0),
                                       t.name,
                                       formatNumber(t.planned, 2),
                                       plain(t.measured, 3),
                                       formatNumber(t.sigma, 3),
                                       wordOf(f.latitude->judged[i].verdict),
                                       wordOf(f.latitude->verdicts[i].verdict),
                                       reasons,
                                       plain(worstClip(t), 2),
                                       formatNumber(t.shiftA, 2),
                                       formatNumber(t.shiftB, 2),
                                       formatNumber(t.deltaMean, 2)};
      for (const auto& spec : criteria())
        if (spec.is(kListed)) line.push_back(plain(t[spec.id], 2));
      s += csvLine(line);
    }
  }
  return s;
}

json findingsJson(const std::vector<Finding>& findings) {
  json j = {{"format", "edge-test-findings"}, {"version", 1}, {"configurations", json::array()}};
  for (const auto& f : findings) {
    json c = {{"id", f.configuration.id},           {"label", f.configuration.label()},
              {"base_above_grey", f.baseAboveGrey}, {"body", f.configuration.body},
              {"mode", f.configuration.mode},       {"iso", f.configuration.iso},
              {"light", f.configuration.light}};
    c["range"] = f.range ? rangeToJson(*f.wedge, *f.range) : json();
    c["latitude"] = f.latitude ? latitudeToJson(*f.latitudeMeasure, *f.latitude, f.profile) : json();
    j["configurations"].push_back(c);
  }
  return j;
}

}  // namespace edge
