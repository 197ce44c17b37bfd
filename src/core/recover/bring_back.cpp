#include "recover/bring_back.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kClipMargin =
    6 / CodeDistribution::kPerUnit;  // codes below the plateau that count as clipped
constexpr double kClipShare = 0.001;
constexpr double kMinSnr = 3;
constexpr double kModelError = 0.005;
constexpr double kSameTop = 4;  // ten-bit codes
constexpr double kTopShare = 0.999;
constexpr double kDifferentLight =
    0.3;  // stops: areas further apart can't share a code but at the end of the channel
constexpr double kNearTop = 0.9;  // a plateau is looked for in this upper part of the codes only
constexpr double kNoiseBias =
    0.3;  // share of variance/level by which 4:2:2 misplaces the mean of a noisy patch

struct Top {
  double code;           // where an area of a take ends
  double expectedStops;  // light it should have there, from the base and the take's own level
};

// Level of a take against the base, from all neutrals: robust against the few that are clipped or lost.
double levelOf(const TakeStats& take, const TakeStats& base, const std::vector<size_t>& neutrals) {
  std::vector<double> stops;
  for (size_t i : neutrals)
    if (take.patches[i].luma > 0 && base.patches[i].luma > 0)
      stops.push_back(std::log2(take.patches[i].luma / base.patches[i].luma));
  if (stops.empty()) return 0;
  std::nth_element(stops.begin(), stops.begin() + static_cast<std::ptrdiff_t>(stops.size() / 2), stops.end());
  return stops[stops.size() / 2];
}

// Only neutral patches (objects where there are fewer than three): what has colour goes beyond the plateau
// through the camera's matrix when its strongest channel clips.
std::vector<Top> topsOf(const std::vector<const TakeStats*>& takes, const std::vector<size_t>& neutrals,
                        int channel) {
  std::vector<Top> tops;
  const auto add = [&](const AreaStats& area, const AreaStats& base, double level) {
    tops.push_back(
        {area.codes[channel].quantile(kTopShare), std::log2(std::max(1e-9, base.mean[channel])) + level});
  };
  for (const auto* t : takes) {
    const double level = levelOf(*t, *takes[0], neutrals);
    for (size_t i : neutrals) add(t->patches[i], takes[0]->patches[i], level);
    for (size_t i = 0; i < t->regions.size() && neutrals.size() < 3; ++i)
      if (t->regions[i].role == "white" || t->regions[i].role == "skin")
        add(t->regions[i], takes[0]->regions[i], level);
  }
  std::sort(tops.begin(), tops.end(), [](const Top& x, const Top& y) { return x.code > y.code; });
  return tops;
}

struct Pair {
  double take, base, takeSe, baseSe, takeBias;
};

double standardError(const AreaStats& a, double frames) {
  return std::sqrt(a.lumaVariance / (a.pixels * frames));
}

bool usable(const AreaStats& a, const Plateau& plateau) {
  if (!(a.luma > 0) || a.luma < kMinSnr * std::sqrt(a.lumaVariance)) return false;
  for (int c = 0; c < 3; ++c)
    if (plateau[c] &&
        a.codes[c].shareFrom(*plateau[c] - CodeDistribution::codesAt(*plateau[c], kClipMargin)) >= kClipShare)
      return false;
  return true;
}

BringBack byMedian(const std::vector<Pair>& pairs) {
  std::vector<double> stops;
  for (const auto& p : pairs) stops.push_back(std::log2(p.take / p.base));
  std::sort(stops.begin(), stops.end());
  const size_t n = stops.size();
  const double middle = n % 2 ? stops[n / 2] : (stops[n / 2 - 1] + stops[n / 2]) / 2;
  BringBack b;
  b.k = std::exp2(middle), b.patchesUsed = static_cast<int>(n), b.byMedian = true;
  b.sigmaStops = std::max(0.1, (stops.back() - stops.front()) / 2);
  return b;
}

