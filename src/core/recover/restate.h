// The same bracket counted from another base: the width stays, the split moves (docs/method.md, "Latitude").
#pragma once
#include "recover/latitude.h"

namespace edge {

struct NewBase {
  std::string name;  // "skin at 60 %", "take p1", "+1.00 stops"
  double stops = 0;  // above the old base
};

// A number of stops, the name of a take, "grey" (the chart's grey at 0.18) or "skin" (the first face at 60 %
// after display, common practice). Errors: UsageError naming what can be chosen.
[[nodiscard]] NewBase newBaseOf(const std::string& text, const LatitudeMeasure& measure);

// Edges counted from there: all of them fall by it.
[[nodiscard]] LatitudeResult restated(LatitudeResult result, double stops);

}  // namespace edge
