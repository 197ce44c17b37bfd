#include "recover/bring_back.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kClipShare = 0.001;
constexpr double kMinSnr = 3;
constexpr double kCeilingCounts = 0.03;
constexpr double kModelError = 0.005;
constexpr TenBitCodes kSameTop{4};
constexpr TenBitCodes kFormatEnd{1.5};
constexpr double kPiledShare = 2e-4;  // of the picture
constexpr double kWhollyOn = 0.5;     // share of a region on its top code
constexpr double kNoiseGone = 0.25;   // of the base's variance, although there is more light
constexpr double kTopShare = 0.999, kMiddleShare = 0.5;
constexpr double kDifferentLight =
    0.3;  // stops: areas further apart can't share a code but at the end of the channel
constexpr double kNearTop = 0.9;  // a plateau is looked for in this upper part of the codes only

struct Top {
  double code;           // where an area of a take ends
  double expectedStops;  // light it should have there, from the base and the take's own level
  double piled;          // share of the area that lies there
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
                        int channel, double share) {
  std::vector<Top> tops;
  const auto add = [&](const AreaStats& area, const AreaStats& base, double level) {
    const CodeDistribution& codes = area.codes[channel];
    const double code = codes.quantile(share), near = CodeDistribution::codesAt(code, kSameTop);
    tops.push_back({code, std::log2(std::max(1e-9, base.mean[channel])) + level,
                    codes.shareBetween(code - near, code + near)});
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

}  // namespace

double BringBack::offsetStops() const {
  return std::log2(k);
}

double shareAtEnd(const AreaStats& a, int c, const Plateau& plateau, TenBitCodes margin) {
  const auto& end = plateau[static_cast<size_t>(c)];
  return end ? a.codes[static_cast<size_t>(c)].shareFrom(*end - CodeDistribution::codesAt(*end, margin)) : 0;
}

bool isPartlyClipped(const AreaStats& a, const Plateau& plateau) {
  for (int c = 0; c < 3; ++c)
    if (shareAtEnd(a, c, plateau, kPartlyClipped) >= kClipShare) return true;
  return false;
}

namespace {

bool near(double a, double b, TenBitCodes margin) {
  return std::abs(a - b) < CodeDistribution::codesAt(std::max(a, b), margin);
}

// Two areas on one code although their light differs, the brighter one nearly all of it.
std::optional<double> sharedTop(const std::vector<Top>& tops) {
  for (size_t i = 0; i < tops.size() && tops[i].code > kNearTop * tops[0].code; ++i)
    for (size_t j = i + 1; j < tops.size() && near(tops[i].code, tops[j].code, kSameTop); ++j)
      if (const Top& brighter = tops[i].expectedStops > tops[j].expectedStops ? tops[i] : tops[j];
          std::abs(tops[i].expectedStops - tops[j].expectedStops) > kDifferentLight &&
          brighter.piled > kWhollyOn)
        return brighter.code;  // the other's top may be a sharpened edge
  return std::nullopt;
}

// The same end in pictures of takes whose exposure differs; at code 1 one of them is enough.
std::optional<double> pictureEnd(const std::vector<const TakeStats*>& takes,
                                 const std::vector<size_t>& neutrals, size_t channel) {
  std::vector<std::pair<double, double>> ends;  // code, level in stops
  for (const auto* t : takes)
    if (const auto end = t->picture[channel].pileUp(kPiledShare)) {
      if (near(*end, 1, kFormatEnd)) return end;
      ends.emplace_back(*end, levelOf(*t, *takes[0], neutrals));
    }
  for (size_t i = 0; i < ends.size(); ++i)
    for (size_t j = 0; j < i; ++j)
      if (near(ends[i].first, ends[j].first, kSameTop) &&
          std::abs(ends[i].second - ends[j].second) > kDifferentLight)
        return std::max(ends[i].first, ends[j].first);
  return std::nullopt;
}

// A face or white object whose pixels lie on one code and do not move any more, though they get more light.
std::optional<double> stillEnd(const std::vector<const TakeStats*>& takes,
                               const std::vector<size_t>& neutrals, size_t channel) {
  for (const auto* t : takes) {
    if (levelOf(*t, *takes[0], neutrals) < kDifferentLight) continue;
    for (size_t i = 0; i < t->regions.size() && i < takes[0]->regions.size(); ++i) {
      const AreaStats &now = t->regions[i], &base = takes[0]->regions[i];
      const double top = now.codes[channel].quantile(kTopShare);
      const double on = now.codes[channel].shareFrom(top - CodeDistribution::codesAt(top, kAtEnd));
      if (on > kWhollyOn && base.lumaVariance > 0 && now.lumaVariance < kNoiseGone * base.lumaVariance)
        return top;
    }
  }
  return std::nullopt;
}

}  // namespace

Plateau findPlateau(const std::vector<const TakeStats*>& takes, const std::vector<size_t>& neutrals) {
  Plateau plateau;
  for (size_t c = 0; c < 3; ++c) {
    const int channel = static_cast<int>(c);
    const auto tops = topsOf(takes, neutrals, channel, kTopShare);
    // An integer encoding ends at 1; scene-linear floating point does not.
    if (!tops.empty() && near(tops[0].code, 1, kFormatEnd)) plateau[c] = tops[0].code;
    if (!plateau[c]) plateau[c] = sharedTop(tops);
    // A sharpened edge lies above the end: the middle of the areas does not.
    if (!plateau[c]) plateau[c] = sharedTop(topsOf(takes, neutrals, channel, kMiddleShare));
    if (!plateau[c]) plateau[c] = pictureEnd(takes, neutrals, c);
    if (!plateau[c]) plateau[c] = stillEnd(takes, neutrals, c);
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
                     standardError(b, static_cast<double>(base.frames))});
  }
  if (pairs.size() < 2) return std::nullopt;
  return pairs.size() < 3 ? byMedian(pairs) : byLine(pairs);
}

}  // namespace edge
