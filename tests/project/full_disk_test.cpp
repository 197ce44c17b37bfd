// Where a disk is full, a file may grow no further or is locked, the message is true and nothing is lost.
#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#include <csignal>

#include "base/error.h"
#include "base/files.h"
#include "project/analysis.h"
#include "support/support.h"

namespace edge {
namespace {

namespace fs = std::filesystem;

// The command line under a limit of the size of any file, in blocks of 512 bytes (POSIX, ulimit -f).
int runLimited(int blocks, const std::string& arguments, const fs::path& err) {
  return std::system(fmt::format("sh -c 'ulimit -f {}; exec {} {} > /dev/null 2> {}'", blocks, EDGE_CLI,
                                 arguments, err.string())
                         .c_str());
}

// Room for what SQLite itself keeps beside an open project (32 kB), not for any of the reports.
TEST(FullDisk, NothingHalfIsLeftAndItIsSaid) {
  constexpr int kBlocks = 80;
  const test::TempFolder folder;
  const std::string project = (folder / "p.edgetest").string(), out = (folder / "out").string();
  {
    const auto p = Project::create(project, "Rope works");
    for (int i = 0; i < 150; ++i) {
      Configuration c;
      c.body = "Tarn M1 " + std::string(300, 'x'), c.iso = 100.0 + i;
      c.mode = "log";
      p->addConfiguration(c);
    }
  }
  fs::create_directories(folder / "out");
  const fs::path err = folder / "err.txt";
  for (const char* what : {"--pdf %/r.pdf", "--html %/r.html", "--json %/r.json", "--csv %/csv"}) {
    std::string words = what;
    words.replace(words.find('%'), 1, out);
    EXPECT_EQ(WEXITSTATUS(runLimited(kBlocks, "report " + project + " " + words, err)), 1) << what;
    const std::string said = readText(err);
    EXPECT_TRUE(said.find("no room left") != std::string::npos ||
                said.find("can't write") != std::string::npos)
        << said;
    EXPECT_NE(said.find(out), std::string::npos) << said;
    for (const auto& e : fs::recursive_directory_iterator(folder / "out"))
      EXPECT_TRUE(e.is_directory()) << what << " left " << e.path();
    EXPECT_EQ(WEXITSTATUS(runLimited(1000000, "report " + project + " " + words, err)), 0)
        << what << readText(err);
    for (const auto& e : fs::recursive_directory_iterator(folder / "out"))
      if (!e.is_directory() && e.path().filename() != "takes.csv" &&
          e.path().filename() != "situations.csv" && e.path().filename() != "context.csv" &&
          e.path().filename() != "ranges.csv") {
        EXPECT_GT(e.file_size(), kBlocks * 512U) << "it had to hit the limit: " << e.path();
      }
    fs::remove_all(folder / "out");
    fs::create_directories(folder / "out");
  }
}

TEST(FullDisk, ALockedProjectIsNotCalledDamaged) {
  const test::TempFolder folder;
  const auto p = Project::create(folder / "p.edgetest", "Rope works");
  SQLite::Database other((folder / "p.edgetest").string(), SQLite::OPEN_READWRITE);
  other.exec("BEGIN EXCLUSIVE");
  try {
    p->setDecision({0, "", kHeadlineSnrKey, 2.0, ""});
    FAIL() << "written through a lock";
  } catch (const Error& e) {
    EXPECT_NE(std::string(e.what()).find("in use by another program"), std::string::npos) << e.what();
  }
  other.exec("ROLLBACK");
  p->setDecision({0, "", kHeadlineSnrKey, 2.0, ""});
  EXPECT_EQ(p->decision(0, "", kHeadlineSnrKey)->value, 2.0);
}

// A file that may grow no further, in the middle of writing decisions (a child of its own: the limit stays
// on).
TEST(FullDisk, AProjectWithoutRoomSaysSoAndKeepsWhatItHas) {
  const test::TempFolder folder;
  const fs::path file = folder / "p.edgetest";
  {
    const auto p = Project::create(file, "Rope works");
    p->setDecision({0, "", kHeadlineSnrKey, 2.0, "before"});
  }
  constexpr int kSaid = 40, kNothing = 41;
  const pid_t child = fork();
  if (child == 0) {
    std::signal(SIGXFSZ, SIG_IGN);
    const rlimit limit{120 * 1024, 120 * 1024};
    setrlimit(RLIMIT_FSIZE, &limit);
    try {
      const auto p = Project::open(file);
      for (int i = 0; i < 2000; ++i)
        p->setDecision({0, std::to_string(i), "note", std::string(500, 'x'), ""});
    } catch (const Error& e) {
      const std::string said = e.what();
      const bool isTrue =
          said.find("no room") != std::string::npos || said.find("the disk fails") != std::string::npos;
      _exit(isTrue ? kSaid : kNothing);
    }
    _exit(kNothing);
  }
  int status = 0;
  ASSERT_EQ(waitpid(child, &status, 0), child);
  EXPECT_EQ(WEXITSTATUS(status), kSaid);
  const auto p = Project::open(file);
  EXPECT_TRUE(p->integrityProblems().empty());
  EXPECT_EQ(p->decision(0, "", kHeadlineSnrKey)->reason, "before");
  // Every decision whose call came back stands: they are counted without a gap.
  int kept = 0;
  while (p->decision(0, std::to_string(kept), "note")) ++kept;
  EXPECT_GT(kept, 5);
  EXPECT_EQ(p->decisions().size(), static_cast<size_t>(kept) + 1);
}

}  // namespace
}  // namespace edge
