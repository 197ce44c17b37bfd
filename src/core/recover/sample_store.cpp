#include "recover/sample_store.h"

#include <fcntl.h>
#include <unistd.h>

#include <cerrno>
#include <filesystem>

#include "base/error.h"

namespace edge {
namespace {

[[noreturn]] void refuse(const char* what) {
  throw Error(what, std::filesystem::temp_directory_path().string(), "",
              "make room there, or name another folder in TMPDIR");
}

int temporaryFile() {
  std::string name = (std::filesystem::temp_directory_path() / "edge-test-samples-XXXXXX").string();
  const int file = ::mkostemp(name.data(), O_CLOEXEC);
  if (file < 0) refuse("no temporary file can be made for the pixels of the takes");
  ::unlink(name.c_str());
  return file;
}

// All of it, whatever a signal or a full pipe leaves over. call: of what is left and where.
template <class Call>
void all(char* bytes, std::uint64_t size, std::uint64_t offset, const char* problem, Call call) {
  while (size > 0) {
    const auto n = call(bytes, size, static_cast<off_t>(offset));
    if (n < 0 && errno == EINTR) continue;
    if (n <= 0) refuse(problem);
    const auto done = static_cast<std::uint64_t>(n);
    bytes += done, offset += done, size -= done;
  }
}

}  // namespace

SampleStore::~SampleStore() {
  if (file_ >= 0) ::close(file_);
}

SampleStore::Kept SampleStore::put(PatchSample&& sample) {
  Kept kept{std::move(sample), 0, 0, 0};
  auto& frames = kept.sample.frames;
  const size_t floats = frames.empty() ? 0 : frames.front().size();
  const std::uint64_t bytes = floats * sizeof(float) * frames.size();
  if (bytes <= room_) {
    room_ -= bytes;
    return kept;
  }
  if (file_ < 0) file_ = temporaryFile();
  kept.offset = end_, kept.frames = frames.size(), kept.floats = floats;
  for (auto& f : frames) {
    all(reinterpret_cast<char*>(f.data()), floats * sizeof(float), end_,
        "the pixels of the takes can't be kept",
        [&](const char* from, size_t n, off_t at) { return ::pwrite(file_, from, n, at); });
    end_ += floats * sizeof(float);
  }
  frames = {};
  return kept;
}

PatchSample SampleStore::get(const Kept& kept) const {
  PatchSample s = kept.sample;
  std::uint64_t at = kept.offset;
  for (size_t n = 0; n < kept.frames; ++n) {
    s.frames.emplace_back(kept.floats);
    all(reinterpret_cast<char*>(s.frames.back().data()), kept.floats * sizeof(float), at,
        "the pixels of the takes can't be read again",
        [&](char* to, size_t size, off_t from) { return ::pread(file_, to, size, from); });
    at += kept.floats * sizeof(float);
  }
  return s;
}

void SampleStore::keep(TakeStats& stats) {
  Take& take = takes_.emplace_back();
  for (auto& s : stats.samples) take.patches.push_back(put(std::move(s)));
  for (auto& s : stats.regionSamples) take.regions.push_back(put(std::move(s)));
  stats.samples.clear(), stats.regionSamples.clear();
}

TakeStats SampleStore::whole(size_t take, const TakeStats& stats) const {
  TakeStats whole = stats;
  for (const auto& k : takes_.at(take).patches) whole.samples.push_back(get(k));
  for (const auto& k : takes_.at(take).regions) whole.regionSamples.push_back(get(k));
  return whole;
}

}  // namespace edge
