// Links between clips and takes, checks of takes, registration, the hash list.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>

#include "base/error.h"
#include "base/files.h"
#include "media/clip.h"
#include "plan/recipes.h"
#include "project/match_project.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

using nlohmann::json;

constexpr const char* kProject = "AB12CD";

class Linking : public ::testing::Test {
 protected:
  void SetUp() override { plan_ = test::planOf(test::plainRecipe(), recipe_); }
  ClipFacts& clip(const std::string& path) {
    ClipFacts f;
    f.path = path, f.kind = "movie", f.modified = static_cast<std::int64_t>(facts_.size());
    facts_.push_back(f);
    return facts_.back();
  }
  ClipFacts& slated(const std::string& path, size_t take, int attempt = 1,
                    const std::string& project = kProject) {
    ClipFacts& f = clip(path);
    f.slate.slates = {slateOf(project, plan_.takes[take], attempt)};
    return f;
  }
  Match match() { return matchClips(recipe_, plan_, foldLog(log_), kProject, facts_, byHand_); }

  Recipe recipe_;
  Plan plan_;
  std::vector<ClipFacts> facts_;
  std::vector<LogEntry> log_;
  std::map<std::string, std::string> byHand_;
};

TEST_F(Linking, SlateNameAndOrderEachSayWhyAndHowSure) {
  slated("/c/A001.mov", 0);
  clip("/c/A002.mov");  // no slate: between takes 0 and 2
  slated("/c/A003.mov", 2);
  clip(fmt::format("/c/tarnm1-log-800/{}.mov", plan_.takes[3].name));
  clip("/c/Z9.mov");
  const Match m = match();
  EXPECT_EQ(m.links[0].by, LinkBy::Slate);
  EXPECT_EQ(m.links[1].by, LinkBy::Order);
  EXPECT_EQ(m.links[1].take, 1U);
  EXPECT_NE(m.links[1].words.find("between"), std::string::npos);
  EXPECT_EQ(m.links[3].by, LinkBy::Name);
  EXPECT_EQ(m.links[3].take, 3U);
  EXPECT_FALSE(m.links[4].take) << "the last clip has no known neighbour: nothing is guessed";
  EXPECT_GT(m.links[0].sure, m.links[3].sure);
  EXPECT_GT(m.links[3].sure, m.links[1].sure);
  EXPECT_EQ(m.missing.size(), plan_.takes.size() - 4);
}

// A bracket named by hand: a plain minus, a letter, a word; of the slate's words or in a folder that has
// them.
TEST_F(Linking, ExposuresAreReadAsPeopleWriteThem) {
  const auto takeNamed = [&](const std::string& name) {
    for (size_t t = 0; t < plan_.takes.size(); ++t)
      if (plan_.takes[t].name == name && plan_.series[plan_.takes[t].series].kind == TestKind::Bracket)
        return t;
    throw std::runtime_error("no take " + name);
  };
  const Take& down = plan_.takes[takeNamed("m1")];
  const std::string words = down.slate.substr(0, down.slate.rfind(' '));  // "Tarn M1 log 800"
  const std::string folder = "/c/tarnm1-log-800/";
  for (const auto& [path, take] :
       std::initializer_list<std::pair<std::string, const char*>>{{"/c/" + words + " -1.mov", "m1"},
                                                                  {"/c/" + words + " +1.mov", "p1"},
                                                                  {"/d/" + words + " u2.mov", "m2"},
                                                                  {folder + "n+2.mov", "p2"},
                                                                  {folder + "under3.mov", "m3"},
                                                                  {folder + "-4EV.mov", "m4"}}) {
    clip(path);
    const Match m = match();
    ASSERT_TRUE(m.links.back().take) << path << ": " << m.links.back().words;
    EXPECT_EQ(*m.links.back().take, takeNamed(take)) << path;
    EXPECT_EQ(m.links.back().by, LinkBy::Name);
  }
}

TEST_F(Linking, GapsOfTheWrongLengthAreLeftOpen) {
  slated("/c/A001.mov", 0);
  clip("/c/A002.mov");
  slated("/c/A003.mov", 4);  // three takes are missing for one clip
  const Match m = match();
  EXPECT_FALSE(m.links[1].take);
  EXPECT_NE(m.links[1].words.find("3 takes are missing"), std::string::npos) << m.links[1].words;
}

