// From findings to what stands on the ruler.
#pragma once
#include "report/findings.h"
#include "ruler/ruler.h"

namespace edge::app {

// Row of the range: noisy, usable, and where it clips; the clip and the floor as edges.
[[nodiscard]] RulerRow rangeRow(const Finding& finding, const QString& label);
// Row of the latitude: lost, cleanable, clean; the two edges; the takes as marks.
[[nodiscard]] RulerRow latitudeRow(const Finding& finding, const QString& label, const QString& selectedTake,
                                   bool withTakes);
// One row of the edge board: latitude as the main bar, range thin below it.
[[nodiscard]] RulerRow boardRow(const Finding& finding);

}  // namespace edge::app
