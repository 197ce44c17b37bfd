#include "base/parallel.h"

#include <tbb/info.h>
#include <tbb/parallel_for.h>
#include <tbb/task_arena.h>

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

#include "base/handover.h"

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

#ifdef EDGE_THREAD_SANITIZER
// The library is not built for it: how it waits for its threads would not be seen.
void parallelFor(int count, const std::function<void(int)>& body) {
  std::atomic<int> next = 0;
  std::mutex mutex;
  std::exception_ptr failure;
  const auto run = [&] {
    for (int i; (i = next++) < count;) try {
        body(i);
      } catch (...) {
        const std::lock_guard lock(mutex);
        failure = std::current_exception(), next = count;
      }
  };
  {
    std::vector<std::jthread> others;
    for (int n = 1; n < threads(); ++n) others.emplace_back(run);
    run();
  }
  if (failure) std::rethrow_exception(failure);
}
#else
void parallelFor(int count, const std::function<void(int)>& body) {
  // More threads than cores gain nothing, and the library would complain about them.
  tbb::task_arena arena(std::min(threads(), std::max(1, tbb::info::default_concurrency())));
  arena.execute([&] { tbb::parallel_for(0, count, body, tbb::simple_partitioner{}); });
}
#endif

}  // namespace edge
