// A copy of a project: everything in it, and paths that still lead to the same media.
#include "project/copy.h"

#include "project/analysis.h"
#include "support/support.h"

namespace edge {
namespace {

namespace fs = std::filesystem;

std::unique_ptr<Project> smallProject(const fs::path& folder) {
  auto p = Project::create(folder / "own.edgetest", "Rope works");
  Configuration c;
  c.body = "Tarn M1";
  c.iso = 800;
  c.mode = "log";
  c.decode.curve = "curves/own.csv";
  ClipRecord clip;
  clip.kind = ClipKind::Base, clip.name = "base", clip.path = "clips/base.mkv", clip.hash = "00";
  c.clips = {clip};
  p->addConfiguration(c);
  p->setDecision({0, "", kHeadlineSnrKey, 4, "own school"});
  p->setDecision({0, "", kRecipeKey,
                  nlohmann::json::parse(R"({"bodies": [{"modes": [{"curve": "curves/own.csv"},
                      {"curve": {"value": "curves/own.csv", "from": "published"}}, {"curve": "acescct"}]}]})"),
                  ""});
  return p;
}

TEST(Copy, InTheSameFolderIsTheSame) {
  const test::TempFolder folder;
  const auto p = smallProject(folder.path());
  saveCopy(*p, folder / "copy.edgetest");
  const auto copy = Project::open(folder / "copy.edgetest");
  EXPECT_EQ(copy->configurations()[0].clips[0].path, "clips/base.mkv");
  EXPECT_EQ(copy->decision(0, "", kHeadlineSnrKey)->value, 4);
  EXPECT_EQ(copy->id(), p->id());
}

TEST(Copy, InAnotherFolderLeadsBackToTheMedia) {
  const test::TempFolder folder;
  fs::create_directories(folder / "elsewhere/deep");
  const auto p = smallProject(folder.path());
  saveCopy(*p, folder / "elsewhere/deep/copy.edgetest");
  auto copy = Project::open(folder / "elsewhere/deep/copy.edgetest");
  const Configuration c = copy->configurations()[0];
  EXPECT_EQ(fs::path(copy->folder() / c.clips[0].path).lexically_normal(), folder / "clips/base.mkv");
  EXPECT_EQ(decodeOf(c, copy->folder()).curve, (copy->folder() / "../../curves/own.csv").string());
  EXPECT_EQ(copy->decision(0, "", kRecipeKey)->value["bodies"][0]["modes"][0]["curve"],
            "../../curves/own.csv");
  const auto modes = copy->decision(0, "", kRecipeKey)->value["bodies"][0]["modes"];
  EXPECT_EQ(modes[1]["curve"]["value"], "../../curves/own.csv");
  EXPECT_EQ(modes[2]["curve"], "acescct");
  EXPECT_TRUE(copy->integrityProblems().empty());
  copy.reset();
  for (const auto& entry : fs::directory_iterator(folder / "elsewhere/deep"))
    EXPECT_EQ(entry.path().filename(), "copy.edgetest");  // nothing beside it is left behind
}

TEST(Copy, OntoItselfIsRefusedAndAnOldCopyIsReplacedWhole) {
  const test::TempFolder folder;
  const auto p = smallProject(folder.path());
  EXPECT_THROW(saveCopy(*p, folder / "own.edgetest"), Error);
  EXPECT_EQ(p->configurations().size(), 1U);
  test::writeText(folder / "copy.edgetest", "old");
  saveCopy(*p, folder / "copy.edgetest");
  EXPECT_EQ(Project::open(folder / "copy.edgetest")->title(), "Rope works");
  EXPECT_THROW(saveCopy(*p, folder / "nowhere/copy.edgetest"), Error);
}

// What a project reads outside its folder is seen in its paths, and where links in the folder lead.
TEST(Outside, PathsAndLinksThatLeadOutAreFound) {
  const test::TempFolder folder, elsewhere;
  fs::create_directories(folder / "clips");
  test::writeText(elsewhere / "a.exr", "x");
  test::writeText(folder / "clips/own.exr", "x");
  fs::create_symlink(elsewhere.path(), folder / "cards");
  fs::create_symlink(elsewhere / "a.exr", folder / "clips/linked.exr");
  const auto p = Project::create(folder / "p.edgetest", "Rope works");
  Configuration c;
  c.body = "Tarn M1", c.decode.curve = "linear", c.display = "looks/../../out.cube";
  for (const char* path :
       {"clips/own.exr", "clips/gone.exr", "cards/a.exr", "clips/linked.exr", "../b.exr", "/etc/c.exr"})
    c.clips.push_back({0, ClipKind::Take, path, 1.0, path, ""});
  p->addConfiguration(c);
  p->setDecision({0, "", kLookKey, "film.cdl", ""});
  EXPECT_EQ(outsidePaths(*p), (std::vector<std::string>{"../b.exr", "/etc/c.exr", "cards/a.exr",
                                                        "clips/linked.exr", "looks/../../out.cube"}));
  EXPECT_EQ(keepInside(*p), (std::vector<std::string>{"../b.exr", "/etc/c.exr", "looks/../../out.cube"}));
  EXPECT_EQ(p->configurations().front().display, "out.cube");
}

TEST(Outside, AWholePathIntoItsFolderIsItsOwn) {
  const test::TempFolder folder;
  test::writeText(folder / "own.json", "{}");
  const auto p = Project::create(folder / "p.edgetest", "Rope works");
  Configuration c;
  c.body = "Tarn M1", c.decode.curve = (folder / "own.json").string();
  p->addConfiguration(c);
  EXPECT_TRUE(outsidePaths(*p).empty());
}

}  // namespace
}  // namespace edge
