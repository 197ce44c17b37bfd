#include "recover/bring_back.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kClipMargin = 6 / CodeDistribution::kPerUnit;   // codes below the plateau that count as clipped
constexpr double kClipShare = 0.001;
constexpr double kMinSnr = 3;
constexpr double kModelError = 0.005;
constexpr double kSameTop = 4 / CodeDistribution::kPerUnit;
constexpr double kTopShare = 0.999;
constexpr double kDifferentLight = 0.3;  // stops: areas further apart can't share a code but at the end of the channel
constexpr double kNoiseBias = 0.3;       // share of variance/level by which 4:2:2 misplaces the mean of a noisy patch

struct Top {
  double code, baseLight;  // of an area in a take; light of the channel in the base
  const TakeStats* take;
};

std::vector<Top> topsOf(const std::vector<const TakeStats*>& takes, int channel) {
  std::vector<Top> tops;
  for (const auto* t : takes)
    for (const auto& [list, base] : {std::pair(&t->patches, &takes[0]->patches), std::pair(&t->regions, &takes[0]->regions)})
      for (size_t i = 0; i < list->size(); ++i)
        tops.push_back({(*list)[i].codes[channel].quantile(kTopShare), (*base)[i].mean[channel], t});
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
    if (plateau[c] && a.codes[c].shareFrom(*plateau[c] - kClipMargin) >= kClipShare) return false;
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

double BringBack::offsetStops() const { return std::log2(k); }

Plateau findPlateau(const std::vector<const TakeStats*>& takes) {
  Plateau plateau;
  for (int c = 0; c < 3; ++c) {
    const auto tops = topsOf(takes, c);
    if (tops.empty()) continue;
    bool shared = tops[0].code > 1 - 1.5 / CodeDistribution::kPerUnit;  // the encoding itself ends here
    for (size_t i = 1; i < tops.size() && tops[0].code - tops[i].code < kSameTop; ++i) {
      const double ratio = std::abs(std::log2(std::max(1e-9, tops[0].baseLight) / std::max(1e-9, tops[i].baseLight)));
      shared |= tops[i].take == tops[0].take ? ratio > kDifferentLight : ratio < kDifferentLight;
    }
    if (shared) plateau[c] = tops[0].code;
  }
  return plateau;
}

std::vector<size_t> neutralPatches(const Chart& chart) {
  std::vector<size_t> neutrals;
  for (size_t i = 0; i < chart.patches.size(); ++i) {
    const Patch& p = chart.patches[i];
    if (p.role == "grey" || p.role == "white" || p.role == "black" || (p.role.empty() && p.stops)) neutrals.push_back(i);
  }
  if (neutrals.empty())
    for (size_t i = 0; i < chart.patches.size(); ++i) neutrals.push_back(i);
  return neutrals;
}

std::optional<BringBack> solveOffset(const TakeStats& take, const TakeStats& base, const std::vector<size_t>& neutrals,
                                     const Plateau& plateau) {
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
