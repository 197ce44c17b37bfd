#include "recover/channel_ends.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kClipShare = 0.001;
constexpr TenBitCodes kSameTop{4};
constexpr TenBitCodes kFormatEnd{1.5};
constexpr double kPiledShare = 2e-4;    // of the picture
constexpr double kPiledArea = 0.0025;   // of an area: half of what the default profile lets burn
constexpr double kWhollyOn = 0.5;       // share of a region on its top code
constexpr double kNoiseGone = 0.25;     // of the base's variance, although there is more light
constexpr double kTimesBase = 3;        // a pile that the base has too is the object's own
constexpr double kFallsShort = 0.05;    // stops by which an even area misses its light
constexpr size_t kFewestWitnesses = 3;  // neutrals that say how much light there is
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

// All areas of a take beside those of the base.
template <class F>
void eachArea(const TakeStats& take, const TakeStats& base, F f) {
  for (size_t i = 0; i < take.patches.size() && i < base.patches.size(); ++i)
    f(take.patches[i], base.patches[i]);
  for (size_t i = 0; i < take.regions.size() && i < base.regions.size(); ++i)
    f(take.regions[i], base.regions[i]);
}

// A pile that is not the object's own: an even area has one in the base as well.
bool pilesUp(const AreaTop& now, const AreaTop& base) {
  return now.piled && now.excess > kPiledArea && now.excess > kTimesBase * base.excess;
}

// A pile at the top of an area: its pixels stand still, or it lies at the same code in takes of other
// exposure. Of lossy clips standing still is no proof: a codec stills what is even.
std::optional<double> pileEnd(const std::vector<const TakeStats*>& takes, const std::vector<size_t>& neutrals,
                              size_t channel) {
  struct Pile {
    const AreaStats* base;
    double code, level;
  };
  std::vector<Pile> piles;
  std::optional<double> end;
  for (const auto* t : takes) {
    const double level = levelOf(*t, *takes[0], neutrals);
    eachArea(*t, *takes[0], [&](const AreaStats& area, const AreaStats& base) {
      const AreaTop& top = area.top[channel];
      const bool piled = top.piled && top.excess > kPiledArea;
      if (piled && top.still && t->lossyCodec.empty()) end = std::max(end.value_or(top.code), top.code);
      if (pilesUp(top, base.top[channel])) piles.push_back({&base, top.code, level});
    });
  }
  for (size_t i = 0; i < piles.size() && !end; ++i)
    for (size_t j = 0; j < i; ++j)
      if (piles[i].base == piles[j].base && near(piles[i].code, piles[j].code, kSameTop) &&
          std::abs(piles[i].level - piles[j].level) > kDifferentLight)
        return std::max(piles[i].code, piles[j].code);
  return end;
}

// An even neutral area that nearly all lies on one code and shows less light in this channel than the take's
// level asks for, while it had all of it in the base.
std::optional<double> shortEnd(const std::vector<const TakeStats*>& takes,
                               const std::vector<size_t>& neutrals, size_t channel) {
  std::optional<double> end;
  if (neutrals.size() < kFewestWitnesses + 1) return end;
  for (const auto* t : takes) {
    const double level = levelOf(*t, *takes[0], neutrals);
    if (level < kDifferentLight) continue;
    for (size_t i : neutrals) {
      const AreaStats &now = t->patches[i], &base = takes[0]->patches[i];
      if (!(now.mean[channel] > 0) || !(base.mean[channel] > 0) || !(now.luma > 0)) continue;
      const double missing = level - std::log2(now.mean[channel] / base.mean[channel]);
      const double code = now.codes[channel].quantile(kMiddleShare);
      const double close = CodeDistribution::codesAt(code, kSameTop);
      // What photons alone would leave of the base's relative noise.
      const double expected = base.lumaVariance / (base.luma * base.luma) * std::exp2(-level);
      const bool quiet = now.lumaVariance / (now.luma * now.luma) < kNoiseGone * expected;
      if (missing > kFallsShort && quiet &&
          now.codes[channel].shareBetween(code - close, code + close) > kWhollyOn)
        end = std::max(end.value_or(code), code);
    }
  }
  return end;
}

// A pile-up where another channel of the same area is known to end, and does.
std::optional<double> sharedEnd(const std::vector<const TakeStats*>& takes, const Plateau& plateau,
                                size_t channel) {
  std::optional<double> end;
  for (const auto* t : takes)
    eachArea(*t, *takes[0], [&](const AreaStats& area, const AreaStats& base) {
      const AreaTop& top = area.top[channel];
      for (size_t other = 0; other < 3; ++other)
        if (plateau[other] && pilesUp(top, base.top[channel]) && near(*plateau[other], top.code, kSameTop) &&
            area.top[other].piled && near(*plateau[other], area.top[other].code, kSameTop))
          end = top.code;
    });
  return end;
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
    if (!plateau[c]) plateau[c] = pileEnd(takes, neutrals, c);
    if (!plateau[c]) plateau[c] = shortEnd(takes, neutrals, c);
    if (!plateau[c]) plateau[c] = stillEnd(takes, neutrals, c);
  }
  for (size_t c = 0; c < 3; ++c)
    if (!plateau[c]) plateau[c] = sharedEnd(takes, plateau, c);
  return plateau;
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

ClippedShares clippedOf(const AreaStats& area, const AreaStats& base, const Plateau& plateau) {
  ClippedShares shares;
  for (size_t c = 0; c < 3; ++c) {
    if (plateau[c]) {
      shares.known[c] = 100 * shareAtEnd(area, static_cast<int>(c), plateau, kAtEnd);
      continue;
    }
    const AreaTop &now = area.top[c], &then = base.top[c];
    if (area.luma > base.luma && pilesUp(now, then))
      shares.suspected = std::max(shares.suspected, 100 * now.excess);
    else if (!now.piled || now.excess <= kPiledArea)
      shares.known[c] = 0;  // an even object piles up by itself: of it nothing is told
  }
  return shares;
}

}  // namespace edge
