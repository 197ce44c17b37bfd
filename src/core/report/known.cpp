#include "report/known.h"

namespace edge {

Knowledge knowledgeOf(const std::vector<Finding>& findings) {
  Knowledge k;
  for (const auto& f : findings) {
    Knowledge::Of of;
    // A clip that was not reached is no headroom.
    if (f.range && f.range->aboveGrey && !f.range->aboveGrey->atLeast)
      of.headroomStops = f.range->aboveGrey->stops;
    if (f.latitude) {
      const Edges& e = f.latitude->edges;
      of.overGood = e.over.lastGood, of.overBad = e.over.firstBad;
      of.underGood = e.under.lastGood, of.underBad = e.under.firstBad;
    }
    k.by[configurationKey(f.configuration.body, f.configuration.mode, f.configuration.iso)] = of;
  }
  return k;
}

}  // namespace edge
