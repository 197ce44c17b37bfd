// The library: found, read without being touched, searched, and made again at will.
#include "library/library.h"

#include <SQLiteCpp/SQLiteCpp.h>
#include <gtest/gtest.h>

#include <chrono>
#include <fstream>
#include <nlohmann/json.hpp>

#include "base/hash.h"
#include "library/shelf.h"
#include "plan/recipe.h"
#include "project/analysis.h"
#include "support/support.h"

namespace edge {
namespace {

namespace fs = std::filesystem;

constexpr const char* kBodies[] = {"Corvane 35", "Pellam S6", "Tarn M1"};

// A project of two configurations, tested on a day.
void makeProject(const fs::path& file, const std::string& title, int body, const std::string& day) {
  fs::create_directories(file.parent_path());
  const auto p = Project::create(file, title);
  for (const double iso : {800.0, 3200.0}) {
    Configuration c;
    c.body = kBodies[body % 3], c.iso = iso;
    c.mode = "log";
    p->addConfiguration(c);
  }
  p->appendLog({0, day + "T10:00:00.000Z", "", "note", {{"text", "rope"}}});
}

double secondsOf(const std::function<void()>& work) {
  const auto start = std::chrono::steady_clock::now();
  work();
  return std::chrono::duration<double>(std::chrono::steady_clock::now() - start).count();
}

TEST(Library, AThousandProjectsAreSearchedInUnderASecondAndTheIndexIsMadeAgain) {
  const test::TempFolder folder;
  const fs::path shelf = folder / "shelf", index = folder / "cache/index.json";
  makeProject(shelf / "seed.edgetest", "Saltpan Road", 0, "2020-01-01");
  for (int i = 1; i < 1000; ++i) {  // copies, renamed inside: making each anew takes minutes
    const fs::path file = shelf / fmt::format("{}/p{:04}.edgetest", i % 10, i);
    fs::create_directories(file.parent_path());
    fs::copy_file(shelf / "seed.edgetest", file);
    SQLite::Database db(file.string(), SQLite::OPEN_READWRITE);
    db.exec("PRAGMA synchronous=OFF");
    db.exec(fmt::format("UPDATE configuration SET body='{}'", kBodies[i % 3]));
    db.exec(fmt::format("UPDATE log SET at='20{:02}-05-{:02}T00:00:00Z'", 10 + i % 16, 1 + i % 28));
  }
  Library library;
  const double first = secondsOf([&] { library = readLibrary(shelf, index, false, Progress()); });
  ASSERT_EQ(library.projects.size(), 1000U);
  EXPECT_EQ(library.readAnew, 1000U);
  const double again = secondsOf([&] { library = readLibrary(shelf, index, false, Progress()); });
  EXPECT_EQ(library.readAnew, 0U);
  std::vector<LibraryRow> rows;
  const double search = secondsOf([&] { rows = searchLibrary(library, "pellam 3200 2017"); });
  std::printf("1000 projects: read in %.2f s, from the index in %.2f s, searched in %.4f s\n", first, again,
              search);
  EXPECT_LT(search, 0.1);
  EXPECT_LT(again + search, 1.0);
  size_t expected = 0;  // counted by the rule they were made by
  for (int i = 1; i < 1000; ++i) expected += i % 3 == 1 && 10 + i % 16 == 17;
  EXPECT_EQ(rows.size(), expected);
  EXPECT_GT(expected, 10U);
  EXPECT_TRUE(searchLibrary(library, "pellam 320").empty()) << "a number is a whole one: 320 is not in 3200";
  EXPECT_EQ(searchLibrary(library, "pel 3200 2017").size(), expected) << "a word may be begun";
  // Rebuilt, thrown away or damaged: the same library.
  EXPECT_EQ(readLibrary(shelf, index, true, Progress()).readAnew, 1000U);
  test::writeText(index, "{\"format\": \"edge-test-library-index\", \"version\": 4, \"projects\": [{}]}");
  EXPECT_EQ(readLibrary(shelf, index, false, Progress()).readAnew, 1000U);
  // What changed is read, nothing else; what is gone is gone.
  fs::remove(shelf / "1/p0001.edgetest");
  {
    const auto p = Project::open(shelf / "2/p0002.edgetest");
    Configuration c;
    c.body = "Tarn M1", c.mode = "raw", c.iso = 400;
    p->addConfiguration(c);
  }
  library = readLibrary(shelf, index, false, Progress());
  EXPECT_EQ(library.projects.size(), 999U);
  EXPECT_EQ(library.readAnew, 1U);
  EXPECT_EQ(searchLibrary(library, "TARN raw").size(), 1U);
}

// Reading leaves no trace: bytes, times and names as they were, in use elsewhere or not.
TEST(Library, ReadingTouchesNothing) {
  const test::TempFolder folder;
  makeProject(folder / "shelf/a.edgetest", "Rope works", 0, "2026-01-05");
  const auto before = hashFile(folder / "shelf/a.edgetest");
  (void)readLibrary(folder / "shelf", {}, true, Progress());
  EXPECT_EQ(hashFile(folder / "shelf/a.edgetest"), before);
  size_t files = 0;
  for (const auto& e : fs::directory_iterator(folder / "shelf")) files += e.exists();
  EXPECT_EQ(files, 1U);
  // Open in a window: what was committed a moment ago is seen, and nothing is locked.
  const auto open = Project::open(folder / "shelf/a.edgetest");
  Configuration c;
  c.body = "Pellam S6", c.mode = "raw", c.iso = 320;
  open->addConfiguration(c);
  EXPECT_EQ(searchLibrary(readLibrary(folder / "shelf", {}, true, Progress()), "pellam raw").size(), 1U);
  c.iso = 640;
  open->addConfiguration(c);
}

TEST(Library, HostileFilesAreNamedAndTheRestIsRead) {
  const test::TempFolder folder;
  const fs::path shelf = folder / "shelf";
  makeProject(shelf / "good.edgetest", "Rope works", 1, "2026-01-05");
  const auto bad = [&](const char* name, const char* sql) {
    fs::copy_file(shelf / "good.edgetest", shelf / name);
    SQLite::Database db((shelf / name).string(), SQLite::OPEN_READWRITE);
    db.exec(sql);
  };
  bad("trigger.edgetest", "CREATE TRIGGER t AFTER INSERT ON log BEGIN DELETE FROM clip; END");
  bad("view.edgetest", "ALTER TABLE clip RENAME TO c; CREATE VIEW clip AS SELECT * FROM c");
  bad("negative.edgetest", "PRAGMA user_version=-7");
  bad("newer.edgetest", "PRAGMA user_version=99");
  bad("other.edgetest", "PRAGMA application_id=5");
  bad("json.edgetest", "UPDATE configuration SET decode='{'");
  bad("type.edgetest", "UPDATE configuration SET decode='[1]'");
  bad("log.edgetest", "UPDATE log SET value='{{'");
  bad("kind.edgetest", "INSERT INTO clip (configuration,kind,name,path,hash) VALUES (1,'elephant','','','')");
  bad("bytes.edgetest", "UPDATE meta SET value=CAST(x'fffefd' AS TEXT) WHERE key='title'");
  bad("tables.edgetest", "DROP TABLE decision");
  test::writeText(shelf / "text.edgetest", "SQLite format 3, or so it says");
  test::writeText(shelf / "short.edgetest", "x");
  { std::ofstream empty(shelf / "empty.edgetest"); }
  fs::create_symlink("/etc", shelf / "linked");
  fs::create_symlink(shelf / "good.edgetest", shelf / "linked.edgetest");
  fs::create_directory(shelf / "folder.edgetest");
  std::error_code ec;
  fs::copy_file(shelf / "good.edgetest", shelf / "\xff\xfe.edgetest", ec);
  const Library library = readLibrary(shelf, folder / "index.json", false, Progress());
  ASSERT_EQ(library.projects.size(), 15U);
  for (const auto& p : library.projects) {
    // A damaged entry of a log costs that entry, not the project.
    EXPECT_EQ(p.problem.empty(), p.file == "good.edgetest" || p.file == "log.edgetest")
        << p.file << ": " << p.problem;
    EXPECT_LT(p.problem.size(), 400U) << p.file;
  }
  EXPECT_EQ(library.notes.size(), ec ? 0U : 1U);
  EXPECT_EQ(searchLibrary(library, "pellam").size(), 4U);
  // They stay named when they come from the index.
  const Library again = readLibrary(shelf, folder / "index.json", false, Progress());
  EXPECT_EQ(again.readAnew, 0U);
  for (size_t i = 0; i < library.projects.size(); ++i)
    EXPECT_EQ(again.projects[i].problem, library.projects[i].problem);
  // A window asked to open them says the same, and does not fall over.
  for (const auto& p : library.projects)
    if (!p.problem.empty() && p.file != "bytes.edgetest" && p.file != "tables.edgetest") {
      EXPECT_THROW((void)Project::open(shelf / p.file), Error) << p.file;
    }
}

// A note of years later is no test of that day.
TEST(Library, ATestHasTheDayItWasShot) {
  const test::TempFolder folder;
  makeProject(folder / "a.edgetest", "Rope works", 0, "2020-03-04");
  const auto dayOf = [&] { return testedOf(*Project::read(folder / "a.edgetest"), "a")[0].date; };
  const auto add = [&](const char* day, const char* kind) {
    Project::open(folder / "a.edgetest")
        ->appendLog({0, std::string(day) + "T10:00:00Z", "1", kind, nlohmann::json::object()});
  };
  add("2026-11-27", "note");
  EXPECT_EQ(dayOf(), "2020-03-04");
  add("2020-03-05", "done"), add("2020-03-06", "done"), add("2026-11-27", "note");
  EXPECT_EQ(dayOf(), "2020-03-06");
  EXPECT_FALSE(testedOf(*Project::read(folder / "a.edgetest"), "a")[0].dateOfFile);
}

TEST(Library, NamesOfOthersAreDisarmedInTables) {
  const test::TempFolder folder;
  makeProject(folder / "shelf/a.edgetest", "=HYPERLINK(\"x\")", 0, "2026-01-05");
  const Library library = readLibrary(folder / "shelf", {}, true, Progress());
  const std::string csv = libraryCsv(library, searchLibrary(library, ""));
  EXPECT_EQ(csv.find(",=HYPER"), std::string::npos);
  EXPECT_NE(csv.find("'=HYPER"), std::string::npos);
  EXPECT_THROW((void)readLibrary(folder / "none", {}, false, Progress()), Error);
}

TEST(Shelf, AStrangersProjectIsCopiedWithItsFiguresAndNoPathOfTheReaders) {
  const test::TempFolder folder;
  fs::create_directories(folder / "theirs/curves");
  test::writeText(folder / "theirs/curves/own.csv", "linear,code\n0,0\n1,1\n");
  test::writeText(folder / "secret.csv", "linear,code\n0,0\n1,1\n");
  {
    const auto p = Project::create(folder / "theirs/Test.edgetest", "Rope works");
    Configuration c;
    c.body = "Tarn M1", c.iso = 800, c.decode.curve = "curves/own.csv";
    c.mode = "log";
    ClipRecord clip;
    clip.kind = ClipKind::Base, clip.name = "base", clip.path = "../../home/base.mkv", clip.hash = "00";
    c.clips = {clip};
    const auto id = p->addConfiguration(c);
    c.decode.curve = "../secret.csv", c.clips.clear(), c.iso = 1600;
    p->addConfiguration(c);
    p->setDecision({id, "", kClaimKey, 14.5, ""});
    p->setDecision({0, "", kLookKey, "/etc/passwd", ""});
  }
  fs::create_directories(folder / "shelf");
  const TakenIn taken = takeIn(folder / "theirs/Test.edgetest", folder / "shelf");
  EXPECT_EQ(taken.file, folder / "shelf/Test/Test.edgetest");
  ASSERT_EQ(taken.notes.size(), 2U) << "paths cut, and a curve that is no longer beside it";
  const auto p = Project::open(taken.file);
  const auto list = p->configurations();
  EXPECT_EQ(list[0].clips[0].path, "base.mkv");
  EXPECT_EQ(list[0].decode.curve, "curves/own.csv");
  EXPECT_TRUE(fs::exists(folder / "shelf/Test/curves/own.csv"));
  EXPECT_EQ(list[1].decode.curve, "secret.csv");
  EXPECT_FALSE(fs::exists(folder / "shelf/Test/secret.csv"));
  EXPECT_EQ(p->decision(0, "", kLookKey)->value, "passwd");
  EXPECT_EQ(p->decision(list[0].id, "", kClaimKey)->value, 14.5);
  // Twice is two, and neither is lost.
  EXPECT_EQ(takeIn(folder / "theirs/Test.edgetest", folder / "shelf").file,
            folder / "shelf/Test-2/Test.edgetest");
  // What can't be read leaves nothing behind.
  test::writeText(folder / "bad.edgetest", "no project");
  EXPECT_THROW((void)takeIn(folder / "bad.edgetest", folder / "shelf"), Error);
  EXPECT_FALSE(fs::exists(folder / "shelf/bad"));
}

TEST(Shelf, AnOldTestIsPlannedAgainAndAProtocolKept) {
  const test::TempFolder folder;
  fs::create_directories(folder / "shelf/old");
  auto recipe = emptyRecipe();
  recipe["title"] = "Rope works";
  {
    const auto p = Project::create(folder / "shelf/old/a.edgetest", "Old");
    EXPECT_THROW(repeatTest(*p, folder / "again.edgetest"), Error) << "nothing was planned";
    p->setDecision({0, "", kRecipeKey, recipe, ""});
    p->setDecision({0, "", kHeadlineSnrKey, 1.0, ""});
    p->setDecision({0, "", kClaimKey, 3, ""});
    repeatTest(*p, folder / "again.edgetest");
    EXPECT_THROW(repeatTest(*p, folder / "again.edgetest"), Error) << "never over what is there";
    const auto kept = keepProtocol(*p, folder / "shelf", "two days / faces");
    EXPECT_EQ(kept.filename(), "two days - faces.json");
    EXPECT_THROW((void)keepProtocol(*p, folder / "shelf", "two days / faces"), Error);
    EXPECT_THROW((void)keepProtocol(*p, folder / "shelf", "  .. "), Error);
  }
  const auto again = Project::open(folder / "again.edgetest");
  EXPECT_EQ(again->decision(0, "", kRecipeKey)->value, recipe);
  EXPECT_EQ(again->decision(0, "", kHeadlineSnrKey)->value, 1.0);
  EXPECT_EQ(again->decision(0, "", kRepeatsKey)->value["title"], "Old");
  EXPECT_FALSE(again->decision(0, "", kClaimKey));
  ASSERT_EQ(protocolsIn(folder / "shelf").size(), 1U);
  beginFromProtocol(protocolsIn(folder / "shelf")[0], folder / "new.edgetest");
  EXPECT_EQ(Project::open(folder / "new.edgetest")->decision(0, "", kRecipeKey)->value, recipe);
  test::writeText(folder / "shelf/protocols/bad.json", "{\"bodies\": 7}");
  EXPECT_THROW(beginFromProtocol(folder / "shelf/protocols/bad.json", folder / "x.edgetest"), Error);
  EXPECT_FALSE(fs::exists(folder / "x.edgetest"));
}

}  // namespace
}  // namespace edge
