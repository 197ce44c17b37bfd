// Folders as cards leave them: a thousand clips, names that come twice, clocks that jump, clips half copied;
// and links by what the files note of themselves.
#include <gtest/gtest.h>

#include <fstream>

#include "base/files.h"
#include "plan/recipes.h"
#include "project/match_project.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr const char* kProject = "AB12CD";

class CardFolders : public ::testing::Test {
 protected:
  void SetUp() override { plan_ = test::planOf(test::plainRecipe(), recipe_); }
  ClipFacts& clip(const std::string& path, std::int64_t second) {
    ClipFacts f;
    f.path = path, f.kind = "movie", f.modified = second;
    facts_.push_back(f);
    return facts_.back();
  }
  Match match() { return matchClips(recipe_, plan_, foldLog({}), kProject, facts_, {}); }
  // As a camera notes its settings in the file.
  ClipFacts& noting(const std::string& path, const Take& t) {
    ClipFacts& f = clip(path, 0);
    f.model = "TARN-M1", f.iso = t.iso, f.fNumber = t.settings.aperture.value();
    f.shutterSeconds = t.settings.shutter.value();
    return f;
  }
  Recipe recipe_;
  Plan plan_;
  std::vector<ClipFacts> facts_;
};

TEST_F(CardFolders, TextOfASlateInTheFilesOwnNotesLinksIt) {
  clip("/c/A.mov", 0).noted = slateOf(kProject, plan_.takes[2], 1);
  clip("/c/B.mov", 1).noted = slateOf(kProject, plan_.takes[2], 2);
  clip("/c/C.mov", 2).noted = slateOf("000000", plan_.takes[1], 1);
  const Match m = match();
  EXPECT_EQ(m.links[1].take, 2U);
  EXPECT_EQ(m.links[1].by, LinkBy::Metadata);
  EXPECT_EQ(m.links[1].words, "noted in the file, attempt 2");
  EXPECT_TRUE(m.links[0].superseded);
  EXPECT_NE(m.links[2].trouble.find("another project"), std::string::npos);
}

TEST_F(CardFolders, SettingsInTheFileLinkOnlyWhereOneTakeFits) {
  // Takes made by the iris have their own aperture; those made by lamp or filter share one.
  const auto same = [&](const Take& a, const Take& b) {
    return std::abs(2 * std::log2(a.settings.aperture.value() / b.settings.aperture.value())) < 0.05 &&
           std::abs(std::log2(a.settings.shutter.value() / b.settings.shutter.value())) < 0.05;
  };
  std::optional<size_t> alone, shared;
  for (size_t i = 0; i < plan_.takes.size(); ++i) {
    int n = 0;
    for (const auto& t : plan_.takes) n += same(plan_.takes[i], t);
    if (n == 1) alone = i;
    if (n > 1 && !shared) shared = i;
  }
  ASSERT_TRUE(shared);
  if (!alone) {  // the plan keeps the iris: one take is opened by hand
    alone = plan_.takes.size() - 1;
    plan_.takes[*alone].settings.aperture = TStop(2);
  }
  noting("/c/A.mov", plan_.takes[*alone]);
  noting("/c/B.mov", plan_.takes[*shared]);
  auto& other = noting("/c/C.mov", plan_.takes[*alone]);
  other.model = "Another body";
  const Match m = match();
  EXPECT_EQ(m.links[0].take, *alone);
  EXPECT_EQ(m.links[0].by, LinkBy::Metadata);
  EXPECT_FALSE(m.links[1].take);
  EXPECT_NE(m.links[1].words.find("metadata fit"), std::string::npos) << m.links[1].words;
  EXPECT_FALSE(m.links[2].take);
  // Two clips with the settings of one take: neither is guessed.
  facts_.clear();
  noting("/c/A.mov", plan_.takes[*alone]);
  noting("/c/B.mov", plan_.takes[*alone]);
  for (const auto& l : match().links) EXPECT_FALSE(l.take);
}

