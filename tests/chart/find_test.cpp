// Charts found, placed, turned and followed. Truth is the geometry that the picture was made from.
#include <gtest/gtest.h>

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "chart/find.h"
#include "chart/registration.h"
#include "match/steady.h"
#include "simulate/scene.h"
#include "support/support.h"

namespace edge {
namespace {

// The scene seen turned about its middle and scaled, with the noise of a camera and its floor.
struct Seen {
  LumaPicture picture;
  double degrees = 0, scale = 1;
  [[nodiscard]] Point at(const Point& p) const {
    const double a = degrees * std::numbers::pi / 180, cx = picture.width / 2.0, cy = picture.height / 2.0;
    const double x = (p.x - cx) * scale, y = (p.y - cy) * scale;
    return {cx + std::cos(a) * x - std::sin(a) * y, cy + std::sin(a) * x + std::cos(a) * y};
  }
};

Seen look(const SceneImage& scene, double degrees, double scale, double gain = 1, double floor = 2e-4) {
  Seen s;
  s.degrees = degrees, s.scale = scale;
  s.picture = {scene.width, scene.height,
               std::vector<float>(static_cast<size_t>(scene.width) * scene.height)};
  const double a = -degrees * std::numbers::pi / 180, cx = scene.width / 2.0, cy = scene.height / 2.0;
  RandomStream random(7, 1, 1);
  for (int y = 0; y < scene.height; ++y)
    for (int x = 0; x < scene.width; ++x) {
      const double u = (x + 0.5 - cx) / scale, v = (y + 0.5 - cy) / scale;
      const int i = static_cast<int>(std::floor(cx + std::cos(a) * u - std::sin(a) * v)),
                j = static_cast<int>(std::floor(cy + std::sin(a) * u + std::cos(a) * v));
      const bool in = i >= 0 && j >= 0 && i < scene.width && j < scene.height;
      const double light = in ? gain * scene.at(i, j)[1] : 0;
      const double noise = floor * std::sqrt(1 + light / floor) * (random.uniform() + random.uniform() - 1);
      s.picture.luma[static_cast<size_t>(y) * scene.width + x] =
          static_cast<float>(std::min(light, 4.0) + floor + noise);
    }
  return s;
}

double worstCorner(const Chart& found, const Chart& truth, const Seen& seen) {
  double worst = 0;
  for (const auto& p : truth.patches) {
    const Patch* f = found.find(p.name);
    if (!f) return 1e9;
    const Point m = middleOf(f->corners), t = seen.at(middleOf(p.corners));
    worst = std::max(worst, std::hypot(m.x - t.x, m.y - t.y));
  }
  return worst;
}

Chart wedgeOf(int steps, int width, int height) {
  std::vector<double> stops;
  for (int i = 0; i < steps; ++i) stops.push_back(-i);
  return wedgeChart(stops, width, height);
}

TEST(FindChart, WedgesOfAnyTurnAndAnyNumberOfRows) {
  constexpr int kWidth = 640, kHeight = 360;
  int found = 0, tried = 0;
  double worst = 0;
  for (const int steps : {11, 14, 21})  // two and three rows, the last one of 11 not full
    for (const double degrees : {0.0, 8.0, 90.0, 180.0, -35.0}) {
      const Chart truth = wedgeOf(steps, kWidth, kHeight);
      // On its side a wide wedge fills less of the picture.
      const double scale = std::abs(degrees) > 30 && degrees != 180 ? 0.5 : 0.8;
      const Seen seen = look(renderWedge(truth, kWidth, kHeight), degrees, scale);
      const ChartShape shape{ChartKind::Wedge, steps, 7, 1};
      const auto f = findChart(seen.picture, chartOf(shape), 1);
      ++tried;
      if (!f) {
        ADD_FAILURE() << steps << " steps at " << degrees << " degrees not found";
        continue;
      }
      const double error = worstCorner(f->chart, truth, seen);
      EXPECT_LT(error, 8) << steps << " steps at " << degrees << ", " << f->patchesSeen << " seen";
      found += error < 8, worst = std::max(worst, error);
    }
  RecordProperty("found", found);
  std::printf("wedges found %d of %d, worst middle %.1f px\n", found, tried, worst);
}

TEST(FindChart, GreysAndColoursOfTheBenchTurnedAndUnderexposed) {
  constexpr int kWidth = 960, kHeight = 540;
  const SceneImage scene = renderBench(kWidth, kHeight);
  const Chart truth = benchChart(kWidth, kHeight);
  for (const double degrees : {0.0, 5.0, -12.0})
    for (const double gain : {1.0, 0.25}) {
      const Seen seen = look(scene, degrees, 0.8, gain);
      const auto f = findChart(seen.picture, truth, 1);
      ASSERT_TRUE(f) << degrees << ' ' << gain;
      EXPECT_LT(worstCorner(f->chart, truth, seen), 3) << degrees << ' ' << gain;
      EXPECT_GT(f->sure, 0.7);
    }
}

TEST(FindChart, NothingIsFoundWhereNoChartIs) {
  constexpr int kWidth = 640, kHeight = 360;
  SceneImage flat{kWidth, kHeight, std::vector<float>(3UL * kWidth * kHeight, 0.2F)};
  EXPECT_FALSE(findChart(look(flat, 0, 1).picture, chartOf({}), 1));
  EXPECT_FALSE(findChart({}, chartOf({}), 1));
  // Another arrangement of as many steps is not this chart.
  const Seen eleven = look(renderWedge(wedgeOf(11, kWidth, kHeight), kWidth, kHeight), 0, 0.8);
  EXPECT_FALSE(findChart(eleven.picture, chartOf({ChartKind::Wedge, 11, 6, 1}), 1));
  // A chart of another make: the light of its steps is not that of the layout.
  const Seen wedge = look(renderWedge(wedgeOf(21, kWidth, kHeight), kWidth, kHeight), 0, 0.8);
  EXPECT_FALSE(findChart(wedge.picture, chartOf({ChartKind::Colour24, 0, 0, 0}), 1));
}

TEST(PlaceChart, CornersCarryEveryPatchAlongAndBack) {
  const Chart wedge = chartOf({ChartKind::Wedge, 21, 7, 1});
  EXPECT_EQ(wedge.patches.size(), 21U);
  const Quad to = {{{100, 60}, {500, 90}, {480, 300}, {90, 280}}};
  const Chart placed = placedOn(wedge, to, 640, 360);
  EXPECT_EQ(placed.outline->at(2).x, 480);
  const Chart back = placedOn(placed, *wedge.outline, wedge.referenceWidth, wedge.referenceHeight);
  for (size_t i = 0; i < wedge.patches.size(); ++i)
    for (size_t k = 0; k < 4; ++k) {
      EXPECT_NEAR(back.patches[i].corners[k].x, wedge.patches[i].corners[k].x, 1e-6);
      EXPECT_NEAR(back.patches[i].corners[k].y, wedge.patches[i].corners[k].y, 1e-6);
    }
  // A chart file without an outline has one: around its patches, beginning at the first.
  Chart bare = placed;
  bare.outline.reset();
  EXPECT_NEAR(outlineOf(bare)[0].x, placed.patches[0].corners[0].x, 15);
  const Quad box = uprightFrom({10, 80}, {50, 20});
  EXPECT_EQ(box[0].x, 10);
  EXPECT_EQ(box[0].y, 20);
  const Quad quarter = turned(box, 90);
  EXPECT_NEAR(quarter[0].x, 60, 1e-9);
  EXPECT_NEAR(quarter[0].y, 30, 1e-9);
}

TEST(PlaceChart, RefusesWhatIsNoPlace) {
  const Chart wedge = chartOf({});
  EXPECT_THROW((void)placedOn(wedge, {{{0, 0}, {100, 0}, {0, 100}, {100, 100}}}, 640, 360), Error);
  EXPECT_THROW((void)placedOn(wedge, {{{-50, 0}, {100, 0}, {100, 100}, {-50, 100}}}, 640, 360), Error);
  EXPECT_THROW((void)chartOf({ChartKind::Wedge, 1, 1, 1}), Error);
  EXPECT_THROW((void)chartOf({ChartKind::Wedge, 4, 5, 1}), Error);
  EXPECT_THROW((void)chartOf({ChartKind::Wedge, 4, 1, -1}), Error);
  EXPECT_THROW((void)outlineOf(Chart()), Error);
}

TEST(PlaceChart, FacePartsLieInsideTheBoxOfTheFace) {
  const Quad box = uprightFrom({200, 100}, {320, 260});
  const auto parts = faceRegions(box, "left head");
  ASSERT_EQ(parts.size(), 3U);
  EXPECT_EQ(parts[0].name, "left head forehead");
  for (const auto& p : parts) {
    EXPECT_EQ(p.role, "skin");
    for (const auto& c : p.corners) EXPECT_TRUE(c.x > 200 && c.x < 320 && c.y > 100 && c.y < 260);
  }
}

std::vector<std::vector<float>> thumbs(int frames) {
  RandomStream random(3, 1, 1);
  std::vector<std::vector<float>> out;
  for (int n = 0; n < frames; ++n) {
    std::vector<float> t;
    for (int c = 0; c < 576; ++c)
      t.push_back(static_cast<float>(0.2 + 0.001 * c + 0.002 * (random.uniform() - 0.5)));
    out.push_back(t);
  }
  return out;
}

TEST(SteadyPart, BeginsAfterTheHandAndEndsBeforeTheBlink) {
  auto t = thumbs(40);
  for (int n = 0; n < 6; ++n)  // a hand leaves the picture, smaller with every frame
    for (int c = 0; c < 200 - 30 * n; ++c) t[static_cast<size_t>(n)][static_cast<size_t>(c)] += 0.3F;
  for (auto& v : t[30]) v *= 1.3F;  // a lamp blinks
  const FrameWindow w = steadyPart(t);
  EXPECT_NEAR(static_cast<double>(w.first), 6, 1);
  EXPECT_EQ(w.first + w.count, 30);
}

TEST(SteadyPart, DriftAndFlickerAreTheClipsOwn) {
  EXPECT_EQ(steadyPart(thumbs(40)).count, 0);
  auto drift = thumbs(40), flicker = thumbs(40);
  for (size_t n = 0; n < 40; ++n)
    for (size_t c = 0; c < 576; ++c) {
      drift[n][c] *= 1 + 0.002F * static_cast<float>(n);
      flicker[n][c] *= n % 2 ? 1.02F : 0.98F;
    }
  EXPECT_EQ(steadyPart(drift).first, 0);
  EXPECT_EQ(steadyPart(drift).count, 0);
  EXPECT_EQ(steadyPart(flicker).first, 0);
  EXPECT_EQ(steadyPart(flicker).count, 0);
  EXPECT_EQ(steadyPart({}).first, 0);
}

}  // namespace
}  // namespace edge
