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
// The row moved along the axis.
[[nodiscard]] RulerRow shifted(RulerRow row, double stops);
// One row of the edge board: latitude as the main bar, range thin below it.
// A row counted from the base, on an axis counted from grey: it stands where its base stands.
[[nodiscard]] RulerRow fromGrey(RulerRow row, const Finding& finding);
[[nodiscard]] RulerRow boardRow(const Finding& finding);

}  // namespace edge::app
