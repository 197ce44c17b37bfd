// Clips of one scene by one camera in one mode: put in order of exposure, split into brackets, ladders,
// sweeps and pairs by their ISO, and counted from the base.
#pragma once
#include "begin/sort_out.h"

namespace edge {

struct SceneLevels {
  double black = 0, top = 1;   // codes between which a block is believed
  std::optional<double> step;  // as said; nothing: the widest of 1, 1/2, 1/3 that fits
};
[[nodiscard]] std::vector<SortedGroup> sortByExposure(const std::vector<ClipLook>& looks,
                                                      const std::vector<size_t>& scene,
                                                      const SceneLevels& levels);

// Planned stops of all clips that lie on the steps, and what is missing between them. `step`: as said;
// nothing: the widest of 1, 1/2, 1/3 that fits most.
void snapToStep(SortedGroup& group, std::optional<double> step);
// As a person says it. A new base: all stops count from it, the old one is a take.
void setRole(SortedGroup& group, size_t clip, ClipRole role);

}  // namespace edge
