// The project under a file system and a memory that fail at every point where they can, and through power
// cuts: what a call came back from stands, nothing is torn, and the message is true. The standard is what
// SQLite publishes of its own tests (sqlite.org/testing.html: "anomaly testing"); from memory.
#include <gtest/gtest.h>
#include <sys/wait.h>
#include <unistd.h>

#include <nlohmann/json.hpp>

#include "base/error.h"
#include "project/match_project.h"
#include "project/project.h"
#include "support/failing_vfs.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

using test::Call;
using test::FailingVfs;

struct Told {
  size_t decisions = 0, entries = 0;  // whose calls came back
  std::string problem;                // empty: none
  bool opened = false;
};

constexpr int kDecisions = 4;
constexpr const char* kKey = "note";  // of a decision that nobody judges by

// As somebody works: decides, logs, measures.
Told work(const fs::path& file) {
  Told told;
  try {
    const auto p = Project::open(file);
    told.opened = true;
    const std::string long_(3000, 'x');
    for (int i = 0; i < kDecisions; ++i) {
      p->setDecision({1, "take " + std::to_string(i), kKey, i, long_});
      ++told.decisions;
      p->appendLog({0, "2026-11-27T10:00:00.000Z", "a", "note", {{"text", std::to_string(i)}}});
      ++told.entries;
      p->storeResult(1, "latitude", std::to_string(i), {{"long", std::string(20000, 'y')}});
      (void)p->decisions(), (void)p->log(), (void)p->configurations();
      (void)p->result(1, "latitude", std::to_string(i));
    }
  } catch (const Error& e) {
    told.problem = e.what();
  }
  return told;
}

void start(const fs::path& file) {
  const auto p = Project::create(file, "Rope works", "9F3A1C");
  Configuration c;
  c.body = "Tarn M1", c.mode = "a", c.iso = 800;
  p->addConfiguration(c);
  p->setDecision({0, "", "before", "stands", ""});
}

// Sound, and everything that was told is there, in order; at most one more of each, whose call was under way.
void expectKept(const fs::path& file, const Told& told, const std::string& when) {
  const auto p = Project::open(file);
  EXPECT_TRUE(p->integrityProblems().empty()) << when;
  EXPECT_EQ(p->configurations().size(), 1U) << when;
  ASSERT_TRUE(p->decision(0, "", "before")) << when;
  size_t kept = 0;
  while (p->decision(1, "take " + std::to_string(kept), kKey)) ++kept;
  EXPECT_GE(kept, told.decisions) << when;
  EXPECT_LE(kept, told.decisions + 1) << when;
  EXPECT_EQ(p->decisions().size(), kept + 1) << when;
  const auto entries = p->log();
  EXPECT_GE(entries.size(), told.entries) << when;
  EXPECT_LE(entries.size(), told.entries + 1) << when;
  for (size_t i = 0; i < entries.size(); ++i) EXPECT_EQ(entries[i].value["text"], std::to_string(i)) << when;
  EXPECT_TRUE(p->setApart().empty()) << when;
}

struct Failure {
  const char* name;
  Call call;
  int code;
  bool once;
  std::vector<const char*> says;  // one of them
};

class FailingDisk : public ::testing::TestWithParam<Failure> {};

TEST_P(FailingDisk, AtEveryCallNothingIsLostAndTheMessageIsTrue) {
  const Failure& f = GetParam();
  FailingVfs::install();
  int met = 0;
  for (std::int64_t n = 0;; ++n) {
    const test::TempFolder folder;
    const fs::path file = folder / "p.edgetest";
    start(file);
    FailingVfs::failAt(f.call, n, f.code, f.once);
    const Told told = work(file);
    if (!FailingVfs::heal()) {
      EXPECT_EQ(told.problem, "");
      EXPECT_EQ(told.decisions, static_cast<size_t>(kDecisions));
      break;
    }
    ++met;
    const std::string when = std::string(f.name) + " at call " + std::to_string(n) + ": " + told.problem;
    // Where the fault could be made good (a checkpoint that comes later), nothing has to be said.
    if (!told.problem.empty()) {
      EXPECT_TRUE(std::any_of(f.says.begin(), f.says.end(), [&](const char* s) {
        return told.problem.find(s) != std::string::npos;
      })) << when;
      EXPECT_NE(told.problem.find(file.string()), std::string::npos) << when;
    } else {
      EXPECT_EQ(told.decisions, static_cast<size_t>(kDecisions)) << when;
    }
    expectKept(file, told, when);
    if (HasFailure()) return;
  }
  EXPECT_GT(met, 10) << "it had to meet the layer";
  std::printf("%s: %d faults\n", f.name, met);
}

