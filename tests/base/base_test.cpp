#include <gtest/gtest.h>

#include <atomic>
#include <filesystem>
#include <fstream>
#include <set>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "base/parallel.h"
#include "base/progress.h"
#include "base/units.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

TEST(Error, IsOneLineWithFilePlaceAndRemedy) {
  EXPECT_STREQ(Error("WHAT", "FILE", "PLACE", "REMEDY").what(), "WHAT, in FILE (PLACE): REMEDY");
  EXPECT_STREQ(Error("what", "", "", "do this").what(), "what: do this");
  EXPECT_STREQ(Error("what", "", "", "").what(), "what");
  EXPECT_EQ(std::string(Error("a\nb", "f\r\n", "", "c").what()).find('\n'), std::string::npos);
}

TEST(Parallel, EveryIndexIsVisitedOnceAndErrorsComeOut) {
  std::vector<std::atomic<int>> seen(1000);
  parallelFor(1000, [&](int i) { ++seen[static_cast<size_t>(i)]; });
  for (const auto& s : seen) EXPECT_EQ(s, 1);
  EXPECT_THROW(parallelFor(50,
                           [](int i) {
                             if (i == 31) throw Error("no", "", "", "x");
                           }),
               Error);
  parallelFor(0, [](int) { FAIL(); });
}

TEST(Parallel, ThreadCountIsASettingOfSpeedOnly) {
  const int before = threads();
  setThreads(3);
  EXPECT_EQ(threads(), 3);
  setThreads(-5);
  EXPECT_EQ(threads(), before);
}

TEST(ProgressReport, CancelThrowsAtTheNextReport) {
  double last = -1;
  Progress p([&](double f, const std::string&) { last = f; });
  p.report(0.25, "x");
  EXPECT_EQ(last, 0.25);
  p.cancel();
  EXPECT_TRUE(p.cancelled());
  EXPECT_THROW(p.report(0.5, "x"), Cancelled);
  EXPECT_EQ(last, 0.25);
}

TEST(Units, DensityRatioAndStopsAgree) {
  EXPECT_NEAR(stopsOf(Density(0.30103)).value(), 1, 1e-9);
  EXPECT_NEAR(stopsOf(Density(1)).value(), 3.3219, 1e-4);  // 3.3219 D, the handbook factor (common practice)
  EXPECT_NEAR(ratioOf(Stops(3)), 8, 1e-12);
  EXPECT_NEAR(stopsOfRatio(0.25).value(), -2, 1e-12);
  EXPECT_LT(Stops(-1), Stops(0));
}

TEST(Files, TextIsReadWithBounds) {
  const test::TempFolder folder;
  test::writeText(folder / "a", "hello");
  EXPECT_EQ(readText(folder / "a"), "hello");
  EXPECT_THROW((void)readText(folder / "a", 3), Error);
  EXPECT_THROW((void)readText(folder.path()), Error);
  EXPECT_THROW((void)readText(folder / "none"), Error);
}

TEST(Files, NoPermissionIsSaid) {
  if (::geteuid() == 0) GTEST_SKIP() << "root may read everything";
  const test::TempFolder folder;
  test::writeText(folder / "a", "hello");
  std::filesystem::permissions(folder / "a", std::filesystem::perms::none);
  EXPECT_THROW((void)readText(folder / "a"), Error);
}

TEST(Files, ExtensionIsLowerCase) {
  EXPECT_EQ(lowerExtension("A.B.ExR"), ".exr");
}

TEST(Hash, OfSeveralFilesDependsOnNameOrderAndContent) {
  const test::TempFolder folder;
  test::writeText(folder / "a", "1");
  test::writeText(folder / "b", "2");
  const auto ab = hashFiles({folder / "a", folder / "b"});
  EXPECT_NE(ab, hashFiles({folder / "b", folder / "a"}));
  test::writeText(folder / "b", "3");
  EXPECT_NE(ab, hashFiles({folder / "a", folder / "b"}));
  EXPECT_EQ(hashFiles({folder / "a"}), hashFile(folder / "a"));
}

TEST(Numbers, WordsAndFieldsAreSplit) {
  EXPECT_EQ(splitWords("  a  b\tc\n").size(), 3U);
  EXPECT_EQ(split("a,,b", ',').size(), 3U);
  EXPECT_EQ(trim("  x y \r\n"), "x y");
  EXPECT_EQ(lower("T2.8"), "t2.8");
}

TEST(Files, WhatAKilledProcessLeftIsSweptAway) {
  const test::TempFolder folder;
  const fs::path file = folder / "report.pdf";
  const auto make = [&](const char* name, bool old) {
    test::writeText(folder / name, "half");
    if (old) fs::last_write_time(folder / name, fs::file_time_type::clock::now() - std::chrono::hours(1));
  };
  make(".report.4194305.part.pdf", true);   // no process can have this number (Linux: 2^22 at most)
  make(".report.4194306.part.pdf", false);  // may be of another machine, at work now
  make(".report.1.part.pdf", true);         // a process that lives
  make(".other.4194305.part.pdf", true);    // of another file
  make(".report.notes.part.pdf", true);     // a person's own
  writeFileAtomically(file, std::string_view("whole"));
  std::set<std::string> left;
  for (const auto& e : fs::directory_iterator(folder.path())) left.insert(e.path().filename().string());
  EXPECT_EQ(left, (std::set<std::string>{"report.pdf", ".report.4194306.part.pdf", ".report.1.part.pdf",
                                         ".other.4194305.part.pdf", ".report.notes.part.pdf"}));
}

}  // namespace
}  // namespace edge
