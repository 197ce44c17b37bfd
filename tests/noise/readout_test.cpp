// Readout from strobe bars: rows integrated in closed form over a flashing lamp, at random frequencies,
// readouts, duty, shutter, shading and noise; and through a real encoder.
#include "noise/readout.h"

#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "noise/plain_series.h"
#include "noise/store.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge {
namespace {

struct Strobe {
  double hz = 500, duty = 0.3, shutter = 1 / 2000.0, fps = 25, readout = 0.012;  // seconds
  bool down = true;
  double shade = 0.3, noise = 0.002;
  int rows = 720, frames = 8;
  double phase = 0.2;

  // Flashes seen by a row that opens at this time, over a full shutter of light.
  [[nodiscard]] double seen(double open) const {
    const auto lit = [&](double t) {  // integral of the lamp from 0 to t
      const double cycles = t * hz + phase, whole = std::floor(cycles);
      return (whole * duty + std::min(cycles - whole, duty)) / hz;
    };
    return (lit(open + shutter) - lit(open)) / shutter;
  }
  [[nodiscard]] double rowsPerPeriod() const { return rows / (readout * hz); }
  [[nodiscard]] RowTraces traces(std::mt19937_64& random) const {
    std::normal_distribution<double> normal;
    RowTraces t{fps, rows, 1, {}};
    for (int f = 0; f < frames; ++f) {
      auto& trace = t.frames.emplace_back();
      for (int y = 0; y < rows; ++y) {
        const double order = down ? y : rows - 1 - y;
        const double wall = 1 - shade * std::pow(2.0 * y / rows - 1, 2);
        trace.push_back(wall * (0.2 * seen(f / fps + readout * order / rows) + 0.02) +
                        0.2 * noise * normal(random));
      }
    }
    return t;
  }
};

Strobe randomStrobe(std::mt19937_64& random) {
  std::uniform_real_distribution<double> u(0, 1);
  Strobe s;
  s.fps = 24 + 26 * (random() % 2);
  s.readout = (0.2 + 0.75 * u(random)) / s.fps;
  s.hz = (2.5 + 12 * u(random)) / s.readout;
  s.duty = 0.05 + 0.5 * u(random);
  s.shutter = (0.05 + 0.5 * u(random)) / s.hz;
  s.down = u(random) < 0.7;
  s.shade = 0.5 * u(random);
  s.noise = 0.01 * u(random);
  s.rows = 360 + static_cast<int>(random() % 1800);
  s.phase = u(random);
  return s;
}

double moves(const Strobe& s) {
  const double p = s.hz / s.fps;
  return p - std::round(p);
}

TEST(Readout, OfRandomStrobesIsRightWithinItsError) {
  std::mt19937_64 random(41);
  constexpr int kStrobes = 100;
  int within2 = 0, directions = 0, wrong = 0, asked = 0;
  double worst = 0, sum = 0;
  for (int i = 0; i < kStrobes; ++i) {
    const Strobe s = randomStrobe(random);
    const Readout r = readoutOf(s.traces(random), s.hz);
    ASSERT_TRUE(r.milliseconds) << i << ": " << s.hz << " Hz, " << s.readout << " s, " << s.rows << " rows";
    const double off = std::abs(*r.milliseconds - 1000 * s.readout) / (1000 * s.readout);
    worst = std::max(worst, off);
    sum += off;
    within2 += std::abs(*r.milliseconds - 1000 * s.readout) <= 2 * r.millisecondsSigma;
    EXPECT_LT(off, 0.01) << i;
    if (std::abs(moves(s)) < 0.03 || std::abs(moves(s)) > 0.47) continue;
    ++asked;
    if (!r.direction) continue;
    const bool right =
        r.direction == (s.down ? ReadoutDirection::TopToBottom : ReadoutDirection::BottomToTop);
    ++(right ? directions : wrong);
  }
  std::printf(
      "100 readouts: mean error %.4f %%, worst %.3f %%, within 2 sigma %d, direction %d of %d, %d wrong\n",
      100 * sum / kStrobes, 100 * worst, within2, directions, asked, wrong);
  EXPECT_GE(within2, 85);
  EXPECT_EQ(wrong, 0);
  EXPECT_GE(directions, asked * 95 / 100);
}

TEST(Readout, BarsThatStandStillAreMeasuredAndHaveNoDirection) {
  std::mt19937_64 random(42);
  Strobe s;
  s.hz = 20 * s.fps;
  const Readout r = readoutOf(s.traces(random), s.hz);
  ASSERT_TRUE(r.milliseconds);
  EXPECT_NEAR(*r.milliseconds, 12, 0.05);
  EXPECT_FALSE(r.direction);
  EXPECT_TRUE(r.warnings.empty());
}

TEST(Readout, WithoutBarsThereIsNone) {
  std::mt19937_64 random(43);
  Strobe s;
  s.duty = 1;  // a lamp that does not flash
  const Readout even = readoutOf(s.traces(random), 500);
  EXPECT_FALSE(even.milliseconds);
  ASSERT_EQ(even.warnings.size(), 1U);
  EXPECT_EQ(even.warnings[0].code, "no-bars");
  EXPECT_FALSE(readoutOf({25, 4, 1, {{0, 0, 0, 0}}}, 500).milliseconds);
  EXPECT_FALSE(readoutOf({25, 0, 1, {}}, 500).milliseconds);
}

// Bars that move by a third of a period a frame move by two over a frame that is missing: as they would the
// other way.
TEST(Readout, AMissingFrameTurnsNoDirection) {
  std::mt19937_64 random(47);
  Strobe s;
  s.hz = (20 + 1 / 3.0) * s.fps;
  s.frames = 5;
  RowTraces t = s.traces(random);
  EXPECT_EQ(readoutOf(t, s.hz).direction, ReadoutDirection::TopToBottom);
  for (const int damaged : {3, 1}) t.frames.erase(t.frames.begin() + damaged);
  EXPECT_EQ(readoutOf(t, s.hz).direction, ReadoutDirection::BottomToTop) << "unless it is told";
  t.missing = {2, 1};
  const Readout r = readoutOf(tracesFromJson(toJson(t)), s.hz);
  EXPECT_FALSE(r.direction);
  ASSERT_TRUE(r.milliseconds);
  EXPECT_NEAR(*r.milliseconds, 12, 0.05);
  EXPECT_TRUE(test::warns(r.warnings, kTruncated));
  t.missing = {2, {}};
  EXPECT_TRUE(readoutOf(t, s.hz).direction) << "of a clip that only ends early frames follow each other";
}

TEST(Readout, AFrequencyThatWasNotTheStrobesIsSaid) {
  std::mt19937_64 random(44);
  Strobe s;
  s.hz = 507;
  const auto says = [](const Readout& r, const std::string& code) {
    return std::any_of(r.warnings.begin(), r.warnings.end(),
                       [&](const Warning& w) { return w.code == code; });
  };
  const RowTraces t = s.traces(random);
  EXPECT_TRUE(says(readoutOf(t, 511), "strobe-mismatch"));
  EXPECT_TRUE(says(readoutOf(t, 100), "impossible-readout"));
  EXPECT_TRUE(readoutOf(t, 507).warnings.empty());
}

// What stands before the lens has edges of its own: the bars still move, it does not.
TEST(Readout, AChartBeforeTheLensDoesNotMislead) {
  std::mt19937_64 random(45);
  Strobe s;
  s.hz = 507;
  RowTraces t = s.traces(random);
  for (auto& frame : t.frames)
    for (size_t y = 0; y < frame.size(); ++y) frame[y] *= (y / 90) % 2 ? 1 : 0.4;
  const Readout r = readoutOf(t, s.hz);
  ASSERT_TRUE(r.rowsPerPeriod);
  EXPECT_NEAR(*r.rowsPerPeriod, s.rowsPerPeriod(), 0.02 * s.rowsPerPeriod());
}

TEST(Readout, ThroughARealEncoderItIsTheSame) {
  const test::TempFolder folder;
  Strobe s;
  s.hz = 310;
  test::Footage f;
  f.camera.frames = 6;
  f.camera.well = 20000;
  f.width = 64;
  f.height = s.rows;
  std::mt19937_64 random(46);
  f.frames.assign(6, {});
  for (int k = 0; k < 6; ++k) {
    test::Footage one = f;
    one.camera.frames = 1;
    test::photograph(one, random,
                     [&](int, int y) { return 0.2 * s.seen(k / 24.0 + s.readout * y / s.rows) + 0.01; });
    f.frames[static_cast<size_t>(k)] = one.frames[0];
  }
  test::record(f, folder.path() / "strobe.mkv", test::checked());
  test::writeLogCurve(folder.path() / "log.json");
  const auto reader = openClip(folder.path() / "strobe.mkv");
  DecodeOptions decode;
  decode.curve = (folder.path() / "log.json").string();
  const RowTraces t = measureRows(*reader, decode, {}, Progress());
  EXPECT_EQ(t.rows, s.rows);
  EXPECT_NEAR(t.fps, 24, 1e-6);
  const Readout r = readoutOf(t, s.hz);
  ASSERT_TRUE(r.milliseconds);
  EXPECT_NEAR(*r.milliseconds, 12, std::max(0.02, 3 * r.millisecondsSigma));
  EXPECT_EQ(r.direction, ReadoutDirection::TopToBottom);
  EXPECT_FALSE(test::warns(r.warnings, kTruncated));
  test::flipABit(folder.path() / "strobe.mkv");
  const RowTraces damaged = measureRows(*openClip(folder.path() / "strobe.mkv"), decode, {}, Progress());
  EXPECT_EQ(damaged.frames.size(), 5U);
  const Readout told = readoutOf(damaged, s.hz);
  ASSERT_TRUE(told.milliseconds);
  EXPECT_NEAR(*told.milliseconds, 12, std::max(0.02, 3 * told.millisecondsSigma));
  EXPECT_FALSE(told.direction);
  EXPECT_TRUE(test::warns(told.warnings, kTruncated));
}

}  // namespace
}  // namespace edge
