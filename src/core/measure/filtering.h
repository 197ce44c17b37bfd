// What says that noise was filtered, of one channel: its neighbours hang together in space or in time
// (docs/method.md, "Filters in space and time").
#pragma once
#include "measure/wedge.h"

namespace edge {

// By its factor on the variance, or by what correlates neighbours.
[[nodiscard]] bool isFilteredInSpace(const ChannelFiltering& f);
// By the correlation of frames.
[[nodiscard]] bool isFilteredInTime(const ChannelFiltering& f);

}  // namespace edge
