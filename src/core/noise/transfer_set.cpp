#include "noise/transfer_set.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr int kGreen = 1;

// log2(a/b) and its error.
Estimate stopsBetween(const Estimate& a, const Estimate& b) {
  return {std::log2(a.value / b.value), std::hypot(a.sigma / a.value, b.sigma / b.value) / std::log(2.0)};
}

bool isPositive(const std::optional<Estimate>& e) {
  return e && e->value > 0;
}

}  // namespace

TransferChannel greenOf(const IsoTransfer& t) {
  return fitTransfer(t.measure.points[kGreen], t.measure.blackLevel[kGreen]);
}

std::vector<ElectronPoint> electronsOf(const IsoTransfer& t) {
  std::vector<ElectronPoint> out;
  const auto gain = greenOf(t).gainDnPerE;
  if (!isPositive(gain)) return out;
  const auto& points = t.measure.points[kGreen];
  double dark = t.measure.blackLevel[kGreen];
  for (const auto& p : points)
    if (p.black) dark = p.mean;
  const auto saturated = saturatedTakes(points, dark);
  for (size_t i = 0; i < points.size(); ++i)
    if (!points[i].black && !saturated[i] && points[i].mean > dark && points[i].variance > 0)
      out.push_back({(points[i].mean - dark) / gain->value, std::sqrt(points[i].variance) / gain->value});
  return out;
}

std::optional<TransferGain> gainBetween(const TransferSet& set) {
  if (set.size() < 2) return std::nullopt;
  const TransferChannel low = greenOf(set.front());
  std::optional<TransferGain> best;
  for (size_t i = 1; i < set.size(); ++i) {
    const TransferChannel high = greenOf(set[i]);
    if (!isPositive(low.readNoiseE) || !isPositive(high.readNoiseE) || !isPositive(low.fullWellE) ||
        !isPositive(high.fullWellE))
      continue;
    const Estimate quieter = stopsBetween(*low.readNoiseE, *high.readNoiseE);
    if (!best || quieter.value > best->quieter.value)
      best = {set.front().iso, set[i].iso, quieter, stopsBetween(*high.fullWellE, *low.fullWellE)};
  }
  return best;
}

std::vector<ReadInLight> readInLight(const TransferSet& set,
                                     const std::vector<std::pair<double, Limit>>& clips) {
  std::vector<ReadInLight> out;
  double first = 0;
  for (const auto& t : set) {
    const TransferChannel green = greenOf(t);
    const auto clip = std::find_if(clips.begin(), clips.end(),
                                   [&](const auto& c) { return c.first == t.iso && !c.second.atLeast; });
    if (!isPositive(green.readNoiseE) || !isPositive(green.fullWellE) || clip == clips.end()) continue;
    const double stops =
        std::log2(green.readNoiseE->value / green.fullWellE->value) + clip->second.stops - std::log2(t.iso);
    if (out.empty()) first = stops;
    out.push_back({t.iso, stops - first});
  }
  return out;
}

}  // namespace edge
