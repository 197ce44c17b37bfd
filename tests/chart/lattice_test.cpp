// Charts of which nothing is known. Truth is the geometry that each picture is drawn from, here and not in
// src/simulate: a plane chart under a projective camera, sixteen samples a pixel, veil, clip and noise.
#include "chart/lattice.h"

#include <gtest/gtest.h>

#include <cmath>
#include <numbers>
#include <random>

#include "chart/place.h"
#include "support/support.h"

namespace edge {
namespace {

struct Wedge {
  int rows = 1, perRow = 14, steps = 14;
  double stopsPerStep = 1, gap = 0.15;  // of a patch
  double aspect = 1;                    // a patch's height to its width
  double degrees = 0, tilt = 0;         // turned, and seen at an angle
  double fill = 0.85;                   // of the picture's width
  double clipped = 0.5;                 // stops of the first step above the clip
  double noise = 3e-5, veil = 0;        // of the clip
  bool serpentine = false, clutter = false;
};

struct Drawn {
  LumaPicture picture;
  std::vector<Point> middles;  // of the patches, in falling light
};

Drawn draw(const Wedge& s, unsigned seed, int width = 640, int height = 360) {
  const double pitchX = 1 + s.gap, pitchY = s.aspect + s.gap;
  const double chartW = s.perRow * pitchX - s.gap, chartH = s.rows * pitchY - s.gap;
  const double a = s.degrees * std::numbers::pi / 180, ca = std::cos(a), sa = std::sin(a);
  const double spanX = std::abs(ca) * chartW + std::abs(sa) * chartH,
               spanY = std::abs(sa) * chartW + std::abs(ca) * chartH;
  const double scale = std::min(s.fill * width / spanX, 0.8 * height / spanY);
  const auto toPicture = [&](double u, double v) {  // u, v from the chart's middle, in patches
    const double w = 1 + s.tilt * u / chartW;
    const double x = scale * u / w, y = scale * v / w;
    return Point{width / 2.0 + ca * x - sa * y, height / 2.0 + sa * x + ca * y};
  };
  const auto toChart = [&](double px, double py) {
    const double dx = px - width / 2.0, dy = py - height / 2.0;
    const double x = (ca * dx + sa * dy) / scale, y = (-sa * dx + ca * dy) / scale;
    const double w = 1 / (1 - s.tilt * x / chartW);
    return Point{x * w + chartW / 2, y * w + chartH / 2};
  };
  const auto columnOf = [&](int k) {
    const int row = k / s.perRow, i = k % s.perRow;
    return s.serpentine && row % 2 == 1 ? s.perRow - 1 - i : i;
  };
  Drawn d;
  d.picture = {width, height, std::vector<float>(static_cast<size_t>(width) * height)};
  std::mt19937 random(seed);
  std::normal_distribution<double> normal;
  const double first = std::exp2(s.clipped);
  std::vector<double> lightAt(static_cast<size_t>(s.rows) * static_cast<size_t>(s.perRow), 0.0);
  for (int k = 0; k < s.steps; ++k) {
    const int row = k / s.perRow, column = columnOf(k);
    lightAt[static_cast<size_t>(row * s.perRow + column)] = first * std::exp2(-k * s.stopsPerStep);
    d.middles.push_back(
        toPicture(column * pitchX + 0.5 - chartW / 2, row * pitchY + s.aspect / 2 - chartH / 2));
  }
  for (int y = 0; y < height; ++y)
    for (int x = 0; x < width; ++x) {
      double light = 0;
      for (int j = 0; j < 4; ++j)
        for (int i = 0; i < 4; ++i) {
          const Point p = toChart(x + (i + 0.5) / 4, y + (j + 0.5) / 4);
          const int column = static_cast<int>(std::floor(p.x / pitchX)),
                    row = static_cast<int>(std::floor(p.y / pitchY));
          if (column >= 0 && row >= 0 && column < s.perRow && row < s.rows && p.x - column * pitchX < 1 &&
              p.y - row * pitchY < s.aspect)
            light += lightAt[static_cast<size_t>(row * s.perRow + column)] / 16;
        }
      if (s.clutter && y > 0.94 * height) light += 0.02 * (1 + x / 400.0);  // the table's edge
      if (s.clutter && std::hypot(x - 20, y - 24) < 9) light += 0.3;        // a lamp of the set
      light += s.veil * (0.6 + 0.8 * x / width);
      const double noise = std::sqrt(s.noise * s.noise + 2e-6 * light) * normal(random);
      d.picture.luma[static_cast<size_t>(y) * width + x] = static_cast<float>(std::min(1.0, light + noise));
    }
  return d;
}

// Whether patches are where they are, first to last: all whose light stands over the noise, none that is
// none.
bool isRight(const std::optional<FoundLattice>& f, const Drawn& d, const Wedge& s, std::string* why) {
  if (!f || !f->falling) return *why = f ? "no falling light" : "nothing found", false;
  const double pitch = std::hypot(d.middles[1].x - d.middles[0].x, d.middles[1].y - d.middles[0].y);
  for (size_t k = 0; k < f->chart.patches.size(); ++k) {
    if (k >= d.middles.size()) return *why = "more patches than there are", false;
    const Point m = middleOf(f->chart.patches[k].corners);
    if (std::hypot(m.x - d.middles[k].x, m.y - d.middles[k].y) > 0.2 * pitch)
      return *why = "patch " + std::to_string(k + 1) + " elsewhere, of " + std::to_string(f->rows) + " x " +
                    std::to_string(f->perRow),
             false;
  }
  // A step four times over the noise of its pixels stands out to anyone.
  size_t plain = 0;
  for (int k = 0; k < s.steps; ++k)
    plain += std::exp2(s.clipped - k * s.stopsPerStep) > 4 * s.noise + 0.1 * s.veil;
  if (f->chart.patches.size() + 1 < plain)
    return *why = std::to_string(f->chart.patches.size()) + " of " + std::to_string(plain), false;
  return true;
}

TEST(FindLattice, SixtyWedgesInOneRow) {
  std::mt19937 random(15);
  const auto between = [&](double a, double b) {
    return std::uniform_real_distribution<double>(a, b)(random);
  };
  int right = 0, steps = 0, stepsRight = 0;
  for (unsigned n = 0; n < 60; ++n) {
    Wedge s;
    s.perRow = s.steps = static_cast<int>(between(9, 22));
    s.stopsPerStep = n % 3 == 0 ? 0.5 : n % 3 == 1 ? 1 : 2.0 / 3;
    s.gap = n % 2 == 0 ? 0 : between(0.05, 0.5);  // half of them strips whose steps touch
    s.aspect = between(1, 2.5);
    s.degrees = (n % 4 == 3 ? 90 : 0) + (n % 5 == 0 ? 180 : 0) + between(-8, 8);
    s.fill = between(0.7, 0.92), s.tilt = between(-0.15, 0.15);
    s.clipped = between(-0.3, 2.2), s.noise = std::exp2(between(-16, -12));
    s.veil = n % 3 == 0 ? std::exp2(between(-13, -10)) : 0, s.clutter = n % 2 == 1;
    const Drawn d = draw(s, n, 960, 540);
    const auto f = findLattice(d.picture, 1);
    std::string why;
    const bool is = isRight(f, d, s, &why);
    right += is;
    if (!is)
      std::printf("  row %u, %d steps of %.2f, gap %.2f, %.0f degrees: %s\n", n, s.steps, s.stopsPerStep,
                  s.gap, s.degrees, why.c_str());
    if (is && f->step) ++steps, stepsRight += std::abs(f->step->stops / s.stopsPerStep - 1) < 0.03;
  }
  std::printf("wedges of one row: %d of 60; their step %d of %d\n", right, stepsRight, steps);
  EXPECT_GE(right, 57);
  EXPECT_GE(stepsRight, steps * 95 / 100);
}

TEST(FindLattice, RowsOfAnyNumberEitherWayRound) {
  std::mt19937 random(16);
  const auto between = [&](double a, double b) {
    return std::uniform_real_distribution<double>(a, b)(random);
  };
  int right = 0;
  for (unsigned n = 0; n < 30; ++n) {
    Wedge s;
    s.rows = 2 + static_cast<int>(n % 3), s.perRow = static_cast<int>(between(4, 9));
    s.steps = s.rows * s.perRow - static_cast<int>(n % 3);
    s.stopsPerStep = n % 2 == 0 ? 1 : 0.5;
    s.gap = n % 4 == 0 ? 0 : between(0.1, 0.4), s.aspect = between(0.7, 1.4);
    s.degrees = (n % 5 == 0 ? 180 : n % 7 == 0 ? 90 : 0) + between(-10, 10);
    s.tilt = between(-0.2, 0.2), s.serpentine = n % 2 == 1, s.clutter = n % 3 == 0;
    s.clipped = between(0, 1.5), s.noise = std::exp2(between(-15, -12));
    const Drawn d = draw(s, n, 960, 540);
    const auto f = findLattice(d.picture, 1);
    std::string why;
    const bool is = isRight(f, d, s, &why);
    right += is;
    if (!is)
      std::printf("  rows %u: %d x %d, %d steps of %.2f, gap %.2f, %.0f degrees%s: %s\n", n, s.rows, s.perRow,
                  s.steps, s.stopsPerStep, s.gap, s.degrees, s.serpentine ? ", to and fro" : "", why.c_str());
  }
  std::printf("wedges of several rows: %d of 30\n", right);
  EXPECT_GE(right, 28);
}

TEST(FindLattice, OrderIsAllThatIsNeededNotTheCurve) {
  Wedge s;
  s.rows = 3, s.perRow = 7, s.steps = 21;
  Drawn d = draw(s, 3);
  for (auto& v : d.picture.luma)
    v = static_cast<float>(std::log2(1 + std::max(0.0F, v) * 4000) / 12);  // a log picture
  const auto f = findLattice(d.picture, 2);
  std::string why;
  for (auto& m : d.middles) m = {2 * m.x, 2 * m.y};
  EXPECT_TRUE(isRight(f, d, s, &why)) << why;
}

TEST(FindLattice, NothingWhereNoChartIs) {
  std::mt19937 random(17);
  std::normal_distribution<float> normal;
  LumaPicture noise{640, 360, std::vector<float>(640 * 360)};
  for (auto& v : noise.luma) v = 0.2F + 0.02F * normal(random);
  EXPECT_FALSE(findLattice(noise, 1));
  EXPECT_FALSE(findLattice({}, 1));
  // Windows of a house at night: areas of one size here and there, lit by chance. No wedge is seen in them.
  LumaPicture windows{640, 360, std::vector<float>(640 * 360, 0.01F)};
  for (int k = 0; k < 14; ++k) {
    const int x = 40 + static_cast<int>(random() % 540), y = 30 + static_cast<int>(random() % 280);
    for (int j = 0; j < 24; ++j)
      for (int i = 0; i < 24; ++i)
        windows.luma[static_cast<size_t>(y + j) * 640 + static_cast<size_t>(x + i)] =
            0.1F * static_cast<float>(1 + k % 5);
  }
  EXPECT_FALSE(findLattice(windows, 1));
}

}  // namespace
}  // namespace edge
