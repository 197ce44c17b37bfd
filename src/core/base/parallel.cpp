#include "base/parallel.h"

#include <tbb/info.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <thread>

namespace edge {
namespace {
std::atomic<int> wanted = 0;  // a setting of the process, like the locale: written once by the command line
}

void setThreads(int count) {
  wanted = std::max(0, count);
}

int threads() {
  const int n = wanted;
  return n > 0 ? n : std::max(1, static_cast<int>(std::thread::hardware_concurrency()));
}

void parallelFor(int count, const std::function<void(int)>& body) {
  // More threads than cores gain nothing, and the library would complain about them.
  tbb::task_arena arena(std::min(threads(), std::max(1, tbb::info::default_concurrency())));
  arena.execute([&] { tbb::parallel_for(0, count, body, tbb::simple_partitioner{}); });
}

}  // namespace edge
