// Brackets that lie: offsets and clipped faces are right within their error, or said, or absent. Scenes of
// closed form (tests/support/spoiled.cpp), no src/simulate. EDGE_SPOILED=20 runs the full set.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>

#include "recover/latitude.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge {
namespace {

namespace fs = std::filesystem;
using test::Encoder;
using test::Footage;
using test::PlainCamera;
using test::Sampling;

constexpr int kSide = 32, kGreys = 8, kWide = kSide * kGreys, kFaceRows = 64;

// Eight greys in a row, half a stop to a stop apart, and a face below them, lit from the side.
struct Scene {
  PlainCamera camera;
  double brightest = 0.2, step = 0.7, face = 0.15;  // of the clip of green, at base
  double drop = 0.6;                                // of the face's light from edge to edge

  [[nodiscard]] double light(int x, int y) const {
    if (y < kSide) return brightest * std::exp2(-step * (x / kSide));
    return face * (1 - drop * x / kWide);
  }
  // Of the face, in per cent: within three ten-bit codes of the channel's end, as clipping is defined
  // (docs/method.md, "Latitude"); the test's curve has 77 codes a stop.
  [[nodiscard]] double clipped(double stops) const {
    int n = 0;
    for (int x = 0; x < kWide; ++x) n += light(x, kSide) * std::exp2(stops) >= std::exp2(-3.0 / 77);
    return 100.0 * n / kWide;
  }
};

Footage take(const Scene& s, double stops, std::uint64_t seed) {
  Footage f;
  f.camera = s.camera, f.width = kWide, f.height = kSide + kFaceRows;
  std::mt19937_64 random(seed);
  test::photograph(f, random, [&](int x, int y) { return s.light(x, y) * std::exp2(stops); });
  return f;
}

Patch box(const char* name, const char* role, double x, double y, double w, double h) {
  Patch p;
  p.name = name, p.role = role, p.corners = {{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}};
  return p;
}

struct Judged {
  LatitudeMeasure measure;
  LatitudeResult result;
  [[nodiscard]] bool warns(const std::string& code) const {
    return std::any_of(result.warnings.begin(), result.warnings.end(),
                       [&](const Warning& w) { return w.code == code; });
  }
};

// spoil: what is done to the footage of every take before it is recorded.
Judged shoot(const Scene& s, const std::vector<double>& stops, const Encoder& encoder, const fs::path& folder,
             const std::function<void(Footage&)>& spoil) {
  test::writeLogCurve(folder / "log.json");
  Series series;
  series.decode.curve = (folder / "log.json").string();
  series.chart.referenceWidth = kWide, series.chart.referenceHeight = kSide + kFaceRows;
  for (int i = 0; i < kGreys; ++i)
    series.chart.patches.push_back(
        box(fmt::format("grey {}", i + 1).c_str(), "grey", i * kSide, 0, kSide, kSide));
  series.regions.push_back(box("face", "skin", 0, kSide, kWide, kFaceRows));
  const auto clip = [&](const std::string& name, double exposure) {
    Footage f = take(s, exposure, s.camera.seed + std::hash<std::string>{}(name));
    spoil(f);
    test::record(f, folder / (name + ".mkv"), encoder);
    return folder / (name + ".mkv");
  };
  series.base = clip("base", 0);
  for (double e : stops) {
    const auto name = fmt::format("{:+}", e);
    series.takes.push_back({name, clip(name, e), e, "", std::nullopt, std::nullopt});
  }
  Judged j{measureLatitude(series, Progress()), {}};
  j.result = judgeLatitude(j.measure, {});
  return j;
}

struct Fault {
  const char* name;
  std::vector<const char*> named;
  std::function<void(Scene&, std::mt19937_64&)> scene;
  std::function<void(Footage&)> spoil;
  std::function<Encoder()> encoder;
  bool sound = false;
};

double draw(std::mt19937_64& r, double low, double high) {
  return std::uniform_real_distribution<double>(low, high)(r);
}
Encoder intra() {
  Encoder e{"libx264", {{"preset", "ultrafast"}, {"crf", "8"}}};
  return e;
}
void asItIs(Footage&) {}

const std::vector<Fault>& faults() {
  const auto same = [](Scene&, std::mt19937_64&) {};
  static const std::vector<Fault> kFaults = {
      {"sound", {}, same, asItIs, [] { return test::lossless(); }, true},
      {"face clips where no grey does",
       {"clip-unknown"},
       [](Scene& s, std::mt19937_64& r) { s.brightest = draw(r, 0.01, 0.02), s.face = draw(r, 0.15, 0.4); },
       asItIs,
       [] { return test::lossless(); }},
      {"greys partly clipped",
       {},
       [](Scene& s, std::mt19937_64& r) { s.brightest = draw(r, 0.3, 0.9); },
       asItIs,
       [] { return test::lossless(); }},
      {"frames doubled",
       {"repeated-frames"},
       same,
       [](Footage& f) { test::repeat(f, 2); },
       [] { return test::lossless(); }},
      {"H.264 intra", {"lossy-codec"}, same, asItIs, intra},
      {"sharpened", {}, same, [](Footage& f) { test::unsharp(f, 0.8, 1); }, [] { return test::lossless(); }},
  };
  return kFaults;
}

// Clipped shares count pixels by the mean of their frames: those within noise of the end fall on either side.
constexpr double kShareAllowed = 4;  // per cent
// True of a sound bracket as well: it ends before an edge, or its base is dim.
constexpr const char* kTrueOfSound[] = {"base-fails", "clip-unknown", "upper-not-reached",
                                        "lower-not-reached"};

TEST(SpoiledBracket, OffsetsAndClippedFacesAreRightOrSaid) {
  const char* wanted = std::getenv("EDGE_SPOILED");
  const int n = wanted ? std::atoi(wanted) : 1;
  const test::TempFolder folder;
  const std::vector<double> stops = {-4, -2, 1, 2, 3, 4};
  for (const Fault& fault : faults()) {
    std::mt19937_64 random(std::hash<std::string>{}(fault.name));
    int right = 0, open = 0, warned = 0, silent = 0, alarms = 0;
    for (int i = 0; i < n; ++i) {
      Scene s;
      s.camera = test::randomCamera(random), s.camera.frames = 6;
      s.brightest = draw(random, 0.1, 0.25), s.step = draw(random, 0.5, 0.9),
      s.face = draw(random, 0.05, 0.3);
      fault.scene(s, random);
      const Judged j = shoot(s, stops, fault.encoder(), folder.path(), fault.spoil);
      const bool named =
          std::any_of(fault.named.begin(), fault.named.end(), [&](const char* c) { return j.warns(c); });
      const auto count = [&](bool good, const char* what, double got, double truth, double at) {
        ++(good ? right : named ? warned : silent);
        if (!good && !named)
          std::printf("%s %d, %+g: %s %.3f (true %.3f)\n", fault.name, i, at, what, got, truth);
      };
      for (size_t t = 0; t < stops.size(); ++t) {
        const TakeMetrics& m = j.measure.takes[t];
        if (m.measured)
          count(std::abs(*m.measured - stops[t]) <= std::max(fault.sound ? 0.03 : 0.1, 2.5 * m.sigma),
                "offset", *m.measured, stops[t], stops[t]);
        else
          ++open;
        const auto share = worstClip(m);
        if (share)
          count(std::abs(*share - s.clipped(stops[t])) <= kShareAllowed, "clipped", *share,
                s.clipped(stops[t]), stops[t]);
        else
          ++open;
      }
      for (const auto& w : j.result.warnings)
        if (fault.sound && std::none_of(std::begin(kTrueOfSound), std::end(kTrueOfSound),
                                        [&](const char* c) { return w.code == c; }))
          ++alarms, std::printf("sound %d: %s: %s\n", i, w.code.c_str(), w.message.c_str());
    }
    std::printf("| %s | %d | %d | %d | %d | %d |\n", fault.name, n, right, open, warned, silent);
    std::fflush(stdout);
    EXPECT_EQ(silent, 0) << fault.name;
    EXPECT_EQ(alarms, 0);
    EXPECT_GT(right, 0) << fault.name;
  }
}

// A camera so noisy that a repeat of the base is judged so: it can't be what the lower edge is counted from.
TEST(SpoiledBracket, ABaseThatFailsHasNoLowerEdge) {
  const char* wanted = std::getenv("EDGE_SPOILED");
  const int n = wanted ? std::atoi(wanted) : 2;
  const test::TempFolder folder;
  std::mt19937_64 random(29);
  int failing = 0, silent = 0;
  for (int i = 0; i < n; ++i) {
    Scene s;
    s.camera = test::randomCamera(random), s.camera.frames = 6;
    s.camera.well = std::exp2(draw(random, 7, 12)), s.camera.read = draw(random, 1, 4);
    s.brightest = draw(random, 0.05, 0.2), s.face = s.brightest / 2;
    const Judged j = shoot(s, {-2, -1, 0, 1, 2, 3}, test::lossless(), folder.path(), asItIs);
    const TakeVerdict& repeat = j.result.verdicts[2];
    if (repeat.verdict == Verdict::Clean) continue;
    ++failing, silent += j.result.edges.under.estimate.has_value() || !j.warns("base-fails");
  }
  std::printf("failing base: %d of %d scenes, %d with an edge or without a word\n", failing, n, silent);
  EXPECT_EQ(silent, 0);
  EXPECT_GT(failing, 0);
}

}  // namespace
}  // namespace edge