TEST_F(Linking, RetakesSupersedeAndDoublesAreTrouble) {
  slated("/c/A1.mov", 0, 1);
  slated("/c/A2.mov", 0, 2);
  slated("/c/A3.mov", 1, 1);
  slated("/c/A4.mov", 1, 1);
  const Match m = match();
  EXPECT_TRUE(m.links[0].superseded);
  EXPECT_FALSE(m.links[1].superseded);
  EXPECT_TRUE(m.links[1].trouble.empty());
  EXPECT_NE(m.links[2].trouble.find("2 clips claim"), std::string::npos);
  EXPECT_FALSE(m.links[3].trouble.empty());
}

TEST_F(Linking, StrangeSlatesAreSaid) {
  slated("/c/A1.mov", 0, 1, "000000");
  auto& two = slated("/c/A2.mov", 0);
  two.slate.slates.push_back(slateOf(kProject, plan_.takes[1], 1));
  auto& gone = slated("/c/A3.mov", 2);
  gone.slate.slates[0].take = "ZZZZZZ";
  auto& broken = clip("/c/A4.mov");
  broken.problem = "the clip has no frames";
  auto& raw = slated("/c/A5", 3);
  raw.mosaic = true;  // the plan's mode is log
  auto& iso = slated("/c/A6.mov", 4);
  iso.iso = 1600;
  auto& newer = clip("/c/A7.mov");
  newer.slate.strange = {"ET7 ABC"};
  const Match m = match();
  EXPECT_NE(m.links[0].trouble.find("another project"), std::string::npos);
  EXPECT_NE(m.links[1].trouble.find("different slates"), std::string::npos);
  EXPECT_NE(m.links[2].trouble.find("no longer in the plan"), std::string::npos);
  EXPECT_EQ(m.links[3].trouble, "the clip has no frames");
  EXPECT_NE(m.links[4].trouble.find("raw"), std::string::npos);
  EXPECT_NE(m.links[5].trouble.find("ISO 1600"), std::string::npos);
  EXPECT_NE(m.links[6].words.find("newer version"), std::string::npos);
  for (const auto i : {0, 1, 2, 3}) EXPECT_FALSE(m.links[static_cast<size_t>(i)].take);
}

TEST_F(Linking, TheHandBeatsEverything) {
  slated("/c/A1.mov", 0);
  clip("/c/A2.mov");
  byHand_["/c/A1.mov"] = plan_.takes[5].slate;
  byHand_["/c/A2.mov"] = "";
  const Match m = match();
  EXPECT_EQ(m.links[0].take, 5U);
  EXPECT_EQ(m.links[0].by, LinkBy::Hand);
  EXPECT_FALSE(m.links[1].take);
  EXPECT_TRUE(m.links[1].trouble.empty());
}

TEST_F(Linking, WrongExposureNamesTheTakeItWouldBe) {
  size_t three = 0, two = 0;
  for (size_t i = 0; i < plan_.takes.size(); ++i) {
    if (plan_.takes[i].name == "p3") three = i;
    if (plan_.takes[i].name == "p2") two = i;
  }
  slated("/c/A1.mov", three).measured = 2.05;
  slated("/c/A2.mov", two).measured = 1.9;
  Match m = match();
  checkExposures(plan_, facts_, m);
  EXPECT_NE(m.links[0].trouble.find(plan_.takes[two].slate), std::string::npos) << m.links[0].trouble;
  EXPECT_TRUE(m.links[1].trouble.empty());
}

TEST(Folders, ClipsAreFoundAndWhatIsNoneIsPassedOver) {
  const test::TempFolder folder;
  EXPECT_THROW((void)clipsIn(folder / "none"), Error);
  EXPECT_TRUE(clipsIn(folder.path()).empty());
  fs::create_directories(folder / "day/raw1");
  fs::create_directories(folder / ".trash");
  fs::create_directories(folder / "two");
  for (const char* f :
       {"day/a.mov", "day/raw1/000001.dng", "day/raw1/000002.dng", "notes.txt", ".trash/b.mov", "single.exr",
        "two/x.0001.exr", "two/x.0002.exr", "two/y.0001.exr", "two/y.0002.exr"})
    test::writeText(folder / f, "x");
  fs::create_symlink("/etc", folder / "elsewhere");
  const auto clips = clipsIn(folder.path());
  ASSERT_EQ(clips.size(), 5U);
  EXPECT_EQ(clips[0].filename(), "a.mov");
  EXPECT_EQ(clips[1].filename(), "raw1");
  EXPECT_EQ(clips[2].filename(), "single.exr");
  EXPECT_EQ(clips[3].filename(), "x.%04d.exr");
  EXPECT_EQ(clips[4].filename(), "y.%04d.exr");
  EXPECT_EQ(bytesOf(clips[3]), 4U);
  // None of them is a clip inside: each says so, none stops the others.
  for (const auto& c : clips) EXPECT_FALSE(readFacts(c, Progress()).problem.empty()) << c;
  EXPECT_EQ(bytesOf(folder / "day/raw1"), 2U);
  EXPECT_EQ(bytesOf(folder / "gone"), 0U);
}

