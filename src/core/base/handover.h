// For the thread sanitizer: what one thread handed to another through a library that it can't look into (Qt's
// event queue). Nothing in any other build.
#pragma once

#if defined(__SANITIZE_THREAD__)
#define EDGE_THREAD_SANITIZER
#elif defined(__has_feature)
#if __has_feature(thread_sanitizer)
#define EDGE_THREAD_SANITIZER
#endif
#endif

#ifdef EDGE_THREAD_SANITIZER
extern "C" void __tsan_acquire(void*);
extern "C" void __tsan_release(void*);
#endif

namespace edge {

// All that was written before is seen by whoever takes over at the same address.
inline void handOver([[maybe_unused]] void* at) {
#ifdef EDGE_THREAD_SANITIZER
  __tsan_release(at);
#endif
}
inline void takeOver([[maybe_unused]] void* at) {
#ifdef EDGE_THREAD_SANITIZER
  __tsan_acquire(at);
#endif
}

}  // namespace edge
