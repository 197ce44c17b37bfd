// A finished shoot sorted without plan or slates: cameras of closed form (tests/support/spoiled.h), real
// encoders, names that say nothing; no src/simulate. EDGE_STUDY=100 sorts 100 random shoots and prints rates.
#include <gtest/gtest.h>

#include <cstdlib>
#include <fstream>

#include "match/name_stops.h"
#include "plan/plan.h"
#include "project/analysis.h"
#include "project/match_project.h"
#include "shoots.h"

namespace edge {
namespace {

using namespace test;
using nlohmann::json;

// Three bodies in one folder, one take missing, one shot twice.
TEST(Begin, RandomShootsAreSortedByWhatTheyLookLike) {
  const char* wanted = std::getenv("EDGE_STUDY");
  const int n = wanted ? std::atoi(wanted) : 3;
  int roles = 0, all = 0, offsets = 0, off = 0, planned = 0, takes = 0, missing = 0, apart = 0;
  for (int i = 0; i < n; ++i) {
    const TempFolder folder;
    std::mt19937_64 random(700 + static_cast<unsigned>(i));
    fs::create_directories(folder.path() / "cards");
    Shoot shoot(folder.path() / "cards", random);
    shoot.names(60);
    std::vector<Body> bodies(3);
    const double gone = draw(random, 0, 1) < 0.5 ? -3 : 2;
    for (size_t k = 0; k < bodies.size(); ++k) {
      PlainScene& s = bodies[k].scene;
      s.raw = k == 1;
      if (k == 2) bodies[k].encoder = lossless(10, Sampling::Half422);
      s.camera = randomCamera(random), s.camera.frames = 4;
      // Grey of a base lies at 0.18, its clip some five and a half stops above.
      s.camera.scale = 8 * draw(random, 0.8, 1.25);
      s.brightest = 0.9 / s.camera.scale, s.step = draw(random, 0.5, 0.8), s.face = 0.3 / s.camera.scale;
      std::vector<double> stops;
      for (int e = -5; e <= 4; ++e)
        if (e != gone) stops.push_back(e);
      if (k == 0) stops.push_back(1);  // shot twice
      // Set up anew for every body: the sitter looks elsewhere, the chart hangs lower.
      s.drop = 0.5 + 0.15 * static_cast<double>(k);
      shoot.bracket(bodies[k], stops, 0.04);
      shoot.wedge(bodies[k]);
      shoot.black(bodies[k]);
    }
    const SortOptions options = known(folder.path());
    const auto looks = lookAtAll(unplannedClips({folder.path() / "cards"}), options.decode, Progress());
    const SortedShoot s = sortOut(looks, options);
    EXPECT_TRUE(s.unreadable.empty());
    for (const auto& g : s.groups) EXPECT_EQ(g.bend, 0) << i << " " << g.id();
    for (const auto& b : bodies) {
      size_t home = 99, at = 0;
      for (const auto& shot : b.shots) {
        const SortedClip* c = clipNamed(s, looks, shot.name, &at);
        ASSERT_TRUE(c) << shot.name;
        ++all;
        const bool good = c->role == shot.role;
        roles += good;
        if (!good)
          std::printf("%d %s: %s (%g) taken for %s: %s\n", i, shot.name.c_str(), wordOf(shot.role),
                      shot.stops, wordOf(c->role), c->why.c_str());
        if (shot.role == ClipRole::Base) home = at;
        if (shot.role != ClipRole::Take || !c->stops) continue;
        ++takes;
        const bool near = std::abs(*c->stops - shot.stops) < std::max(0.05, 3 * c->sigma);
        ++offsets;
        off += !near;
        if (!near)
          std::printf("%d %s: %.3f +-%.3f, true %.3f\n", i, shot.name.c_str(), *c->stops, c->sigma,
                      shot.stops);
        planned += c->planned && std::abs(*c->planned - std::round(shot.stops)) < 1e-6;
      }
      if (home == 99) continue;
      apart += std::count_if(b.shots.begin(), b.shots.end(), [&](const Shot& shot) {
        size_t g = 98;
        return shot.role == ClipRole::Take && clipNamed(s, looks, shot.name, &g) && g != home;
      });
      const auto& m = s.groups[home].missing;
      missing += m == std::vector<double>{gone};
    }
  }
  std::printf(
      "| %d shoots | roles %d of %d | offsets off %d of %d | planned %d of %d | missing %d of %d | %d takes "
      "apart |\n",
      n, roles, all, off, offsets, planned, takes, missing, 3 * n, apart);
  EXPECT_GE(roles, 0.97 * all);
  EXPECT_LE(off, 0.02 * offsets);
  EXPECT_GE(planned, 0.97 * takes);
  EXPECT_GE(missing, 0.95 * 3 * n);
}

TEST(Begin, WithoutACurveNothingIsMeasuredAndTheCurveIsAskedOnce) {
  const TempFolder folder;
  std::mt19937_64 random(5);
  Shoot shoot(folder.path(), random);
  shoot.names(20);
  Body b = plainBody();
  shoot.bracket(b, {-3, -2, -1, 0, 1, 2, 3}, 0);
  const auto looks = lookAtAll(unplannedClips({folder.path()}), {}, Progress());
  const SortedShoot s = sortOut(looks, {});
  ASSERT_EQ(s.groups.size(), 1U);
  int takes = 0;
  for (const auto& c : s.groups[0].clips) {
    EXPECT_FALSE(c.stops);
    EXPECT_FALSE(c.planned);
    takes += c.role == ClipRole::Take;
  }
  EXPECT_EQ(takes, 6);
  const auto asked = std::count_if(s.questions.begin(), s.questions.end(),
                                   [](const BeginQuestion& q) { return q.what == "curve"; });
  EXPECT_EQ(asked, 1);
  EXPECT_EQ(toJson(s, looks)["configurations"][0]["clips"][1]["stops"], nullptr);
}

TEST(Begin, AProjectHoldsTheClipsAndOriginalsStay) {
  const TempFolder folder;
  std::mt19937_64 random(6);
  fs::create_directories(folder.path() / "cards");
  Shoot shoot(folder.path() / "cards", random);
  shoot.names(20);
  Body b = plainBody();
  shoot.bracket(b, {-2, -1, 0, 1, 2}, 0);
  shoot.black(b);
  const SortOptions options = known(folder.path());
  const auto clips = unplannedClips({folder.path() / "cards"});
  const auto before = fs::last_write_time(clips.front());
  const auto looks = lookAtAll(clips, options.decode, Progress());
  const SortedShoot s = sortOut(looks, options);
  const fs::path file = folder.path() / "found.edgetest";
  const auto begun = configurationsOf(s, looks, options.decode, fs::absolute(file).parent_path());
  writeProject(begun, nullptr, file);
  const auto project = Project::open(file);
  const auto configurations = project->configurations();
  ASSERT_EQ(configurations.size(), 1U);
  const Configuration& c = configurations[0];
  EXPECT_EQ(c.clips.size(), 6U);
  EXPECT_TRUE(c.clipOfKind(ClipKind::Base) && c.clipOfKind(ClipKind::Black));
  std::set<double> planned;
  for (const auto& clip : c.clips)
    if (clip.kind == ClipKind::Take) planned.insert(clip.plannedStops.value());
  EXPECT_EQ(planned, (std::set<double>{-2, -1, 1, 2}));
  EXPECT_EQ(c.decode.curve, "log.json");
  EXPECT_EQ(fs::last_write_time(clips.front()), before);
  EXPECT_THROW(writeProject(begun, nullptr, file), Error) << "what stands is not written over";
}

// The wedge is marked on its clip; what its steps are is asked, or said, never taken from the clip.
TEST(Begin, AWedgeIsMarkedAndItsStepsAreAsked) {
  const TempFolder folder;
  std::mt19937_64 random(21);
  fs::create_directories(folder.path() / "cards");
  Shoot shoot(folder.path() / "cards", random);
  shoot.names(20);
  Body b = plainBody();
  shoot.wedge(b);
  shoot.bracket(b, {-1, 0, 1}, 0);
  const SortOptions options = known(folder.path());
  const auto looks = lookAtAll(unplannedClips({folder.path() / "cards"}), options.decode, Progress());
  const SortedShoot s = sortOut(looks, options);
  for (const auto& step : {std::optional<double>(), std::optional<double>(1.0)}) {
    auto configurations = configurationsOf(s, looks, options.decode, folder.path());
    ASSERT_EQ(configurations.size(), 1U);
    const auto places = placeAll(configurations, folder.path(), step, Progress());
    auto printed = toJson(s, looks);
    addPlaces(printed, configurations, places);
    ASSERT_TRUE(places[0].wedge);
    EXPECT_TRUE(isWedgePlaced(configurations[0]));
    EXPECT_EQ(hasWedge(configurations[0]), step.has_value());
    bool asked = false;
    for (const auto& question : printed["questions"]) asked |= question["what"] == "steps";
    EXPECT_EQ(asked, !step);
    EXPECT_EQ(printed["configurations"][0]["wedge"]["patches"], configurations[0].wedge.patches.size());
    if (step) {
      EXPECT_EQ(configurations[0].wedge.patches[2].stops, -2.0);
    }
    // Stored and read again, with steps or without.
    const fs::path file = folder.path() / (step ? "with.edgetest" : "without.edgetest");
    writeProject(configurations, nullptr, file);
    EXPECT_EQ(hasWedge(Project::open(file)->configurations()[0]), step.has_value());
  }
}

TEST(Begin, FramesThatShareAFolderAreClipsByTheirPattern) {
  const TempFolder folder;
  std::mt19937_64 random(7);
  PlainScene s;
  s.raw = true, s.camera.frames = 3;
  recordRaw(take(s, 0, 1), folder.path() / "a");
  recordRaw(take(s, 1, 2), folder.path() / "b");
  fs::create_directories(folder.path() / "all");
  for (const char* name : {"a", "b"})
    for (const auto& frame : fs::directory_iterator(folder.path() / name))
      fs::copy_file(frame.path(),
                    folder.path() / "all" / (std::string(name) + frame.path().filename().string()));
  fs::remove_all(folder.path() / "b");
  std::ofstream(folder.path() / "all" / "notes.txt") << "no clip";
  fs::create_directory_symlink(folder.path() / "a", folder.path() / "linked");
  const auto clips = unplannedClips({folder.path()});
  ASSERT_EQ(clips.size(), 3U);
  EXPECT_EQ(clips[0].filename(), "a");
  EXPECT_EQ(clips[1].filename(), "af.%04d.dng");
  EXPECT_EQ(openClip(clips[2])->info().frames, 3);
  EXPECT_THROW((void)unplannedClips({folder.path() / "none"}), Error);
}

// One OpenEXR frame a take, from takes that are nearly black to takes that are nearly gone, and the cap on.
TEST(Begin, SingleFramesOfADeepBracketAreSorted) {
  const TempFolder folder;
  std::mt19937_64 random(11);
  PlainScene s;
  s.camera.frames = 1, s.camera.scale = 8, s.brightest = 0.11, s.face = 0.04, s.camera.read = 3;
  std::map<std::string, double> truth;
  const auto write = [&](const Footage& f, const std::string& name) {
    writeImage(folder.path() / name, f.width, f.height, 3, f.frames[0], 32);
  };
  std::vector<int> order;
  for (int e = -8; e <= 5; ++e) order.push_back(e);
  std::shuffle(order.begin(), order.end(), random);
  char letter = 'a';
  for (const int e : order) {
    const std::string name = std::string(1, letter++) + "x.exr";
    truth[name] = e;
    write(take(s, e, random()), name);
  }
  Footage dark;
  dark.camera = s.camera, dark.width = kWide, dark.height = kSide + kFaceRows;
  photograph(dark, random, [](int, int) { return 0.0; });
  write(dark, "zz.exr");
  const auto looks = lookAtAll(unplannedClips({folder.path()}), {}, Progress());
  ASSERT_EQ(looks.size(), 15U);
  const SortedShoot sorted = sortOut(looks, {});
  ASSERT_EQ(sorted.groups.size(), 1U);
  int right = 0;
  for (const auto& c : sorted.groups[0].clips) {
    const std::string name = looks[c.look].clip.filename().string();
    if (name == "zz.exr") {
      EXPECT_EQ(c.role, ClipRole::Black) << c.why;
      continue;
    }
    const bool good = c.role == (truth[name] == 0 ? ClipRole::Base : ClipRole::Take) && c.stops &&
                      std::abs(*c.stops - truth[name]) < std::max(0.05, 3 * c.sigma);
    right += good;
    if (!good)
      std::printf("%s: %g taken for %s %g: %s\n", name.c_str(), truth[name], wordOf(c.role),
                  c.stops.value_or(99), c.why.c_str());
  }
  EXPECT_GE(right, 13) << "at -8 the picture may be lost in noise";
}

// Exposures through a curve that is not the camera's are no exposures: said, where a right one says nothing.
TEST(Begin, AWrongCurveIsSaid) {
  const TempFolder folder;
  std::mt19937_64 random(12);
  fs::create_directories(folder.path() / "cards");
  Shoot shoot(folder.path() / "cards", random);
  shoot.names(20);
  Body b = plainBody();
  shoot.bracket(b, {-3, -2, -1, 0, 1, 2, 3}, 0);
  const auto warned = [&](const SortOptions& o) {
    const auto looks = lookAtAll(unplannedClips({folder.path() / "cards"}), o.decode, Progress());
    const auto j = toJson(sortOut(looks, o), looks);
    return !j["warnings"].empty() && j["warnings"][0]["code"] == "wrong-curve";
  };
  SortOptions right = known(folder.path()), wrong = right;
  wrong.decode.curve = "srgb";
  EXPECT_FALSE(warned(right));
  EXPECT_TRUE(warned(wrong));
}

// Stills of several takes under running numbers look like one clip: its frames say that it is none.
TEST(Begin, TakesNumberedLikeFramesAreNotAClip) {
  const TempFolder folder;
  PlainScene s;
  s.camera.frames = 1, s.camera.scale = 8, s.brightest = 0.11, s.face = 0.04;
  for (int e = -4; e <= 4; ++e) {
    const Footage f = take(s, e, 40 + static_cast<std::uint64_t>(e + 4));
    writeImage(folder.path() / fmt::format("take{:03}.exr", e + 5), f.width, f.height, 3, f.frames[0], 32);
  }
  const auto looks = lookAtAll(unplannedClips({folder.path()}), {}, Progress());
  ASSERT_EQ(looks.size(), 1U);
  const SortedShoot sorted = sortOut(looks, {});
  ASSERT_EQ(sorted.groups.size(), 1U);
  EXPECT_EQ(sorted.groups[0].clips[0].role, ClipRole::Unknown);
  EXPECT_NE(sorted.groups[0].clips[0].why.find("single takes"), std::string::npos)
      << sorted.groups[0].clips[0].why;
}

// Two bodies of one format, at one scene, in files that say nothing: their folders tell them apart.
TEST(Begin, FoldersTellBodiesApartThatNothingElseDoes) {
  const TempFolder folder;
  std::mt19937_64 random(9);
  for (const char* name : {"north", "south"}) {
    fs::create_directories(folder.path() / name);
    Shoot shoot(folder.path() / name, random);
    shoot.names(20);
    Body b = plainBody();
    shoot.bracket(b, {-2, -1, 0, 1, 2}, 0);
  }
  const SortOptions options = known(folder.path());
  const auto looks = lookAtAll(unplannedClips({folder.path()}), options.decode, Progress());
  const SortedShoot s = sortOut(looks, options);
  ASSERT_EQ(s.groups.size(), 2U);
  EXPECT_EQ(s.groups[0].body, "north");
  EXPECT_EQ(s.groups[0].clips.size(), 5U);
  ASSERT_EQ(s.questions.size(), 1U) << "asked once for both";
  EXPECT_EQ(s.questions[0].groups.size(), 2U);
}

// One camera's bracket on two cards, the base on the first: one configuration, every stop from that base.
TEST(Begin, TwoCardsOfOneBracketAreOneCamera) {
  const TempFolder folder;
  std::mt19937_64 random(77);
  Body b = plainBody();
  fs::create_directories(folder / "card 1");
  fs::create_directories(folder / "card 2");
  Shoot first(folder / "card 1", random), second(folder / "card 2", random);
  first.names(3);
  second.names(4);
  first.bracket(b, {0, -1, 1}, 0.03);
  second.bracket(b, {-3, -2, 2, 3}, 0.03);
  const SortOptions options = known(folder.path());
  const auto looks = lookAtAll(unplannedClips({folder.path()}), options.decode, Progress());
  const SortedShoot s = sortOut(looks, options);
  ASSERT_EQ(s.groups.size(), 1U);
  for (const auto& c : s.groups[0].clips) ASSERT_TRUE(c.stops);
  std::vector<double> stops;
  for (const auto& c : s.groups[0].clips) stops.push_back(c.planned.value_or(99));
  std::sort(stops.begin(), stops.end());
  EXPECT_EQ(stops, (std::vector<double>{-3, -2, -1, 0, 1, 2, 3}));
}

TEST(Begin, ADamagedClipIsSaidAndTheRestIsSorted) {
  const TempFolder folder;
  std::mt19937_64 random(8);
  Shoot shoot(folder.path(), random);
  shoot.names(20);
  Body b = plainBody();
  shoot.bracket(b, {-1, 0, 1}, 0);
  std::ofstream(folder.path() / "broken.mkv") << "no movie at all";
  const SortOptions options = known(folder.path());
  const auto looks = lookAtAll(unplannedClips({folder.path()}), options.decode, Progress());
  const SortedShoot s = sortOut(looks, options);
  EXPECT_EQ(s.unreadable.size(), 1U);
  ASSERT_EQ(s.groups.size(), 1U);
  EXPECT_EQ(s.groups[0].clips.size(), 3U);
  EXPECT_EQ(toJson(s, looks)["warnings"][0]["code"], "unreadable");
}

// The command: what is not known is asked in its result and never an exit of 2; what stands is not written
// over.
TEST(Begin, TheCommandAsksInItsResult) {
  const TempFolder folder;
  std::mt19937_64 random(10);
  fs::create_directories(folder.path() / "cards");
  Shoot shoot(folder.path() / "cards", random);
  shoot.names(20);
  Body b = plainBody();
  shoot.bracket(b, {-2, -1, 0, 1}, 0);
  writeLogCurve(folder.path() / "log.json");
  const std::string cards = (folder.path() / "cards").string(),
                    project = (folder.path() / "p.edgetest").string();
  const auto asked = runCli("begin " + cards + " --quiet --project " + project);
  ASSERT_EQ(asked.exit, 0) << asked.err;
  const auto j = nlohmann::json::parse(asked.out);
  EXPECT_EQ(j["schema"], "edge-test/begin/1");
  EXPECT_EQ(j["questions"][0]["what"], "curve");
  EXPECT_EQ(j["questions"][0]["configurations"][0], j["configurations"][0]["id"]);
  EXPECT_FALSE(j["questions"][0]["choices"].empty());
  EXPECT_TRUE(fs::exists(project));
  const auto again = runCli("begin " + cards + " --quiet --project " + project);
  EXPECT_EQ(again.exit, 1);
  EXPECT_NE(again.err.find("exists already"), std::string::npos) << again.err;
  const auto known = runCli("begin " + cards + " --quiet --range legal --iso 800 --curve " +
                            (folder.path() / "log.json").string() + " --project " + project + "2.edgetest");
  ASSERT_EQ(known.exit, 0) << known.err;
  const auto k = nlohmann::json::parse(known.out);
  EXPECT_TRUE(k["questions"].empty()) << k["questions"];
  EXPECT_EQ(k["configurations"][0]["iso"], 800);
  std::set<double> planned;
  for (const auto& c : k["configurations"][0]["clips"]) planned.insert(c["planned_stops"].get<double>());
  EXPECT_EQ(planned, (std::set<double>{-2, -1, 0, 1}));
  EXPECT_EQ(runCli("begin " + cards + " --quiet").exit, 2) << "without a project to write";
  EXPECT_EQ(runCli("begin /nowhere --quiet --project " + project + "3").exit, 1);
}

TEST(Names, ExposuresAreReadAsPeopleWriteThem) {
  for (const auto& [name, stops] :
       std::initializer_list<std::pair<const char*, double>>{{"base", 0},
                                                             {"A001 base", 0},
                                                             {"m1", -1},
                                                             {"p2", 2},
                                                             {"u3", -3},
                                                             {"o2", 2},
                                                             {"n-1", -1},
                                                             {"n+2", 2},
                                                             {"Corvane 35 log 800 -1", -1},
                                                             {"Corvane 35 log 800 +3", 3},
                                                             {"cam_-2", -2},
                                                             {"under1", -1},
                                                             {"over 2", 2},
                                                             {"test -1EV", -1},
                                                             {"+0.7 stops", 0.7},
                                                             {"x \u22122", -2},
                                                             {"minus 2", -2},
                                                             {"cam-800--3", -3},
                                                             {"cam-800-+0.5", 0.5},
                                                             {"a-+2", 2},
                                                             {"over-1", 1},
                                                             {"loft-under-2", -2},
                                                             {"800_over_1", 1}})
    EXPECT_EQ(stopsInName(name), stops) << name;
  for (const char* name :
       {"A001C003", "take-1", "800", "clip7", "", "wedge", "2026-11-26", "roll-800-3", "cover1"})
    EXPECT_FALSE(stopsInName(name)) << name;
}

}  // namespace
}  // namespace edge
