// A chart found on a picture without help: patches seen as four-sided areas of even light, the chart's own
// layout laid over them in every orientation, the one that most areas and their light agree with taken, and
// refined by a projective transform. Patches too dark to be seen follow from the others.
#pragma once
#include "chart/place.h"
#include "image/luma_picture.h"

namespace edge {

struct FoundChart {
  Chart chart;      // placed on the picture's raster times `reduction`
  double sure = 0;  // 0..1: share of the patches that were seen, and how well their light fits
  int patchesSeen = 0;
  double errorPixels = 0;  // rms of the patches seen against the chart as placed, in the picture's pixels
};

// `reduction`: pixels of the clip to one of the picture. `linear`: the picture is scene-linear; else only the
// order of light is compared. nullopt: not found for certain; place it by its
// corners. Deterministic.
[[nodiscard]] std::optional<FoundChart> findChart(const LumaPicture& picture, const Chart& layout,
                                                  double reduction, bool linear = true);

}  // namespace edge
