// How long work reports and how it is stopped. Passed by reference down every long call; any of its threads
// may report: the sink is called by one at a time, and must not report to the same Progress.
#pragma once
#include <atomic>
#include <functional>
#include <mutex>
#include <string>

#include "base/error.h"

namespace edge {

class Progress {
 public:
  using Sink = std::function<void(double fraction, const std::string& what)>;

  Progress() = default;
  explicit Progress(Sink sink) : sink_(std::move(sink)) {}

  void report(double fraction, const std::string& what) const {
    throwIfCancelled();
    if (!sink_) return;
    const std::lock_guard one(sinking_);
    sink_(fraction, what);
  }
  void throwIfCancelled() const {
    if (cancelled_) throw Cancelled();
  }
  void cancel() { cancelled_ = true; }
  [[nodiscard]] bool cancelled() const { return cancelled_; }

 private:
  Sink sink_;
  mutable std::mutex sinking_;
  std::atomic<bool> cancelled_ = false;
};

}  // namespace edge