INSTANTIATE_TEST_SUITE_P(
    Every, FailingDisk,
    ::testing::Values(
        Failure{"FullForGood", Call::Write, SQLITE_FULL, false, {"no room left", "the disk fails"}},
        Failure{"FullOnce", Call::Write, SQLITE_FULL, true, {"no room left", "the disk fails"}},
        Failure{"WriteForGood", Call::Write, SQLITE_IOERR_WRITE, false, {"the disk fails"}},
        Failure{"WriteOnce", Call::Write, SQLITE_IOERR_WRITE, true, {"the disk fails"}},
        Failure{"SyncForGood", Call::Sync, SQLITE_IOERR_FSYNC, false, {"the disk fails"}},
        Failure{"SyncOnce", Call::Sync, SQLITE_IOERR_FSYNC, true, {"the disk fails"}},
        Failure{"ReadForGood", Call::Read, SQLITE_IOERR_READ, false, {"the disk fails"}},
        Failure{"ReadOnce", Call::Read, SQLITE_IOERR_READ, true, {"the disk fails"}}),
    [](const auto& info) { return std::string(info.param.name); });

TEST(FailingMemory, AtEveryRequestNothingIsLostAndItIsSaid) {
  // In a child: SQLite's memory can't be changed once a database was open in this process.
  const pid_t child = fork();
  if (child == 0) {
    if (!test::installFailingMemory()) _exit(3);
    const test::TempFolder folder;
    const fs::path file = folder / "p.edgetest";
    int met = 0;
    for (std::int64_t n = 0;; n += 1 + n / 40) {  // every one at first, then closer than one in forty
      fs::remove(file);
      start(file);
      test::failMemoryAt(n, n % 2 == 0);
      const Told told = work(file);
      if (!test::healMemory()) break;
      ++met;
      if (told.problem.empty() ? told.decisions != kDecisions
                               : told.problem.find("memory") == std::string::npos) {
        std::fprintf(stderr, "request %ld: %zu of %d, \"%s\"\n", static_cast<long>(n), told.decisions,
                     kDecisions, told.problem.c_str());
        _exit(1);
      }
      expectKept(file, told, "request " + std::to_string(n) + ": " + told.problem);
      if (::testing::Test::HasFailure()) _exit(1);
    }
    std::printf("memory: %d faults\n", met);
    std::fflush(stdout);
    fs::remove_all(folder.path());
    _exit(met > 100 ? 0 : 2);
  }
  int status = 0;
  ASSERT_EQ(waitpid(child, &status, 0), child);
  EXPECT_EQ(WEXITSTATUS(status), 0);
}

TEST(PowerCut, AtEveryCallWhatWasToldStands) {
  FailingVfs::install();
  int cuts = 0;
  for (std::int64_t n = 0;; ++n) {
    const test::TempFolder folder;
    const fs::path file = folder / "p.edgetest";
    start(file);
    FailingVfs::cutAt(n);
    const Told told = work(file);
    const bool met = FailingVfs::heal();
    const test::TempFolder disk;
    FailingVfs::afterCut(folder.path(), disk.path(), static_cast<std::uint64_t>(n) + 1);
    if (!met) break;
    ++cuts;
    expectKept(disk / "p.edgetest", told, "cut at call " + std::to_string(n));
    if (HasFailure()) return;
  }
  EXPECT_GT(cuts, 30);
  std::printf("power: %d cuts\n", cuts);
}

std::vector<Configuration> linked(const Project& p, const std::string& path) {
  auto list = p.configurations();
  Configuration more;
  more.body = "Pellam S6", more.mode = path;
  list.push_back(more);
  for (auto& c : list) {
    ClipRecord clip;
    clip.name = "base", clip.path = path, clip.hash = path;
    c.clips = {clip};
  }
  return list;
}