// `xxhsum -c` (Debian package xxhash) verifies the list.
TEST(Manifest, IsVerifiedByTheHashProgramItself) {
  const test::TempFolder folder;
  const Scenario s = demoScenario(true);
  Shot shot;
  shot.frames = 1;
  const auto clip = writeClip(s.configurations[2], renderBench(s.width, s.height), shot, 24,
                              folder / "raw clip", Progress());
  test::writeText(folder / "list.xxh", manifestOf({clip}, folder.path(), Progress()));
  const std::string check = "cd '" + folder.path().string() + "' && xxhsum -c list.xxh >/dev/null 2>&1";
  EXPECT_EQ(std::system(check.c_str()), 0);
  test::writeText(clip / "000001.dng", "changed");
  EXPECT_NE(std::system(check.c_str()), 0);
}

// --- registration

TEST(Registration, KnownShiftsAreFoundToTheAskedFraction) {
  const Scenario s = demoScenario(true);
  const auto* c = findConfiguration(s, "Corvane 35", false, 500);
  const SceneImage bench = renderBench(s.width * 2, s.height * 2);
  const SimulatedCamera camera(c->camera, c->iso);
  // The scene at twice the raster, moved by whole pixels there: exact half pixels below.
  const auto picture = [&](int dx, int dy, double stops, std::uint64_t frames) {
    SceneImage small{s.width, s.height, std::vector<float>(3 * static_cast<size_t>(s.width) * s.height)};
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x)
        for (int k = 0; k < 3; ++k) {
          float sum = 0;
          for (int j = 0; j < 2; ++j)
            for (int i = 0; i < 2; ++i)
              sum += bench.at(std::clamp(2 * x + i - dx, 0, bench.width - 1),
                              std::clamp(2 * y + j - dy, 0, bench.height - 1))[k];
          small.at(x, y)[k] = sum / 4;
        }
    LumaPicture p{s.width, s.height, std::vector<float>(static_cast<size_t>(s.width) * s.height)};
    for (std::uint64_t n = 0; n < frames; ++n) {
      const SceneImage d =
          camera.developedFrame(small, std::exp2(stops), n + 31 * static_cast<std::uint64_t>(dx + 50));
      for (size_t i = 0; i < p.luma.size(); ++i)
        p.luma[i] += (0.2126F * d.rgb[3 * i] + 0.7152F * d.rgb[3 * i + 1] + 0.0722F * d.rgb[3 * i + 2]) /
                     static_cast<float>(frames);
    }
    return p;
  };
  const LumaPicture base = picture(0, 0, 0, 4);
  double worstBase = 0, worstDark = 0;
  for (const auto& [dx, dy] : {std::pair(0, 0), std::pair(3, -1), std::pair(-7, 4), std::pair(12, 9)}) {
    for (const double stops : {0.0, -5.0, -6.0, -7.0}) {
      const auto shift = registerPictures(base, picture(dx, dy, stops, 4));
      ASSERT_TRUE(shift) << dx << " " << stops;
      const double error = std::hypot(shift->dx - dx / 2.0, shift->dy - dy / 2.0);
      (stops == 0 ? worstBase : worstDark) = std::max(stops == 0 ? worstBase : worstDark, error);
    }
  }
  RecordProperty("worst_base_px", fmt::format("{:.3f}", worstBase));
  RecordProperty("worst_dark_px", fmt::format("{:.3f}", worstDark));
  std::printf("registration error: base %.3f px, -5 to -7 stops %.3f px\n", worstBase, worstDark);
  EXPECT_LT(worstBase, 0.1);
  EXPECT_LT(worstDark, 0.5);
}

TEST(Registration, NothingInCommonIsNoShift) {
  LumaPicture a{64, 64, std::vector<float>(4096, 0.2F)};
  const auto s = registerPictures(a, a);
  EXPECT_TRUE(!s || s->correlation < Framing::kTrusted);
  EXPECT_FALSE(registerPictures(a, {32, 64, std::vector<float>(2048)}));
}

