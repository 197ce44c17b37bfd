// Pixels of takes that will be looked at again once all have streamed by. The first lie in memory, the others
// in a temporary file without a name: memory does not grow with the number of takes.
#pragma once
#include <cstdint>
#include <vector>

#include "recover/take.h"

namespace edge {

class SampleStore {
 public:
  static constexpr std::uint64_t kInMemory = 192u << 20;  // bytes; a bracket of a day's length stays below
  explicit SampleStore(std::uint64_t inMemory = kInMemory) : room_(inMemory) {}
  ~SampleStore();
  SampleStore(const SampleStore&) = delete;
  SampleStore& operator=(const SampleStore&) = delete;

  // Takes the samples out of the stats; the n-th call keeps those of take n. Errors: no room for the file.
  void keep(TakeStats& stats);
  // Puts those of take n back into a copy. From any thread once all are kept. Errors: the file can't be read.
  [[nodiscard]] TakeStats whole(size_t take, const TakeStats& stats) const;

 private:
  struct Kept {
    PatchSample sample;  // without frames where they lie in the file
    std::uint64_t offset = 0;
    size_t frames = 0, floats = 0;  // in the file: frames of so many floats
  };
  [[nodiscard]] Kept put(PatchSample&& sample);
  [[nodiscard]] PatchSample get(const Kept& kept) const;
  struct Take {
    std::vector<Kept> patches, regions;
  };
  std::vector<Take> takes_;
  std::uint64_t room_, end_ = 0;
  int file_ = -1;
};

}  // namespace edge
