#include "recover/bring_back.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kMinSnr = 3;
constexpr double kCeilingCounts = 0.03;
constexpr double kModelError = 0.005;
constexpr size_t kMostBurnt = 2, kFewestLeft = 3;  // greys left out as burnt, and left to tell

struct Pair {
  double take, base, takeSe, baseSe;
};

double standardError(const AreaStats& a, double frames) {
  return std::sqrt(a.lumaVariance / (a.pixels * frames));
}

bool usable(const AreaStats& a, const Plateau& plateau) {
  return a.luma > 0 && a.luma >= kMinSnr * std::sqrt(a.lumaVariance) && !isPartlyClipped(a, plateau);
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

// Of k, from sampling alone: that of a weighted line.
double samplingError(const std::vector<Pair>& pairs, double k) {
  double sw = 0, sx = 0, sxx = 0;
  for (const auto& p : pairs) {
    const double w = 1 / (p.takeSe * p.takeSe + k * k * p.baseSe * p.baseSe + 1e-30);
    sw += w, sx += w * p.base, sxx += w * p.base * p.base;
  }
  const double det = sw * sxx - sx * sx;
  return det > 0 ? std::sqrt(sw / det) : 0;
}

// Stops by which the patches scatter from sampling alone.
double expectedScatter(const std::vector<Pair>& pairs) {
  double squares = 0;
  for (const auto& p : pairs)
    squares += std::pow(std::hypot(p.takeSe / p.take, p.baseSe / p.base) / std::log(2.0), 2);
  return std::sqrt(squares / static_cast<double>(pairs.size()));
}

BringBack byLine(const std::vector<Pair>& pairs) {
  BringBack b;
  b.k = pairs.front().take / pairs.front().base;
  double kVariance = 0;
  for (int round = 0; round < 20; ++round) {
    double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (const auto& p : pairs) {
      const double model = kModelError * p.take;
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
  double sum = 0, squares = 0, n = 0, chi = 0;
  for (const auto& p : pairs) {
    const double se = std::hypot(p.takeSe, b.k * p.baseSe, kModelError * p.take);
    chi += std::pow((p.take - b.k * p.base - b.q) / se, 2);
    if (p.take - b.q <= 0) continue;
    const double r = std::log2((p.take - b.q) / p.base) - std::log2(b.k);
    sum += r, squares += r * r, ++n;
  }
  if (n > 1) b.scatterStops = std::sqrt(std::max(0.0, (squares - sum * sum / n) / (n - 1)));
  b.withheld = b.scatterStops > std::max(kWrongCurveScatter, 3 * expectedScatter(pairs));
  // The model's error is a ceiling that weighs the patches; how they really scatter says how much of it is
  // there. The ceiling itself counts as a small part of an observation.
  const double used =
      std::sqrt((chi + kCeilingCounts) / (static_cast<double>(pairs.size()) - 2 + kCeilingCounts));
  b.sigmaStops = std::max(used * std::sqrt(kVariance), samplingError(pairs, b.k)) / b.k / std::log(2.0);
  return b;
}

// Greys at an end that nothing proves show less light than the rest agree on: the brightest ones, where the
// take is brighter than the base in the take, else in the base. nullopt: that does not explain it.
std::optional<BringBack> withoutBurnt(std::vector<Pair> pairs) {
  std::sort(pairs.begin(), pairs.end(), [](const Pair& a, const Pair& b) { return a.base > b.base; });
  std::vector<Pair> burnt;
  while (burnt.size() < kMostBurnt && pairs.size() > kFewestLeft) {
    burnt.push_back(pairs.front());
    pairs.erase(pairs.begin());
    const BringBack rest = byLine(pairs);
    const bool explained = std::all_of(burnt.begin(), burnt.end(), [&](const Pair& p) {
      const double missing = std::log2((rest.k * p.base + rest.q) / p.take);
      return (rest.k > 1 ? missing : -missing) > kWrongCurveScatter;
    });
    if (!rest.withheld && explained) return rest;
  }
  return std::nullopt;
}

}  // namespace

double BringBack::offsetStops() const {
  return std::log2(k);
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
                     standardError(b, static_cast<double>(base.frames))});
  }
  if (pairs.size() < 2) return std::nullopt;
  if (pairs.size() < 3) return byMedian(pairs);
  const BringBack all = byLine(pairs);
  return all.withheld ? withoutBurnt(std::move(pairs)).value_or(all) : all;
}

}  // namespace edge