// A row of even steps, brighter and clipped, looks like itself some steps on: nothing was moved.
TEST(Registration, AStepWedgeThatClipsIsNotFollowedToItsNextStep) {
  const auto wedge = [](double stops) {
    LumaPicture p{256, 96, std::vector<float>(256UL * 96)};
    for (int y = 0; y < 96; ++y)
      for (int x = 0; x < 256; ++x) {
        const double light = y < 32 ? 0.2 * std::exp2(-0.7 * (x / 32)) : 0.15 * (1 - 0.6 * x / 256);
        p.luma[static_cast<size_t>(y) * 256 + x] =
            static_cast<float>(std::min(1.0, light * std::exp2(stops)));
      }
    return p;
  };
  for (const double stops : {-4.0, 2.0, 3.0, 4.0, 5.0}) {
    const auto s = registerPictures(wedge(0), wedge(stops));
    EXPECT_TRUE(!s || s->correlation < Framing::kTrusted || std::hypot(s->dx, s->dy) < 0.5)
        << stops << ": " << s->dx << " " << s->dy << " " << s->correlation;
  }
}

// --- checks of takes, with hit and false-alarm rates over simulated takes. EDGE_TAKES=200 runs the full set.

struct Fault {
  const char* code;
  double stops = 0, drift = 0, blur = 0, red = 0, shift = 0, flicker = 0, smooth = 0;
  double dimHead = 0, panel = 0, corners = 0, lift = 0, slope = 0;
  bool atBase = false;  // shows only there
};

// `stops`: of the exposure, so that a lifted black is the camera's and not the scene's.
SceneImage faulty(const SceneImage& scene, const Fault& f, double stops) {
  SceneImage s = scene;
  for (size_t i = 0; i < s.rgb.size(); i += 3) s.rgb[i] *= static_cast<float>(std::exp2(f.red));
  const double h = s.height, cx = s.width / 2.0, cy = s.height / 2.0;
  for (int y = 0; y < s.height; ++y)
    for (int x = 0; x < s.width; ++x) {
      const double r2 = ((x - cx) * (x - cx) + (y - cy) * (y - cy)) / (cx * cx + cy * cy);
      // One lamp of several: the left head only.
      const bool head = x > 0.15 * h && x < 0.53 * h && y > 0.2 * h && y < 0.75 * h;
      const double gain = std::exp2((head ? f.dimHead : 0) + f.corners * r2 + f.slope * x / s.width);
      const bool panel = x < f.panel * s.width && y < 0.4 * h;  // a stand has come into the picture
      for (int k = 0; k < 3; ++k)
        s.at(x, y)[k] = panel ? 0.02F : static_cast<float>(s.at(x, y)[k] * gain + f.lift * std::exp2(-stops));
    }
  const auto mean = [&](int radius) {
    SceneImage out = s;
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x)
        for (int k = 0; k < 3; ++k) {
          float sum = 0;
          int n = 0;
          for (int j = -radius; j <= radius; ++j)
            for (int i = -radius; i <= radius; ++i, ++n)
              sum += s.at(std::clamp(x + i, 0, s.width - 1), std::clamp(y + j, 0, s.height - 1))[k];
          out.at(x, y)[k] = sum / static_cast<float>(n);
        }
    return out;
  };
  if (f.blur > 0) s = mean(static_cast<int>(f.blur));
  if (f.shift > 0) {
    const SceneImage from = s;
    for (int y = 0; y < s.height; ++y)
      for (int x = 0; x < s.width; ++x)
        std::copy_n(from.at(std::max(0, x - static_cast<int>(f.shift)), y), 3, s.at(x, y));
  }
  return s;
}

// What lamps and cameras do that the simulated ones don't: light that jumps, noise smoothed down the picture.
void alter(TakeEvidence& e, const Fault& f) {
  for (auto& a : e.stats.patches)
    for (size_t n = 0; n < a.frameLuma.size(); ++n)
      a.frameLuma[n] *= std::exp2(n % 2 ? f.flicker : -f.flicker);
  if (f.smooth <= 0) return;
  for (auto& s : e.stats.samples)
    for (auto& frame : s.frames)
      for (int y = s.height - 1; y > 0; --y)
        for (int x = 0; x < 3 * s.width; ++x) {
          float& v = frame[static_cast<size_t>(y) * 3 * s.width + x];
          v = (v + frame[static_cast<size_t>(y - 1) * 3 * s.width + x]) / 2;
        }
}

