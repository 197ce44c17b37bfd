#include "noise/ladder.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/json_numbers.h"
#include "base/numbers.h"
#include "exposure/series.h"
#include "recover/reducer.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kSnrLimits[] = {2, 10};
constexpr double kSureSigmas = 2;
constexpr double kSame = 0.05;        // stops: equal by construction leaves no more than sampling
constexpr double kCurveSigma = 0.01;  // relative, of a noise figure beyond sampling

double isoOf(const ZonesOfTake& t) {
  return readIso(t.iso).exact.value();
}

// The figure as noise: the more the worse.
std::optional<double> noiseOf(const ZoneNoise& z, LadderFigure f) {
  if (f == LadderFigure::Snr)
    return z.snr[kY] && *z.snr[kY] > 0 ? std::optional(1 / *z.snr[kY]) : std::nullopt;
  if (!z.seen) return std::nullopt;
  return f == LadderFigure::Luma ? z.seen->luma : z.seen->chroma;
}

std::optional<double> cleanedOf(const ZoneNoise& z, LadderFigure f) {
  if (f == LadderFigure::Snr || z.cleaned.empty() || !z.cleaned.back()) return std::nullopt;
  return f == LadderFigure::Luma ? z.cleaned.back()->luma : z.cleaned.back()->chroma;
}

struct Rise {
  double iso = 0, noise = 0, sigma = 0;  // iso: exact
  double marked = 0;
};
struct Found {
  Crossing::End end;
  double iso = 0, sigma = 0;
};

// From the last ISO downward: over the limit, until one is not. Between the two noise is a power of ISO.
std::optional<Found> crossingOf(const std::vector<Rise>& p, double limit) {
  if (p.empty()) return std::nullopt;
  size_t from = p.size();
  while (from > 0 && p[from - 1].noise > limit) --from;
  const auto slope = [&](size_t i) {  // ln noise per stop of ISO
    return std::log(p[i].noise / p[i - 1].noise) / std::log2(p[i].iso / p[i - 1].iso);
  };
  if (from == p.size()) return Found{Crossing::End::Never, p.back().marked, 0};
  if (from == 0) return Found{Crossing::End::Always, p.front().marked, 0};
  const double rise = slope(from);
  const double share = std::log(limit / p[from - 1].noise) / std::log(p[from].noise / p[from - 1].noise);
  const double stops = std::log2(p[from].iso / p[from - 1].iso);
  const double sigma =
      std::hypot(p[from].sigma * share, p[from - 1].sigma * (1 - share)) / std::max(1e-6, rise);
  return Found{Crossing::End::Between, p[from - 1].iso * std::exp2(share * stops), sigma};
}

// Stops, of the ratio of two SNRs: noise and signal of both.
double ratioSigma(const ZoneNoise& a, const ZoneNoise& b) {
  return std::hypot(std::hypot(a.sigma, b.sigma), std::hypot(a.signalSigma, b.signalSigma)) / std::log(2.0);
}

template <class F>
std::vector<Rise> risesOf(const LadderMeasure& m, Zone zone, F noise) {
  std::vector<Rise> p;
  for (const auto& t : m.takes) {
    const ZoneNoise& z = t.zones[static_cast<size_t>(zone)];
    if (const auto v = noise(z); v && t.iso > 0 && *v > 0)
      p.push_back({isoOf(t), *v, std::hypot(z.sigma, kCurveSigma), t.iso});
  }
  std::stable_sort(p.begin(), p.end(), [](const Rise& a, const Rise& b) { return a.iso < b.iso; });
  return p;
}

void addCrossing(const LadderMeasure& m, Zone zone, LadderFigure figure, double limit,
                 std::vector<Crossing>& list) {
  const double noise = figure == LadderFigure::Snr ? 1 / limit : limit;
  const auto found =
      crossingOf(risesOf(m, zone, [&](const ZoneNoise& z) { return noiseOf(z, figure); }), noise);
  if (!found) return;
  Crossing c;
  c.zone = zone;
  c.figure = figure;
  c.limit = limit;
  c.end = found->end;
  c.iso = found->iso;
  c.sigma = found->sigma;
  if (const auto cleaned =
          crossingOf(risesOf(m, zone, [&](const ZoneNoise& z) { return cleanedOf(z, figure); }), noise)) {
    c.cleanedIso = cleaned->iso;
    c.cleanedEnd = cleaned->end;
  }
  list.push_back(c);
}

