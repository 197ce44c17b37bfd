#include "noise/more_light.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {
constexpr double kHalf = 0.5;  // of a stop; and of the first gain, under which it has flattened
}

std::optional<MoreLight> moreLightOf(const LatitudeMeasure& m, double iso, const CriteriaProfile& p) {
  MoreLight l;
  l.iso = iso;
  const auto add = [&](const TakeMetrics& t, double stops) {
    if (!t[Criterion::LumaNoise] || !t[Criterion::ChromaNoise] || !(*t[Criterion::LumaNoise] > 0)) return;
    l.steps.push_back({stops,
                       *t[Criterion::LumaNoise],
                       *t[Criterion::ChromaNoise],
                       std::max(worstClip(t).value_or(0), t.suspectedClip.value_or(0)),
                       {}});
  };
  add(m.base, 0);
  if (l.steps.empty()) return std::nullopt;
  for (const auto& t : m.takes)
    if (t.measured && *t.measured > kHalf / 2) add(t, *t.measured);
  if (l.steps.size() < 2) return std::nullopt;
  std::stable_sort(l.steps.begin(), l.steps.end(),
                   [](const auto& a, const auto& b) { return a.stops < b.stops; });
  for (size_t i = 1; i < l.steps.size(); ++i) {
    LightStep& s = l.steps[i];
    const LightStep& before = l.steps[i - 1];
    if (s.stops - before.stops < kHalf / 2) continue;
    s.gainPerHalfStop = std::log2(before.luma / s.luma) / ((s.stops - before.stops) / kHalf);
    const auto& first = l.steps[1].gainPerHalfStop;
    if (first && !l.flattensAt && i > 1 && *s.gainPerHalfStop < kHalf * *first) l.flattensAt = before.stops;
  }
  for (const auto& s : l.steps)
    if (s.clippedSkin <= p[Criterion::HighlightGone].clean) {
      l.bestStops = s.stops;
      l.bestGain = std::log2(l.steps.front().luma / s.luma);
    }
  l.bestEi = iso / std::exp2(l.bestStops);
  return l;
}

}  // namespace edge