BringBack byLine(const std::vector<Pair>& pairs) {
  BringBack b;
  b.k = pairs.front().take / pairs.front().base;
  double kVariance = 0;
  for (int round = 0; round < 20; ++round) {
    double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (const auto& p : pairs) {
      const double model = std::hypot(kModelError * p.take, p.takeBias);
      const double w = 1 / (p.takeSe * p.takeSe + b.k * b.k * p.baseSe * p.baseSe + model * model + 1e-30);
      sw += w, sx += w * p.base, sy += w * p.take, sxx += w * p.base * p.base, sxy += w * p.base * p.take;
    }
    const double det = sw * sxx - sx * sx;
    if (!(det > 1e-12 * sw * sxx)) return byMedian(pairs);
    const double k = (sw * sxy - sx * sy) / det;
    if (!(k > 0)) return byMedian(pairs);
    b.q = (sxx * sy - sx * sxy) / det;
    kVariance = sw / det;
    const bool settled = std::abs(k - b.k) < 1e-9 * b.k;
    b.k = k;
    if (settled) break;
  }
  b.patchesUsed = static_cast<int>(pairs.size());
  double sum = 0, squares = 0, n = 0;
  for (const auto& p : pairs) {
    if (p.take - b.q <= 0) continue;
    const double r = std::log2((p.take - b.q) / p.base) - std::log2(b.k);
    sum += r, squares += r * r, ++n;
  }
  if (n > 1) b.scatterStops = std::sqrt(std::max(0.0, (squares - sum * sum / n) / (n - 1)));
  const double fit = std::sqrt(kVariance) / b.k / std::log(2.0);
  b.sigmaStops = std::max(fit, b.scatterStops / std::sqrt(std::max(1.0, n)));
  return b;
}

}  // namespace

double BringBack::offsetStops() const {
  return std::log2(k);
}

Plateau findPlateau(const std::vector<const TakeStats*>& takes, const std::vector<size_t>& neutrals) {
  Plateau plateau;
  for (int c = 0; c < 3; ++c) {
    const auto tops = topsOf(takes, neutrals, c);
    if (tops.empty()) continue;
    // An integer encoding ends at 1; scene-linear floating point does not.
    if (std::abs(tops[0].code - 1) < 1.5 / CodeDistribution::kPerUnit) plateau[c] = tops[0].code;
    for (size_t i = 0; i < tops.size() && !plateau[c] && tops[i].code > kNearTop * tops[0].code; ++i)
      for (size_t j = i + 1;
           j < tops.size() && tops[i].code - tops[j].code < CodeDistribution::codesAt(tops[i].code, kSameTop);
           ++j)
        if (std::abs(tops[i].expectedStops - tops[j].expectedStops) > kDifferentLight)
          plateau[c] = tops[i].code;
  }
  return plateau;
}

std::vector<size_t> neutralPatches(const Chart& chart) {
  std::vector<size_t> neutrals;
  for (size_t i = 0; i < chart.patches.size(); ++i) {
    const Patch& p = chart.patches[i];
    if (p.role == "grey" || p.role == "white" || p.role == "black" || (p.role.empty() && p.stops))
      neutrals.push_back(i);
  }
  if (neutrals.empty())
    for (size_t i = 0; i < chart.patches.size(); ++i) neutrals.push_back(i);
  return neutrals;
}

std::optional<BringBack> solveOffset(const TakeStats& take, const TakeStats& base,
                                     const std::vector<size_t>& neutrals, const Plateau& plateau) {
  std::vector<Pair> pairs;
  for (size_t i : neutrals) {
    const AreaStats &t = take.patches[i], &b = base.patches[i];
    if (!usable(t, plateau) || !usable(b, plateau)) continue;
    pairs.push_back({t.luma, b.luma, standardError(t, static_cast<double>(take.frames)),
                     standardError(b, static_cast<double>(base.frames)),
                     take.subsampled ? kNoiseBias * t.lumaVariance / t.luma : 0});
  }
  if (pairs.empty()) return std::nullopt;
  return pairs.size() < 3 ? byMedian(pairs) : byLine(pairs);
}

}  // namespace edge
