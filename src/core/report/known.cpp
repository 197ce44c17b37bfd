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
    const Configuration& c = f.configuration;
    k.by[configurationKey(c.body, c.mode, c.iso, c.light)] = of;
    // Where the sensor clips does not depend on the light's colour: it serves where nothing else is known.
    auto& plain = k.by[configurationKey(c.body, c.mode, c.iso)];
    if (!plain.headroomStops) plain.headroomStops = of.headroomStops;
  }
  return k;
}

}  // namespace edge
