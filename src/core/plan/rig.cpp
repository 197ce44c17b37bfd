#include "plan/rig.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

double roundedTo4(double v) {
  if (v <= 0) return v;
  const double unit = std::pow(10, std::floor(std::log10(v)) - 3);
  return std::round(v / unit) * unit;
}

double gelFactor(double density) {
  return std::pow(10.0, -density);
}

double minimumLight(const LampSpec& l) {
  return dimmerLight(l.law, l.minimumPercent);
}

double ratioTo(const LampSpec& lamp, const LampSpec& key) {
  return &lamp == &key ? 1 : std::exp2(lamp.ratioStops);
}

}  // namespace

double fullLux(const LampSpec& lamp, double distance) {
  const Stops s = lamp.size > 0 ? distanceStops(Metres(1), Metres(distance), Metres(lamp.size))
                                : distanceStops(Metres(1), Metres(distance));
  return lamp.luxAt1m * ratioOf(s);
}

bool lights(const LampSpec& lamp, const TestSpec& test) {
  return !test.kelvin || std::abs(lamp.kelvin / *test.kelvin - 1) <= kSameColour;
}

Recipe lampsFor(const Recipe& recipe, const TestSpec& test) {
  Recipe out = recipe;
  std::erase_if(out.lamps, [&](const LampSpec& l) { return !lights(l, test); });
  return out;
}

const LampSpec* keyLamp(const Recipe& r) {
  for (const auto& l : r.lamps)
    if (l.role == LampRole::Key) return &l;
  for (const auto& l : r.lamps)
    if (l.role != LampRole::Practical) return &l;
  return nullptr;
}

const LampSpec* keyOf(const Recipe& r, const std::vector<LampSetting>& burning) {
  const LampSpec* other = nullptr;
  for (const auto& l : r.lamps) {
    const bool burns = std::any_of(burning.begin(), burning.end(),
                                   [&](const LampSetting& set) { return set.name == l.name; });
    if (burns && l.role == LampRole::Key) return &l;
    if (burns && !other && l.role != LampRole::Practical) other = &l;
  }
  return other;
}

bool followsKey(const LampSpec& lamp, const LampSpec& key) {
  return &lamp == &key || (lamp.dimmable && lamp.role != LampRole::Practical);
}

Rig rigAt(const Recipe& r, double factor, double gel) {
  Rig rig{factor, gel, 0, 1e300};
  const LampSpec* key = keyLamp(r);
  if (!key) return {factor, gel, 0, 0};
  for (const auto& l : r.lamps) {
    if (!followsKey(l, *key)) continue;
    const double full = fullLux(l, l.distance * factor) * gelFactor(gel) / ratioTo(l, *key);
    rig.high = std::min(rig.high, full);
    rig.low = std::max(rig.low, l.dimmable ? full * minimumLight(l) : full);
  }
  return rig;
}

FactorRange factorRange(const Recipe& r) {
  FactorRange f{0, 1e300};
  const LampSpec* key = keyLamp(r);
  if (!key) return {};
  for (const auto& l : r.lamps) {
    if (!followsKey(l, *key)) continue;
    f.nearest = std::max(f.nearest, l.nearest / l.distance);
    f.farthest = std::min(f.farthest, l.farthest / l.distance);
  }
  return f;
}

std::vector<LampSetting> lampSettings(const Recipe& r, const Rig& rig, double lux) {
  std::vector<LampSetting> out;
  const LampSpec* key = keyLamp(r);
  for (const auto& l : r.lamps) {
    LampSetting s;
    s.name = l.name, s.fixed = !l.dimmable;
    const bool follows = followsKey(l, *key);
    s.distance = Metres(follows ? l.distance * rig.factor : l.distance);
    const double full = fullLux(l, s.distance.value()) * (follows ? gelFactor(rig.gel) : 1);
    if (follows && l.dimmable)
      s.percent = std::min(100.0, roundedTo4(dimmerPercent(l.law, lux * ratioTo(l, *key) / full)));
    s.lux = Lux(full * (l.dimmable ? dimmerLight(l.law, s.percent) : 1));
    out.push_back(s);
  }
  return out;
}

namespace {

double distanceStopsTo(const LampSpec& key, const Rig& rig, double factor) {
  return std::log2(fullLux(key, key.distance * factor) / fullLux(key, key.distance * rig.factor));
}

}  // namespace