// Checks are of the clips they were made of, whatever was linked meanwhile; those that stand stay as they
// are.
TEST(Links, ChecksOfOtherClipsAreNotKept) {
  const test::TempFolder folder;
  start(folder / "p.edgetest");
  const auto p = Project::open(folder / "p.edgetest");
  auto list = linked(*p, "one.mkv"), other = linked(*p, "two.mkv");
  std::vector<std::shared_ptr<const Checked>> checks;
  for (const auto& c : list)
    checks.push_back(writtenOut(checksInputHash(*p, c), {{"S1", c.clips[0].path, {}}}));
  storeLinks(*p, other, checks);
  for (const auto& c : p->configurations()) EXPECT_FALSE(storedChecks(*p, c)) << c.label();
  auto again = p->configurations();
  for (auto& c : again) c.clips = list.front().clips;
  storeLinks(*p, again, checks);
  const auto later = Project::open(folder / "p.edgetest");
  for (const auto& c : p->configurations())
    for (const Project* at : {p.get(), later.get()}) {
      const auto checked = storedChecks(*at, c);
      ASSERT_TRUE(checked) << c.label();
      EXPECT_EQ(checked->at(0).clip, "one.mkv");
      EXPECT_EQ(checked->at(0).slate, "S1");
    }
}

// Links of several configurations and what was checked of them are one step: all, or none, at every call that
// fails and every cut of the power.
TEST(Links, OfAllConfigurationsChangeTogether) {
  FailingVfs::install();
  const auto expectTogether = [](const fs::path& file, bool told, const std::string& when) {
    const auto p = Project::open(file);
    const auto list = p->configurations();
    const std::string path = list.front().clips.front().path;
    EXPECT_TRUE(path == "new.mkv" || (path == "old.mkv" && !told)) << when;
    EXPECT_EQ(list.size(), path == "new.mkv" ? 4U : 3U) << when;
    for (const auto& c : list) {
      ASSERT_EQ(c.clips.size(), 1U) << when;
      EXPECT_EQ(c.clips[0].path, path) << when;
      EXPECT_EQ(storedChecks(*p, c) != nullptr, path == "new.mkv") << when;
    }
  };
  for (const bool cut : {false, true}) {
    int met = 0;
    for (std::int64_t n = 0;; ++n) {
      const test::TempFolder folder, disk;
      const fs::path file = folder / "p.edgetest";
      start(file);
      for (int i = 0; i < 2; ++i) {
        const auto p = Project::open(file);
        auto list = linked(*p, "old.mkv");
        storeConfigurations(*p, list);
      }
      cut ? FailingVfs::cutAt(n) : FailingVfs::failAt(Call::Write, n, SQLITE_FULL);
      bool told = false;
      try {
        const auto p = Project::open(file);
        auto list = linked(*p, "new.mkv");
        std::vector<std::shared_ptr<const Checked>> checks;
        for (const auto& c : list) checks.push_back(writtenOut(checksInputHash(*p, c), {}));
        storeLinks(*p, list, checks);
        told = true;
      } catch (const Error& e) {
        EXPECT_NE(std::string(e.what()).find(file.string()), std::string::npos) << e.what();
      }
      const bool wasMet = FailingVfs::heal();
      if (cut) FailingVfs::afterCut(folder.path(), disk.path(), static_cast<std::uint64_t>(n) + 1);
      if (!wasMet) break;
      ++met;
      expectTogether((cut ? disk : folder) / "p.edgetest", told, "call " + std::to_string(n));
      if (HasFailure()) return;
    }
    EXPECT_GT(met, 5) << "it had to meet the layer";
    std::printf("links: %d %s\n", met, cut ? "cuts" : "faults");
  }
}

// A process killed while it makes a project leaves none of that name, or a whole one.
TEST(NewProject, AProjectIsMadeWholeOrNotAtAll) {
  FailingVfs::install();
  int met = 0;
  for (std::int64_t n = 0;; ++n) {
    const test::TempFolder folder;
    const fs::path file = folder / "p.edgetest";
    FailingVfs::failAt(Call::Write, n, SQLITE_FULL);
    std::string problem;
    try {
      (void)Project::create(file, "Rope works", "9F3A1C");
    } catch (const Error& e) {
      problem = e.what();
    }
    const bool wasMet = FailingVfs::heal();
    if (fs::exists(file)) {
      EXPECT_EQ(Project::open(file)->title(), "Rope works") << n;
    } else {
      EXPECT_NE(problem.find("room"), std::string::npos) << problem;
      EXPECT_TRUE(fs::is_empty(folder.path())) << n << ": " << fs::directory_iterator(folder.path())->path();
    }
    if (!wasMet) break;
    ++met;
  }
  EXPECT_GT(met, 5);
}

}  // namespace
}  // namespace edge
