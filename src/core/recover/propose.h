// Takes that would say more about an edge than the bracket did.
#pragma once
#include <vector>

#include "recover/latitude.h"

namespace edge {

// Stops from the base, rising, whole thirds: between the last good and the first bad take of a side where
// they lie more than half a stop apart; a stop and two beyond a side that ended good.
[[nodiscard]] std::vector<double> finerTakes(const Edges& edges);

}  // namespace edge