std::pair<double, double> distanceReach(const Recipe& r, const Rig& rig) {
  const LampSpec* key = keyLamp(r);
  if (!key || rig.high <= 0) return {0, 0};
  const FactorRange range = factorRange(r);
  return {distanceStopsTo(*key, rig, range.farthest), distanceStopsTo(*key, rig, range.nearest)};
}

Rig moved(const Recipe& r, const Rig& rig, double stops) {
  const LampSpec* key = keyLamp(r);
  if (!key) return rig;
  const FactorRange range = factorRange(r);
  double near = range.nearest, far = range.farthest;
  for (int i = 0; i < 60; ++i) {
    const double middle = std::sqrt(near * far);
    (distanceStopsTo(*key, rig, middle) > stops ? near : far) = middle;
  }
  return rigAt(r, std::sqrt(near * far), rig.gel);
}

std::vector<LampEnd> lampEnds(const Recipe& r, const Rig& rig, double lux) {
  std::vector<LampEnd> out;
  const LampSpec* key = keyLamp(r);
  if (!key) return out;
  for (const auto& set : lampSettings(r, rig, lux))
    for (const auto& l : r.lamps) {
      if (l.name != set.name) continue;
      const double share = dimmerLight(l.law, set.percent);
      out.push_back(l.dimmable && followsKey(l, *key)
                        ? LampEnd{l.name, std::log2(minimumLight(l) / share), -std::log2(share)}
                        : LampEnd{l.name, 0, 0});
      break;
    }
  return out;
}

std::vector<LensPosition> lensPositions(const LensSpec& lens) {
  std::vector<SeriesValue> names;
  const auto add = [&](StepSize step) {
    const auto s = tStopSeries(step);
    names.insert(names.end(), s.begin(), s.end());
  };
  if (lens.detents == "full")
    add(StepSize::Full);
  else if (lens.detents == "half")
    add(StepSize::Half);
  else if (lens.detents == "third")
    add(StepSize::Third);
  else
    add(StepSize::Third), add(StepSize::Half);
  const double widest = readTStop(lens.widest).exact.value(), closest = readTStop(lens.closest).exact.value();
  names.push_back({lens.widest, widest});
  names.push_back({lens.closest, closest});
  std::stable_sort(names.begin(), names.end(),
                   [](const auto& a, const auto& b) { return a.exact < b.exact; });
  std::vector<LensPosition> out;
  double last = 0;
  for (const auto& n : names) {
    if (n.exact < widest * 0.999 || n.exact > closest * 1.001) continue;
    if (last > 0 && n.exact / last < 1.0001) continue;  // one name in two series
    last = n.exact;
    out.push_back({n.exact * (lens.markedF ? std::exp2(lens.lossStops.value_or(0) / 2) : 1),
                   fmt::format("{}{:g}", lens.markedF ? "f/" : "T", n.nominal)});
  }
  return out;
}

std::vector<FilterStack> filterStacks(const Recipe& r) {
  std::vector<FilterStack> all = {{0, {}}};
  for (size_t i = 0; i < r.nd.size(); ++i) {
    all.push_back({r.nd[i].density, {r.nd[i].density}});
    for (size_t k = i + 1; k < r.nd.size(); ++k)
      all.push_back({r.nd[i].density + r.nd[k].density, {r.nd[i].density, r.nd[k].density}});
  }
  std::stable_sort(all.begin(), all.end(), [](const auto& a, const auto& b) {
    return a.density < b.density - 1e-9 ||
           (std::abs(a.density - b.density) < 1e-9 && a.filters.size() < b.filters.size());
  });
  const auto same = [](const auto& a, const auto& b) { return std::abs(a.density - b.density) < 1e-9; };
  all.erase(std::unique(all.begin(), all.end(), same), all.end());
  return all;
}

std::vector<double> shutterTimes(const Recipe& r, double base, double fps) {
  const double slowest = shutterTime(r.slowest, fps).value(), fastest = shutterTime(r.fastest, fps).value();
  std::vector<double> out;
  for (int k = 18; k >= -36; --k) {
    const double t = base * std::exp2(k / 3.0);
    if (k == 0 || (t <= slowest * 1.0001 && t >= fastest * 0.9999)) out.push_back(t);
  }
  return out;
}

}  // namespace edge
