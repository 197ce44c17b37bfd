// Checks of clips that are no takes of a bracket: each by what its test needs (docs/method.md, "Checks of a
// take"). Pure arithmetic on evidence, as take_checks.
#pragma once
#include "match/take_checks.h"

namespace edge {

enum class CheckKind {
  Wedge,  // its brightest patch clips
  Black,  // no light gets in
  Sweep,  // dark enough that the circuit's noise is seen
  Equal,  // as bright as the first of its series: ladder, pair
  File    // nothing but what the file says
};

// `first`: of its series; nullptr: it stands alone. `chart`: the wedge; nine areas for a cap-on clip; the dim
// patch of a sweep; the bench for the rest. `plateau` of the series.
[[nodiscard]] std::vector<TakeCheck> checkOfKind(CheckKind kind, const TakeEvidence& take,
                                                 const TakeEvidence* first, const Chart& chart,
                                                 const Plateau& plateau, const TakeExpectation& expected);

// What the file is against what was planned: "format", "truncated".
[[nodiscard]] std::vector<TakeCheck> checkFile(const TakeEvidence& take, const TakeEvidence* base,
                                               const TakeExpectation& expected);

// Areas for clips without a chart: nine over the whole picture, the middle one first.
[[nodiscard]] Chart nineAreas(double width, double height);

}  // namespace edge
