// What is measured is what was linked: another content under the same name is said, and nothing of it is
// kept.
#include "project/same_clips.h"

#include <gtest/gtest.h>

#include <thread>

#include "base/files.h"
#include "media/clip.h"
#include "project/analysis.h"
#include "project/match_project.h"
#include "support/support.h"

namespace edge {
namespace {

namespace fs = std::filesystem;

std::vector<float> grey(float level) {
  return std::vector<float>(3 * 64 * 48, level);
}

// A wedge of two patches over the whole picture, and a project that links it.
struct Linked {
  test::TempFolder folder;
  std::unique_ptr<Project> project;
  fs::path clip;

  Linked() : clip(folder / "wedge.exr") {
    test::writeImage(clip, 64, 48, 3, grey(0.25F), 32);
    project = Project::create(folder / "p.edgetest", "Rope works");
    Configuration c;
    c.body = "Tarn M1", c.mode = "raw", c.iso = 400, c.decode.curve = "linear";
    c.wedge.referenceWidth = 64, c.wedge.referenceHeight = 48;
    for (int i = 0; i < 2; ++i) {
      Patch p;
      const double x = 32.0 * i;
      p.name = std::to_string(i + 1), p.stops = -i;
      p.corners = {{{x, 0}, {x + 32, 0}, {x + 32, 48}, {x, 48}}};
      c.wedge.patches.push_back(p);
    }
    ClipRecord r;
    r.kind = ClipKind::Wedge, r.name = "wedge", r.path = "wedge.exr",
    r.hash = hashClip(openClip(clip)->info());
    c.clips = {r};
    project->addConfiguration(c);
  }
  // Times of files are coarse on some disks.
  void write(float level) {
    std::this_thread::sleep_for(std::chrono::milliseconds(20));
    test::writeImage(clip, 64, 48, 3, grey(level), 32);
  }
};

TEST(SameClips, AReplacedClipIsSaidAndNothingOfItIsStored) {
  Linked l;
  const std::string right = readText(l.clip);  // written anew it would hold another time
  l.write(0.5F);
  const auto failures = analyseAll(*l.project, Progress());
  ASSERT_EQ(failures.size(), 1U) << "another clip was measured";
  const std::string said = failures[0].error.what();
  EXPECT_NE(said.find("not the one that was linked"), std::string::npos) << said;
  EXPECT_NE(said.find("wedge.exr"), std::string::npos) << said;
  EXPECT_FALSE(storedWedge(*l.project, l.project->configurations()[0]));
  // The right one is back: it is measured, and its figures are its own.
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  test::writeText(l.clip, right);
  EXPECT_TRUE(analyseAll(*l.project, Progress()).empty());
  const auto m = storedWedge(*l.project, l.project->configurations()[0]);
  ASSERT_TRUE(m);
  EXPECT_NEAR(m->patches[0].channel[kY].mean, 0.25, 1e-6);
}

TEST(SameClips, AClipThatChangesWhileItIsMeasuredIsSaid) {
  Linked l;
  const SameClips same(l.project->configurations()[0].clips, l.folder.path(), Progress());
  same.stillSame();
  l.write(0.25F);  // the same picture, written anew: it may have been cut for a moment
  EXPECT_THROW(same.stillSame(), Error);
  EXPECT_THROW(
      SameClips({ClipRecord{1, ClipKind::Wedge, "gone", {}, "gone.exr", "00"}}, l.folder.path(), Progress()),
      Error);
}

// Checks of takes (Match) as figures: of the clip that was linked or of none.
TEST(SameClips, ChecksHoldTheClipAgainstItsHashToo) {
  Linked l;
  const Configuration c = l.project->configurations().front();
  const auto checked = checkConfiguration(c, l.folder.path(), {}, {}, Progress());
  ASSERT_EQ(checked.size(), 1U);
  EXPECT_EQ(checked[0].clip, "wedge.exr");
  l.write(0.5F);
  EXPECT_THROW((void)checkConfiguration(c, l.folder.path(), {}, {}, Progress()), ClipChanged);
  fs::remove(l.clip);
  const auto gone = checkConfiguration(c, l.folder.path(), {}, {}, Progress());
  ASSERT_EQ(gone.size(), 1U);
  EXPECT_EQ(gone[0].checks.at(0).code, "unreadable");
}

// A copying tool gives a file the time it had elsewhere: size and time are the same, the content is not.
TEST(SameClips, AnotherContentOfTheSameSizeAndTimeIsSaid) {
  Linked l;
  const auto time = fs::last_write_time(l.clip);
  const auto clips = l.project->configurations()[0].clips;
  (void)SameClips(clips, l.folder.path(), Progress());
  std::string other = readText(l.clip);
  other.back() = static_cast<char>(other.back() ^ 1);
  std::this_thread::sleep_for(std::chrono::milliseconds(20));
  test::writeText(l.clip, other);
  fs::last_write_time(l.clip, time);
  EXPECT_THROW((void)SameClips(clips, l.folder.path(), Progress()), ClipChanged);
}

}  // namespace
}  // namespace edge
