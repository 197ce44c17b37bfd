// What more light buys: noise of the over takes of a bracket, brought back, against the base
// (docs/method.md, "More light").
#pragma once
#include <optional>
#include <vector>

#include "recover/latitude.h"

namespace edge {

struct LightStep {
  double stops = 0;  // over the base, measured
  double luma = 0, chroma = 0;
  double clippedSkin = 0;  // per cent
  std::optional<double>
      gainPerHalfStop;  // stops of luma noise that half a stop of light takes away, up to here
};

struct MoreLight {
  double iso = 0;
  std::vector<LightStep> steps;  // from the base up
  // Where half a stop buys less than half of what the first one did; nothing: it goes on to the end.
  std::optional<double> flattensAt;
  // The last step that is not clipped: what it buys, and the rating that asks for it.
  double bestStops = 0, bestGain = 0, bestEi = 0;
};

// nullopt: no over take whose noise is known.
[[nodiscard]] std::optional<MoreLight> moreLightOf(const LatitudeMeasure& bracket, double iso,
                                                   const CriteriaProfile& profile);

}  // namespace edge
