// Work split over the machine's cores. Results never depend on the number of threads: each index owns its
// output.
#pragma once
#include <functional>

namespace edge {

// Number of threads used from here on; 0 = all cores. Speed only.
void setThreads(int count);
[[nodiscard]] int threads();

// Calls body(i) for i in [0, count), in any order. The first exception is rethrown.
void parallelFor(int count, const std::function<void(int)>& body);

}  // namespace edge