TEST(TakeChecks, HitAndFalseAlarmRates) {
  const char* wanted = std::getenv("EDGE_TAKES");
  const int takes = wanted ? std::atoi(wanted) : 28;
  const test::TempFolder folder;
  const Scenario s = demoScenario(true);
  const SceneImage bench = renderBench(s.width, s.height);
  const Chart chart = benchChart(s.width, s.height);
  const auto regions = benchRegions(s.width, s.height);
  // Sizes as accidents have them; EDGE_FAULT=0.5 halves all of them.
  const char* scale = std::getenv("EDGE_FAULT");
  const double size = scale ? std::atof(scale) : 1;
  const Fault kFaults[] = {{.code = "exposure", .stops = 0.5 * size},
                           {.code = "drift", .drift = -0.2 * size},
                           {.code = "focus", .blur = std::round(2 * size)},
                           {.code = "balance", .red = 0.2 * size},
                           {.code = "framing", .shift = std::round(6 * size)},
                           {.code = "flicker", .flicker = 0.04 * size},
                           {.code = "filtered", .smooth = 1},
                           {.code = "ratio", .dimHead = -0.4 * size},
                           {.code = "scene", .panel = 0.2 * size},
                           {.code = "vignetting", .corners = -0.5 * size},
                           {.code = "black", .lift = 0.012 * size},
                           {.code = "uneven", .slope = 1.2 * size, .atBase = true},
                           {.code = "clipped", .stops = 4 * size, .atBase = true}};
  std::map<std::string, std::array<int, 4>> table;  // hits, faults, false alarms, sound ones
  RandomStream random(7, 7, 7);
  for (const bool raw : {true, false}) {
    const auto* c = findConfiguration(s, "Pellam S6", raw, 640);
    DecodeOptions decode;
    decode.curve = "linear";
    if (!raw) {
      test::writeText(folder / "c.json", json{{"base", c->camera.log.base},
                                              {"logSideSlope", c->camera.log.logSideSlope},
                                              {"logSideOffset", c->camera.log.logSideOffset},
                                              {"linSideSlope", c->camera.log.linSideSlope},
                                              {"linSideOffset", c->camera.log.linSideOffset},
                                              {"linSideBreak", c->camera.log.linSideBreak}}
                                             .dump());
      decode.curve = (folder / "c.json").string(), decode.range = Range::Legal,
      decode.matrix = Primaries::Bt709;
    }
    const auto gather = [&](const SceneImage& scene, double stops, double drift, std::uint64_t seed,
                            const TakeEvidence* base = nullptr) {
      Shot shot;
      shot.stops = stops, shot.driftStops = drift, shot.frames = 4, shot.seed = seed;
      const auto clip = writeClip(*c, scene, shot, 24, folder / fmt::format("t{}", seed), Progress());
      auto e = gatherTake(clip, decode, chart, regions, {}, Progress(), base ? &base->mean : nullptr);
      fs::remove_all(clip);
      return e;
    };
    const TakeEvidence base = gather(bench, 0, 0, 1);
    for (int i = 0; i < takes / 2; ++i) {
      const bool sound = i % 2 == 0;
      const Fault f =
          sound ? Fault{.code = "none"} : kFaults[static_cast<size_t>(i / 2 * 2 + raw) % std::size(kFaults)];
      const double drawn = std::round(-5 + 8 * random.uniform()), planned = f.atBase ? 0 : drawn;
      TakeEvidence e = gather(faulty(bench, f, planned), planned + f.stops, f.drift,
                              static_cast<std::uint64_t>(100 + i), &base);
      alter(e, f);
      TakeExpectation x;
      x.plannedStops = planned, x.raw = raw, x.bits = raw ? 12 : 10, x.fps = 24;
      const Plateau plateau = findPlateau({&base.stats, &e.stats}, neutralPatches(chart));
      for (const auto& check : checkTake(e, base, chart, plateau, x)) {
        auto& row = table[check.code];
        const bool faultyHere = check.code == f.code;
        // A fault of one kind may well show in another check (blur in framing): only sound takes count as
        // false alarms.
        if (faultyHere)
          row[1] += 1, row[0] += !check.pass;
        else if (sound)
          row[3] += 1, row[2] += !check.pass;
      }
    }
  }
  for (const auto& [code, r] : table) {
    std::printf("%-12s hits %d of %d, false alarms %d of %d\n", code.c_str(), r[0], r[1], r[2], r[3]);
    EXPECT_GE(r[0], 0.75 * r[1]) << code;
    EXPECT_LE(r[2], std::max(1.0, 0.05 * r[3])) << code;
  }
}

}  // namespace
}  // namespace edge
