// What a ladder of ISOs and a push pair come to: where each zone crosses its limits, which of two is cleaner
// (docs/method.md, "ISO ladder", "Push pair").
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "noise/zones.h"
#include "recover/criteria.h"

namespace edge {

enum class LadderFigure { Snr, Luma, Chroma };
[[nodiscard]] const char* wordOf(LadderFigure figure);

// The lowest ISO from which noise stays over a limit up to the end of the ladder.
struct Crossing {
  Zone zone = Zone::Mid;
  LadderFigure figure = LadderFigure::Snr;
  double limit = 0;
  enum class End { Between, Never, Always } end = End::Between;
  double iso = 0;    // where it crosses; the last where it never does, the first where it always is over
  double sigma = 0;  // stops of ISO
  // The same after the strongest rung of the reducer; nothing: the figure is not one it mends, or not known.
  std::optional<double> cleanedIso;
  End cleanedEnd = End::Between;
};

struct Pair {
  std::optional<double>
      differenceStops;  // positive: the second take of the series is cleaner, in the shadows
  double sigma = 0;
  std::string cleaner;  // name, or "equal"
  bool byConstruction = false;
  std::array<std::optional<double>, kZones> byZone{};
};

// Pure arithmetic. Takes of a ladder are taken by ISO.
[[nodiscard]] std::vector<Crossing> crossingsOf(const LadderMeasure& measure, const CriteriaProfile& profile);
// The largest punch-in, in per cent, at which every zone of a take is clean; 0: not even the whole frame.
// nullopt: not known.
[[nodiscard]] std::optional<int> largestPunchIn(const ZonesOfTake& take, const CriteriaProfile& profile);
// ISOs below the crossing at which the figure is over its limit all the same: a circuit that ends there.
[[nodiscard]] std::vector<double> overBelow(const LadderMeasure& measure, const Crossing& crossing);
// Of the first two takes. nullopt: there are no two.
[[nodiscard]] std::optional<Pair> pairOf(const LadderMeasure& measure);

[[nodiscard]] nlohmann::json ladderJson(const LadderMeasure& measure, const CriteriaProfile& profile,
                                        bool pair);

}  // namespace edge