TEST_F(CardFolders, AClockThatJumpsGivesNoWrongLink) {
  // The camera's battery was changed: the clips of takes 2 and 3 say 1970, before those of 0 and 1.
  const std::int64_t day = 1'800'000'000;
  const auto slated = [&](size_t take, std::int64_t at) {
    clip("/c/S" + std::to_string(take) + ".mov", at).slate.slates = {slateOf(kProject, plan_.takes[take], 1)};
  };
  slated(0, day), slated(1, day + 60), slated(4, day + 240);
  clip("/c/N2.mov", 10), clip("/c/N3.mov", 70);
  const Match m = match();
  for (const auto& l : m.links) {
    if (l.take) continue;
    EXPECT_NE(l.words.find("no slate"), std::string::npos) << l.words;
  }
  EXPECT_EQ(std::count_if(m.links.begin(), m.links.end(), [](const ClipLink& l) { return l.take.has_value(); }), 3);
  // With the clock right they are found between their neighbours.
  facts_[3].modified = day + 120, facts_[4].modified = day + 180;
  const Match right = match();
  EXPECT_EQ(right.links[3].take, 2U);
  EXPECT_EQ(right.links[4].take, 3U);
}

TEST_F(CardFolders, AThousandClipsAndNamesThatComeTwice) {
  const test::TempFolder folder;
  for (int card = 0; card < 2; ++card) {
    fs::create_directories(folder / ("card" + std::to_string(card)));
    const fs::path first = folder / ("card" + std::to_string(card)) / "C000";
    fs::create_directories(first);
    test::writeImage(first / "0001.png", 48, 32, 3, std::vector<float>(48 * 32 * 3, 0.2F), 8);
    for (int i = 1; i < 500; ++i) {
      const fs::path clip = folder / ("card" + std::to_string(card)) / fmt::format("C{:03}", i);
      fs::create_directories(clip);
      fs::copy_file(first / "0001.png", clip / "0001.png");
    }
  }
  const auto before = std::chrono::steady_clock::now();
  const auto facts = readAllFacts(folder.path(), Progress());
  ASSERT_EQ(facts.size(), 1000U);
  const Match m = matchClips(recipe_, plan_, foldLog({}), kProject, facts, {});
  const std::chrono::duration<double> seconds = std::chrono::steady_clock::now() - before;
  std::printf("1000 clips read and matched in %.1f s\n", seconds.count());
  EXPECT_EQ(m.links.size(), 1000U);
  for (const auto& l : m.links) EXPECT_FALSE(l.take) << "nothing is known of them: nothing is guessed";
  // Twice the name is twice the clip: each keeps its own path.
  std::set<std::string> paths;
  for (const auto& f : facts) paths.insert(f.path.string());
  EXPECT_EQ(paths.size(), 1000U);
  EXPECT_LT(seconds.count(), 60);
}

TEST_F(CardFolders, OneNameOfATakeInTwoFoldersIsAConflict) {
  clip(fmt::format("/one/tarnm1-log-800/{}.mov", plan_.takes[3].name), 0);
  clip(fmt::format("/two/tarnm1-log-800/{}.mov", plan_.takes[3].name), 1);
  const Match m = match();
  EXPECT_EQ(m.links[0].take, 3U);
  EXPECT_FALSE(m.links[1].take) << "the second of a name is not made the take as well";
}

TEST_F(CardFolders, AClipHalfCopiedIsReadWhenItIsWhole) {
  const test::TempFolder folder;
  const test::TempFolder card;
  test::writeImage(folder / "one.tif", 64, 48, 3, std::vector<float>(64 * 48 * 3, 0.3F), 16);
  const std::string whole = readText(folder / "one.tif");
  test::writeText(card / "one.tif", whole.substr(0, whole.size() / 3));
  const auto half = readAllFacts(card.path(), Progress());
  ASSERT_EQ(half.size(), 1U);
  EXPECT_FALSE(half[0].problem.empty());
  EXPECT_FALSE(half[0].remedy.empty());
  test::writeText(card / "one.tif", whole);
  EXPECT_EQ(readAllFacts(card.path(), Progress())[0].problem, "");
}

}  // namespace
}  // namespace edge
