// Takes whose camera was touched between them: turned on the head, breathing lens, white balance set anew.
// Scenes and cameras of closed form, no src/simulate.
#include <gtest/gtest.h>

#include "base/units.h"
#include "recover/follow.h"
#include "recover/plain_bracket.h"

namespace edge {
namespace {

using namespace test;

constexpr int kAcross = 480, kDown = 270;

// Soft spots and hard-edged cards, dark and bright, all over the picture; x, y in pixels.
double bench(double x, double y) {
  double light = 0.05 + 0.02 * x / kAcross;
  for (int i = 0; i < 40; ++i) {
    const double cx = std::fmod(i * 97.3, kAcross), cy = std::fmod(i * 61.7, kDown), r = 6 + i % 7;
    const double d2 = ((x - cx) * (x - cx) + (y - cy) * (y - cy)) / (r * r);
    light += 0.02 * (1 + i % 5) * std::exp(-d2);
  }
  for (int i = 0; i < 6; ++i) {
    const double cx = 50 + 76 * i, cy = 60 + 130 * (i % 2);
    if (std::abs(x - cx) < 20 && std::abs(y - cy) < 15) light = 0.02 * std::exp2(i * 0.6);
  }
  return light;
}

// The bench as a camera sees it that was moved by `f`: area samples, `stops` of light, Gaussian noise.
LumaPicture seen(const Framing& f, double stops, double noise, unsigned seed) {
  std::mt19937 random(seed);
  std::normal_distribution<float> normal;
  LumaPicture p{kAcross, kDown, std::vector<float>(static_cast<size_t>(kAcross) * kDown)};
  const double c = std::cos(f.turn) / f.scale, s = std::sin(f.turn) / f.scale;
  const double mx = (kAcross - 1) / 2.0, my = (kDown - 1) / 2.0;
  for (int y = 0; y < kDown; ++y)
    for (int x = 0; x < kAcross; ++x) {
      double light = 0;
      for (const double j : {-0.25, 0.25})
        for (const double i : {-0.25, 0.25}) {
          const double u = x + i - mx - f.dx, v = y + j - my - f.dy;  // the inverse of the move, by hand
          light += bench(mx + c * u + s * v, my - s * u + c * v) / 4;
        }
      p.luma[static_cast<size_t>(y) * kAcross + static_cast<size_t>(x)] =
          static_cast<float>(light * std::exp2(stops)) + static_cast<float>(noise) * normal(random);
    }
  return p;
}

// Worst distance of a corner from where it truly went.
double cornerError(const Framing& is, const Framing& was) {
  double worst = 0;
  for (const Point p : {Point{0, 0}, Point{kAcross, 0}, Point{0, kDown}, Point{kAcross, kDown}}) {
    const Point a = is.of(p, kAcross, kDown), b = was.of(p, kAcross, kDown);
    worst = std::max(worst, std::hypot(a.x - b.x, a.y - b.y));
  }
  return worst;
}

TEST(Framing, TurnsAndSizesAreFoundAlsoInTheDark) {
  const LumaPicture base = seen({}, 0, 0.001, 1);
  double worstLit = 0, worstDark = 0, worstDarkest = 0;
  unsigned seed = 2;
  for (const Framing& f :
       {Framing{0, 0, 0.01, 1, 0}, Framing{0, 0, 0, 1.01, 0}, Framing{0, 0, 0, 0.98, 0},
        Framing{3, -2, -0.02, 1.005, 0}, Framing{-6, 4, 0.005, 0.99, 0}, Framing{0, 0, 0.04, 1.03, 0}})
    for (const double stops : {0.0, 2.0, -4.0, -6.0}) {
      const auto found = registerPictures(base, seen(f, stops, 0.0007, seed++));
      ASSERT_TRUE(found) << f.turn << " " << f.scale << " " << stops;
      double& worst = stops < -5 ? worstDarkest : stops < 0 ? worstDark : worstLit;
      const double error = cornerError(*found, f);
      worst = std::max(worst, error);
      if (error > 1.2)
        std::printf("turn %.3f scale %.3f at %+.0f: found %.4f %.4f, %.2f px off at a corner, r %.3f\n",
                    f.turn, f.scale, stops, found->turn, found->scale, error, found->correlation);
    }
  std::printf("corner error: lit %.3f px, dark %.3f px, darkest %.3f px\n", worstLit, worstDark,
              worstDarkest);
  EXPECT_LT(worstLit, 0.2);
  EXPECT_LT(worstDark, 0.5);
  EXPECT_LT(worstDarkest, 1.2) << "most of the picture lies under its noise; unfollowed it is 3 to 17";
}

// Where nothing was turned, nothing is said to be.
TEST(Framing, NoTurnAndNoSizeIsMadeUp) {
  const LumaPicture base = seen({}, 0, 0.001, 1);
  double worst = 0, worstDarkest = 0;
  for (unsigned i = 0; i < 24; ++i) {
    const Framing f{static_cast<double>(i % 4), -0.5 * static_cast<double>(i % 3), 0, 1, 0};
    const auto found = registerPictures(base, seen(f, -1.0 * (i % 8), 0.0007, 100 + i));
    ASSERT_TRUE(found);
    EXPECT_TRUE(found->turn == 0 && found->scale == 1) << i << ": " << found->turn << " " << found->scale;
    double& error = i % 8 < 6 ? worst : worstDarkest;
    error = std::max(error, cornerError(*found, f));
  }
  std::printf("shifts alone: %.3f px, at -6 and -7 stops %.3f px\n", worst, worstDarkest);
  EXPECT_LT(worst, 0.55) << "half a pixel may pass for none: pictures are alike then";
  EXPECT_LT(worstDarkest, 0.8);
}

TEST(Framing, ChartAndObjectsTurnAlong) {
  const TempFolder folder;
  const auto clip = [&](const char* name, const Framing& f) {
    Footage footage;
    footage.width = kAcross, footage.height = kDown;
    footage.camera.frames = 2;
    std::mt19937_64 random(3);
    const LumaPicture p = seen(f, 0, 0, 1);
    photograph(footage, random, [&](int x, int y) { return p.at(x, y); });
    record(footage, folder.path() / name, lossless(10, Sampling::Full444));
    return folder.path() / name;
  };
  writeLogCurve(folder.path() / "log.json");
  DecodeOptions decode;
  decode.curve = (folder.path() / "log.json").string();
  const Framing touched{2, -1, 0.015, 1.012, 0};
  Chart chart;
  chart.referenceWidth = 2.0 * kAcross, chart.referenceHeight = 2.0 * kDown;  // of another raster
  chart.patches.push_back(box("grey", "grey", 100, 80, 60, 40));
  const std::vector<Patch> objects = {box("face", "skin", 800, 400, 80, 60)};
  const auto base = firstPicture(clip("base.mkv", {}), decode, {}, Progress());
  const Followed f = followFraming(base, clip("take.mkv", touched), decode, {}, chart, objects, Progress());
  ASSERT_TRUE(f.moved);
  const auto expectAt = [&](const Patch& is, const Patch& was) {
    for (size_t k = 0; k < 4; ++k) {
      const Point p = touched.of({was.corners[k].x / 2, was.corners[k].y / 2}, kAcross, kDown);
      EXPECT_NEAR(is.corners[k].x / 2, p.x, 0.2) << is.name;
      EXPECT_NEAR(is.corners[k].y / 2, p.y, 0.2) << is.name;
    }
  };
  expectAt(f.chart.patches[0], chart.patches[0]);
  expectAt(f.regions[0], objects[0]);
  EXPECT_EQ(wordsOf({2, -1, 0.015, 1.012, 1}),
            "shifted by 2.0 pixels across and -1.0 down, turned by 0.86 degrees and 1.20 % larger");
}

// A camera left on automatic white balance: the codes are the same, the files name another white. DNG 1.4,
// AsShotNeutral: it says how to develop, the cells know nothing of it.
TEST(Framing, RawIsDevelopedByTheWhiteBalanceOfItsBase) {
  PlainScene s;
  s.raw = true, s.camera.well = 20000, s.camera.read = 3, s.camera.frames = 4;
  s.brightest = 0.2, s.face = 0.1;
  const auto untouched = [](Footage&, double) {};
  const TempFolder one, other;
  const std::vector<double> stops = {-4, -2, 2, 3};
  const Judged fixed = shoot(s, stops, lossless(10, Sampling::Full444), one.path(), untouched);
  s.namedRed = 1.4;
  const Judged set = shoot(s, stops, lossless(10, Sampling::Full444), other.path(), untouched);
  ASSERT_EQ(fixed.measure.takes.size(), set.measure.takes.size());
  for (size_t i = 0; i < stops.size(); ++i) {
    const TakeMetrics &a = fixed.measure.takes[i], &b = set.measure.takes[i];
    EXPECT_EQ(*a.measured, *b.measured) << stops[i];
    EXPECT_EQ(a.figures, b.figures) << stops[i];
  }
}

}  // namespace
}  // namespace edge
