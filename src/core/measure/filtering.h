// What says that noise was filtered, of one channel: its neighbours hang together in space or in time
// (docs/method.md, "Filters in space and time").
#pragma once
#include "measure/wedge.h"

namespace edge {

// By its factor on the variance, or by what correlates neighbours.
[[nodiscard]] bool isFilteredInSpace(const ChannelFiltering& f);
// By a reducer or sharpener that works both ways: noise of whole rows or columns hangs together in one
// direction only and is the sensor's own.
[[nodiscard]] bool isProcessed(const ChannelFiltering& f);
// By the correlation of frames.
[[nodiscard]] bool isFilteredInTime(const ChannelFiltering& f);

}  // namespace edge
