// Where a disk is full, a file may grow no further or is locked, the message is true and nothing is lost.
#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <csignal>

#include "base/error.h"
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

TEST(FullDisk, NothingHalfIsLeftAndItIsSaid) {
  const test::TempFolder folder;
  {
    const auto p = Project::create(folder / "p.edgetest", "Rope works");
    for (int i = 0; i < 40; ++i) {
      Configuration c;
      c.body = "Tarn M1", c.mode = "log", c.iso = 100.0 + i;
      p->addConfiguration(c);
    }
  }
  fs::create_directories(folder / "out");
  const std::string out = (folder / "out").string();
  for (const std::string& what : {" --pdf " + out + "/r.pdf", " --html " + out + "/r.html",
                                  " --json " + out + "/r.json", " --csv " + out + "/csv"}) {
    const fs::path err = folder / "err.txt";
    EXPECT_EQ(WEXITSTATUS(runLimited(4, "report " + (folder / "p.edgetest").string() + what, err)), 1)
        << what;
    for (const auto& e : fs::recursive_directory_iterator(folder / "out"))
      EXPECT_TRUE(e.is_directory()) << what << " left " << e.path();
  }
  EXPECT_EQ(WEXITSTATUS(runLimited(100000,
                                   "report " + (folder / "p.edgetest").string() + " --pdf " + out + "/r.pdf",
                                   folder / "err.txt")),
            0);
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

// A project that can grow no further (SQLITE_FULL, as a full disk gives it): what was there stays.
TEST(FullDisk, AProjectWithoutRoomSaysSoAndKeepsWhatItHas) {
  const test::TempFolder folder;
  const fs::path file = folder / "p.edgetest";
  {
    const auto p = Project::create(file, "Rope works");
    p->setDecision({0, "", kHeadlineSnrKey, 2.0, "before"});
  }
  const fs::path err = folder / "err.txt";
  fs::create_directories(folder / "old");
  const int blocks = static_cast<int>(fs::file_size(file) / 512 + 1);
  const int exit = runLimited(
      blocks, "begin " + (folder / "old").string() + " --project " + file.string() + " --add", err);
  EXPECT_NE(WEXITSTATUS(exit), 0);
  const auto p = Project::open(file);
  EXPECT_TRUE(p->integrityProblems().empty());
  EXPECT_EQ(p->decision(0, "", kHeadlineSnrKey)->reason, "before");
}

}  // namespace
}  // namespace edge
