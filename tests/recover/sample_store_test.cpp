// Pixels of takes that are kept beyond the memory they may take: what comes back is what went in.
#include "recover/sample_store.h"

#include <gtest/gtest.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>
#include <random>

#include "base/error.h"
#include "base/parallel.h"

namespace edge {
namespace {

PatchSample sample(std::mt19937& random, int frames) {
  PatchSample s{8, 6, static_cast<int>(random() % 100), static_cast<int>(random() % 100), {}};
  for (int n = 0; n < frames; ++n) {
    s.frames.emplace_back(3 * 8 * 6);
    for (auto& v : s.frames.back()) v = static_cast<float>(random()) / 7;
  }
  return s;
}

std::vector<TakeStats> takes(int count) {
  std::mt19937 random(5);
  std::vector<TakeStats> all(static_cast<size_t>(count));
  for (auto& t : all) {
    t.frames = static_cast<std::int64_t>(random() % 50);
    for (const int frames : {4, 0, 3})
      t.samples.push_back(sample(random, frames));  // what is not looked at is empty
    t.regionSamples.push_back(sample(random, 2));
  }
  return all;
}

void expectSame(const std::vector<PatchSample>& a, const std::vector<PatchSample>& b) {
  ASSERT_EQ(a.size(), b.size());
  for (size_t i = 0; i < a.size(); ++i) {
    EXPECT_EQ(a[i].width, b[i].width);
    EXPECT_EQ(a[i].height, b[i].height);
    EXPECT_EQ(a[i].x, b[i].x);
    EXPECT_EQ(a[i].y, b[i].y);
    EXPECT_EQ(a[i].frames, b[i].frames) << "bit for bit";
  }
}

// In memory, in the file, and on both sides of the border.
TEST(SampleStore, GivesBackWhatItKept) {
  const auto before = takes(40);
  for (const std::uint64_t room : {std::uint64_t(1) << 30, std::uint64_t(0), std::uint64_t(20000)}) {
    SampleStore store(room);
    auto stats = before;
    for (auto& t : stats) {
      store.keep(t);
      EXPECT_TRUE(t.samples.empty() && t.regionSamples.empty());
    }
    std::vector<TakeStats> after(before.size());
    parallelFor(static_cast<int>(before.size()), [&](int i) {
      const auto k = static_cast<size_t>(i);
      after[k] = store.whole(k, stats[k]);
    });
    for (size_t k = 0; k < before.size(); ++k) {
      EXPECT_EQ(after[k].frames, before[k].frames);
      expectSame(after[k].samples, before[k].samples);
      expectSame(after[k].regionSamples, before[k].regionSamples);
    }
  }
}

// A disk without room for them (a child of its own: the limit stays on).
TEST(SampleStore, NoRoomIsSaid) {
  const pid_t child = fork();
  if (child == 0) {
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit limit{10000, 10000};
    setrlimit(RLIMIT_FSIZE, &limit);
    try {
      SampleStore store(0);
      auto stats = takes(40);
      for (auto& t : stats) store.keep(t);
    } catch (const Error& e) {
      _exit(e.remedy().find("TMPDIR") != std::string::npos && !e.subject().empty() ? 0 : 2);
    }
    _exit(1);
  }
  int status = 0;
  ASSERT_EQ(waitpid(child, &status, 0), child);
  EXPECT_EQ(WEXITSTATUS(status), 0);
}

}  // namespace
}  // namespace edge