json crossingJson(const Crossing& c) {
  json j = {{"zone", wordOf(c.zone)}, {"measure", wordOf(c.figure)}, {"limit", c.limit}, {"sigma", c.sigma}};
  const auto put = [&](const char* key, double iso, Crossing::End end) {
    if (end == Crossing::End::Between)
      j[key] = iso;
    else
      j[key] = {{end == Crossing::End::Never ? "at_least" : "at_most", iso}};
  };
  // The plain figure stands as it is; where it was not reached, its word stands in its place.
  j["iso"] = nullptr;
  if (c.end == Crossing::End::Between)
    j["iso"] = c.iso;
  else
    j[c.end == Crossing::End::Never ? "at_least" : "at_most"] = c.iso;
  j["cleaned_iso"] = nullptr;
  if (c.cleanedIso) put("cleaned_iso", *c.cleanedIso, c.cleanedEnd);
  return j;
}

json seenJson(const std::optional<SeenNoise>& s) {
  return s ? json{{"luma", s->luma}, {"chroma", s->chroma}} : json();
}

json zoneJson(const ZoneNoise& z) {
  json cleaned = json::array(), punched = json::array();
  for (int i = 0; i < kPunches; ++i) {
    json one = seenJson(z.punched[static_cast<size_t>(i)]);
    if (one.is_object()) one["percent"] = percentOf(i);
    punched.push_back(one);
  }
  for (size_t r = 0; r < z.cleaned.size(); ++r) {
    json rung = seenJson(z.cleaned[r]);
    if (rung.is_object()) rung["rung"] = r + 1;
    cleaned.push_back(rung);
  }
  return {{"zone", wordOf(z.zone)},
          {"patch", z.patch},
          {"stops", z.stops},
          {"level", z.level},
          {"snr",
           {{"R", number(z.snr[kR])},
            {"G", number(z.snr[kG])},
            {"B", number(z.snr[kB])},
            {"Y", number(z.snr[kY])}}},
          {"luma", z.seen ? json(z.seen->luma) : json()},
          {"chroma", z.seen ? json(z.seen->chroma) : json()},
          {"cleaned", cleaned},
          {"punched", punched},
          {"temporal", number(z.temporal)},
          {"fixed", number(z.fixed)},
          {"row", number(z.row)},
          {"column", number(z.column)},
          {"fixed_row", number(z.fixedRow)},
          {"fixed_column", number(z.fixedColumn)},
          {"grain_px", number(z.grainPx)},
          {"chroma_grain_px", number(z.chromaGrainPx)},
          {"hue", z.hue.empty() ? json() : json(z.hue)},
          {"still", z.still},
          {"doubt", z.doubt == ZoneDoubt::None ? json() : json(specOf(z.doubt).code)},
          {"sigma", z.sigma}};
}

json floorJson(const std::array<std::optional<Limit>, 2>& floor) {
  return {{"snr1", toJson(floor[0])}, {"snr2", toJson(floor[1])}};
}

json pairJson(const Pair& p) {
  json zones = json::object();
  for (int i = 0; i < kZones; ++i)
    zones[wordOf(static_cast<Zone>(i))] = number(p.byZone[static_cast<size_t>(i)]);
  return {{"difference_stops", number(p.differenceStops)},
          {"sigma", p.differenceStops ? json(p.sigma) : json()},
          {"cleaner", p.cleaner.empty() ? json() : json(p.cleaner)},
          {"by_construction", p.byConstruction},
          {"by_zone", zones}};
}

// A ladder holds its brightness; a pair's lower ISO comes out darker by the ISO ratio.
void warnOfBrightness(const LadderMeasure& m, bool pair, std::vector<Warning>& warnings) {
  for (const auto& t : m.takes) {
    const double expected =
        t.stops + (t.iso > 0 && m.takes[0].iso > 0 ? std::log2(isoOf(t) / isoOf(m.takes[0])) : 0);
    const double off = t.brightness - expected;
    if (std::abs(off) > kUnequal)
      warnings.push_back(
          {"unequal-brightness",
           fmt::format("the picture is {} stops from what its light and ISO ask for: it was brought to "
                       "equal brightness before it was judged{}",
                       formatSigned(off, 2), pair ? "; the light was not the same for both" : ""),
           "take " + t.name});
  }
}

}  // namespace

const char* wordOf(LadderFigure figure) {
  return figure == LadderFigure::Snr ? "snr" : figure == LadderFigure::Luma ? "luma" : "chroma";
}

