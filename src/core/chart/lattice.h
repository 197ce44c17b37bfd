// A chart of which nothing is known, found on a picture: patches of one size in one row or several, apart or
// touching. Its curve need not be known either: only the order of light is used.
#pragma once
#include "chart/chart.h"
#include "image/luma_picture.h"

namespace edge {

struct FoundLattice {
  Chart chart;  // patches "1", "2" ... from the first on; no stops; outline; on the picture's raster times
                // `reduction`
  int rows = 0, perRow = 0;
  int patchesSeen = 0;   // as areas of even light; the others follow from them
  bool falling = false;  // light falls from patch to patch: a wedge or a grey scale. Else first is top left.
  std::vector<double> light;  // log2 of the picture's luma, by patch
  // Middle one of the falls from patch to patch between clip and floor, in stops where the picture is
  // scene-linear, and the middle one of the misses against it. Nothing: fewer than four.
  struct Step {
    double stops = 0, spread = 0;
  };
  std::optional<Step> step;
};

// `reduction`: pixels of the clip to one of the picture. nullopt: no chart for certain. At least 5 patches in
// falling light, else 6 in several rows. Deterministic.
[[nodiscard]] std::optional<FoundLattice> findLattice(const LumaPicture& picture, double reduction);

}  // namespace edge