std::vector<Crossing> crossingsOf(const LadderMeasure& m, const CriteriaProfile& p) {
  std::vector<Crossing> list;
  for (int i = 0; i < kZones; ++i) {
    const Zone zone = static_cast<Zone>(i);
    for (double snr : kSnrLimits) addCrossing(m, zone, LadderFigure::Snr, snr, list);
    for (const auto& [figure, criterion] : {std::pair(LadderFigure::Luma, Criterion::LumaNoise),
                                            std::pair(LadderFigure::Chroma, Criterion::ChromaNoise)})
      for (double limit : {p[criterion].clean, p[criterion].lost})
        if (std::isfinite(limit)) addCrossing(m, zone, figure, limit, list);
  }
  return list;
}

std::vector<double> overBelow(const LadderMeasure& m, const Crossing& c) {
  const double limit = c.figure == LadderFigure::Snr ? 1 / c.limit : c.limit;
  std::vector<double> list;
  if (c.end == Crossing::End::Always) return list;
  for (const auto& p : risesOf(m, c.zone, [&](const ZoneNoise& z) { return noiseOf(z, c.figure); }))
    if (p.noise > limit && p.iso < c.iso) list.push_back(p.marked);
  return list;
}

std::optional<int> largestPunchIn(const ZonesOfTake& t, const CriteriaProfile& p) {
  int largest = 0;
  for (int punch = 0; punch < kPunches; ++punch)
    for (const auto& z : t.zones) {
      const auto& seen = z.punched[static_cast<size_t>(punch)];
      if (!seen) return std::nullopt;
      if (seen->luma > p[Criterion::LumaNoise].clean || seen->chroma > p[Criterion::ChromaNoise].clean)
        return largest;
      if (z.zone == Zone::High) largest = percentOf(punch);
    }
  return largest;
}

std::optional<Pair> pairOf(const LadderMeasure& m) {
  if (m.takes.size() < 2) return std::nullopt;
  const ZonesOfTake &a = m.takes[0], &b = m.takes[1];
  Pair p;
  bool allSame = true;
  for (size_t i = 0; i < kZones; ++i) {
    const auto &x = a.zones[i].snr[kY], &y = b.zones[i].snr[kY];
    if (!x || !y || !(*x > 0) || !(*y > 0)) continue;
    p.byZone[i] = std::log2(*y / *x);
    const double sigma = ratioSigma(a.zones[i], b.zones[i]);
    allSame = allSame && std::abs(*p.byZone[i]) < std::max(kSame, kSureSigmas * sigma);
  }
  p.differenceStops = p.byZone[static_cast<size_t>(Zone::Shadow)];
  if (!p.differenceStops) return p;
  p.sigma = std::hypot(ratioSigma(a.zones[0], b.zones[0]), kCurveSigma / std::log(2.0));
  p.byConstruction = allSame && p.byZone[1].has_value();
  const bool equal = std::abs(*p.differenceStops) < std::max(kSame, kSureSigmas * p.sigma);
  p.cleaner = equal ? "equal" : *p.differenceStops > 0 ? b.name : a.name;
  return p;
}

json ladderJson(const LadderMeasure& m, const CriteriaProfile& profile, bool pair) {
  json j = {{"raster", {{"width", m.rasterWidth}, {"height", m.rasterHeight}}},
            {"chroma", wordOf(m.chroma)},
            {"punch_in_from", {{"width", m.punchBase.width}, {"height", m.punchBase.height}}},
            {"display", m.display},
            {"profile", profile.name},
            {"cleaned_by", reducerLadder().back().words},
            {"takes", json::array()},
            {"crossings", json::array()}};
  for (const auto& t : m.takes) {
    json zones = json::array();
    const auto punch = largestPunchIn(t, profile);
    for (const auto& z : t.zones) zones.push_back(zoneJson(z));
    j["takes"].push_back({{"name", t.name},
                          {"iso", t.iso > 0 ? json(t.iso) : json()},
                          {"stops", t.stops},
                          {"brightness", t.brightness},
                          {"native", t.native},
                          {"zones", zones},
                          {"floor_below_grey", floorJson(t.floorBelowGrey)},
                          {"floor_below_clip", floorJson(t.floorBelowClip)},
                          {"largest_punch_in", punch ? json(*punch) : json()},
                          {"toe_slope", t.toeSlope}});
  }
  if (!pair)
    for (const auto& c : crossingsOf(m, profile)) j["crossings"].push_back(crossingJson(c));
  const auto found = pair ? pairOf(m) : std::nullopt;
  j["pair"] = found ? pairJson(*found) : json();
  std::vector<Warning> warnings = m.warnings;
  warnOfBrightness(m, pair, warnings);
  if (pair && !found) warnings.push_back({"few-takes", "a pair needs two takes", ""});
  j["warnings"] = toJson(warnings);
  return j;
}

}  // namespace edge
