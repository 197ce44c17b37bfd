// Ladder and push pair: zones, crossings and differences against arithmetic of a plain camera; grain against
// filters of known autocorrelation; what can't be compared is refused. EDGE_STUDY=100 runs the full study.
#include "noise/ladder.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "noise/plain_series.h"

namespace edge {
namespace {

using namespace test;

int studySize(int standard) {
  const char* wanted = std::getenv("EDGE_STUDY");
  return wanted ? std::atoi(wanted) : standard;
}

std::vector<std::vector<float>> white(int n, int side, std::mt19937_64& random) {
  std::normal_distribution<double> normal;
  std::vector<std::vector<float>> frames(static_cast<size_t>(n));
  for (auto& f : frames)
    for (int i = 0; i < side * side; ++i) f.push_back(static_cast<float>(normal(random)));
  return frames;
}

// White noise has grains of one pixel; summed cells of 2 x 2 have an autocorrelation whose sum is 4 (a
// triangle of two in each direction: 1/2 + 1 + 1/2), of 3 x 3 one of 9.
TEST(Grain, IsTheSideOfTheCellThatWasSummed) {
  std::mt19937_64 random(1);
  constexpr int side = 96;
  const auto noise = white(16, side, random);
  EXPECT_NEAR(grainOf(noise, side, side).value(), 1, 0.05);
  for (int cell : {2, 3}) {
    std::vector<std::vector<float>> summed;
    const int out = side - cell + 1;
    for (const auto& f : noise) {
      auto& s = summed.emplace_back();
      for (int y = 0; y < out; ++y)
        for (int x = 0; x < out; ++x) {
          float sum = 0;
          for (int v = 0; v < cell; ++v)
            for (int u = 0; u < cell; ++u) sum += f[static_cast<size_t>((y + v) * side + x + u)];
          s.push_back(sum);
        }
    }
    EXPECT_NEAR(grainOf(summed, out, out).value(), cell, 0.08 * cell);
  }
  EXPECT_FALSE(grainOf({std::vector<float>(16)}, 4, 4)) << "nothing changes";
}

TEST(Grain, HueFollowsTheLongerAxis) {
  EXPECT_EQ(hueWords(4, 1, 0), "magenta-green");
  EXPECT_EQ(hueWords(1, 9, 0), "yellow-blue");
  EXPECT_EQ(hueWords(5, 5, 4.5), "red-cyan");
  EXPECT_EQ(hueWords(5, 5, -4.5), "purple-green");
  EXPECT_EQ(hueWords(5, 5, 0), "all hues");
}

struct Ladder {
  GreyRow row;
  double read = 3;
  std::vector<double> isos;
};

Ladder randomLadder(std::mt19937_64& random) {
  std::uniform_real_distribution<double> u(0, 1);
  Ladder l;
  l.row.camera.well = std::exp2(18 + 2 * u(random));  // at ISO 100: a log curve has little room below black
  l.row.camera.frames = 8;
  l.row.baseScale = 3 + 2 * u(random);
  l.read = 1.5 + 2.5 * u(random);
  for (int i = 0; i < 6; ++i) l.isos.push_back(400 * std::exp2(i));
  return l;
}

LadderMeasure shoot(const Ladder& l, const fs::path& folder, std::mt19937_64& random) {
  Series s = l.row.series(folder, "iso-ladder");
  for (double iso : l.isos) {
    const fs::path clip = folder / fmt::format("iso{:.0f}.mkv", iso);
    l.row.shoot(clip, iso / 100, 0, l.read, random, lossless(10, Sampling::Full444));
    s.takes.push_back(takeAt(fmt::format("{:.0f}", iso), clip, -std::log2(iso / l.isos[0]), iso));
  }
  return measureLadder(s, Progress());
}

// ISO at which the zone's SNR falls to a limit.
double crossingOf(const Ladder& l, double zoneStops, double limit) {
  double low = std::log2(l.isos.front() / 100), high = std::log2(l.isos.back() / 100);
  for (int i = 0; i < 40; ++i) {
    const double middle = (low + high) / 2;
    (l.row.snr(l.row.lightAt(zoneStops, std::exp2(middle), 0), l.read) > limit ? low : high) = middle;
  }
  return 100 * std::exp2(low);
}

TEST(LadderStudy, ZonesAndCrossingsAreThoseOfTheCamera) {
  const int n = studySize(2);
  const TempFolder folder;
  std::mt19937_64 random(51);
  double worstSnr = 0, worstLuma = 0, worstChroma = 0, worstCrossing = 0;
  int crossings = 0, inside = 0;
  for (int i = 0; i < n; ++i) {
    const Ladder l = randomLadder(random);
    const LadderMeasure m = shoot(l, folder.path(), random);
    ASSERT_EQ(m.takes.size(), l.isos.size());
    for (size_t t = 0; t < m.takes.size(); ++t) {
      PlainCamera camera = l.row.camera;
      camera.read = l.read;
      const double gain = l.isos[t] / 100;
      camera.scale = l.row.baseScale * gain;
      for (const auto& z : m.takes[t].zones) {
        EXPECT_EQ(z.stops, nominalStops(z.zone));
        const double light = l.row.lightAt(z.stops, gain, 0);
        ASSERT_TRUE(z.snr[kY] && z.seen);
        worstSnr = std::max(worstSnr, std::abs(*z.snr[kY] / l.row.snr(light, l.read) - 1));
        std::mt19937_64 same(5);
        const SeenTruth seen = noiseAt(camera, light, 0);
        worstLuma = std::max(worstLuma, std::abs(z.seen->luma / seen.luma - 1));
        worstChroma = std::max(worstChroma, std::abs(z.seen->chroma / seen.chroma - 1));
      }
    }
    for (const auto& c : crossingsOf(m, CriteriaProfile())) {
      if (c.figure != LadderFigure::Snr || c.end != Crossing::End::Between) continue;
      const double off = std::abs(std::log2(c.iso / crossingOf(l, nominalStops(c.zone), c.limit)));
      worstCrossing = std::max(worstCrossing, off);
      ++crossings;
      inside += off <= 2 * c.sigma;
    }
  }
  std::printf(
      "%d ladders: worst SNR %.1f %%, luma %.1f %%, chroma %.1f %%; %d crossings, worst %.3f stop, %d in 2 "
      "sigma\n",
      n, 100 * worstSnr, 100 * worstLuma, 100 * worstChroma, crossings, worstCrossing, inside);
  EXPECT_LT(worstSnr, 0.06);
  EXPECT_LT(worstLuma, 0.06);
  EXPECT_LT(worstChroma, 0.06);
  EXPECT_GT(crossings, 0);
  EXPECT_LT(worstCrossing, 0.12);
}

TEST(Ladder, NoiseIsLessAtACoarserRasterAndSaysWhereItIsSeen) {
  const TempFolder folder;
  std::mt19937_64 random(52);
  Ladder l = randomLadder(random);
  l.isos = {800};
  Series s = l.row.series(folder.path(), "iso-ladder");
  const fs::path clip = folder.path() / "a.mkv";
  l.row.shoot(clip, 8, 0, l.read, random, lossless(10, Sampling::Full444));
  s.takes.push_back(takeAt("a", clip, 0, 800));
  const LadderMeasure full = measureLadder(s, Progress());
  s.delivery.raster = Raster{GreyRow::kSide * GreyRow::kCount / 2, GreyRow::kSide / 2};
  const LadderMeasure half = measureLadder(s, Progress());
  EXPECT_EQ(half.rasterWidth, full.rasterWidth / 2);
  // Means of four independent pixels: half the noise.
  EXPECT_NEAR(half.takes[0].zones[1].seen->luma / full.takes[0].zones[1].seen->luma, 0.5, 0.02);
}

// Noise is a power of ISO between two takes: from 1 at ISO 400 to 4 at 1600 it meets 2.2 after log4 2.2 of
// two stops.
TEST(Ladder, ACrossingLiesWhereAPowerOfIsoMeetsTheLimit) {
  LadderMeasure m;
  for (const auto& [iso, luma] : {std::pair(400.0, 1.0), std::pair(1600.0, 4.0)}) {
    ZonesOfTake t;
    t.iso = iso;
    for (int z = 0; z < kZones; ++z) {
      ZoneNoise zone;
      zone.zone = static_cast<Zone>(z);
      zone.seen = SeenNoise{};
      zone.seen->luma = luma;
      t.zones.push_back(zone);
    }
    m.takes.push_back(t);
  }
  const CriteriaProfile p;
  int found = 0;
  for (const auto& c : crossingsOf(m, p)) {
    if (c.figure != LadderFigure::Luma || c.limit != p[Criterion::LumaNoise].clean) continue;
    ++found;
    EXPECT_EQ(c.end, Crossing::End::Between);
    EXPECT_NEAR(c.iso, 400 * std::exp2(2 * std::log(2.2) / std::log(4.0)), 0.01);
  }
  EXPECT_EQ(found, kZones);
}

struct Shots {
  double isoA = 400, isoB = 1600, readA = 4, readB = 4, stopsB = 0;  // at constant light
};

LadderMeasure pair(const GreyRow& row, const Shots& p, const fs::path& folder, std::mt19937_64& random) {
  Series s = row.series(folder, "pair");
  row.shoot(folder / "a.mkv", p.isoA / 100, 0, p.readA, random, lossless(10, Sampling::Full444));
  row.shoot(folder / "b.mkv", p.isoB / 100, std::log2(p.isoB / p.isoA) + p.stopsB, p.readB, random,
            lossless(10, Sampling::Full444));
  s.takes = {takeAt("a", folder / "a.mkv", 0, p.isoA), takeAt("b", folder / "b.mkv", 0, p.isoB)};
  return measureLadder(s, Progress());
}

TEST(PairStudy, TheDifferenceIsThatOfTheCircuits) {
  const int n = studySize(6);
  const TempFolder folder;
  std::mt19937_64 random(53);
  std::uniform_real_distribution<double> u(0, 1);
  int inside1 = 0, inside2 = 0, same = 0, sameSaid = 0, other = 0, otherSaid = 0;
  double worst = 0;
  for (int i = 0; i < n; ++i) {
    GreyRow row;
    row.camera.well = std::exp2(15.5 + 1.5 * u(random));
    row.camera.frames = 8;
    Shots p;
    p.readA = 3 + 3 * u(random);
    p.readB = i % 3 ? 1 + 2 * u(random) : p.readA;
    const auto found = pairOf(pair(row, p, folder.path(), random));
    ASSERT_TRUE(found && found->differenceStops);
    const double light = row.lightAt(-3, p.isoA / 100, 0);
    const double truth = std::log2(row.snr(light, p.readB) / row.snr(light, p.readA));
    const double off = std::abs(*found->differenceStops - truth);
    worst = std::max(worst, off);
    inside1 += off <= found->sigma;
    inside2 += off <= 2 * found->sigma;
    if (i % 3 == 0) {
      ++same;
      sameSaid += found->cleaner == "equal" && found->byConstruction;
    } else if (truth > 0.1) {
      ++other;
      otherSaid += found->cleaner == "b" && !found->byConstruction;
    }
  }
  std::printf("%d pairs: worst %.3f stop, %d in 1 sigma, %d in 2; equal said %d of %d, cleaner %d of %d\n", n,
              worst, inside1, inside2, sameSaid, same, otherSaid, other);
  EXPECT_LT(worst, 0.08);
  EXPECT_GE(inside2, n * 9 / 10);
  EXPECT_EQ(sameSaid, same);
  EXPECT_EQ(otherSaid, other);
}

// Which take is listed first changes nothing of what is seen of either, nor of which is cleaner.
TEST(PairStudy, TheOrderOfTheTakesMisleadsNobody) {
  const int n = studySize(4);
  const TempFolder folder;
  std::mt19937_64 random(91);
  std::uniform_real_distribution<double> u(0, 1);
  for (int i = 0; i < n; ++i) {
    GreyRow row;
    row.camera.well = std::exp2(15.5 + 1.5 * u(random));
    row.camera.frames = 8;
    const double read = 3 + 3 * u(random);
    Series s = row.series(folder.path(), "pair");
    const auto shoot = [&](const char* name, double iso, double stops) {
      row.shoot(folder / (std::string(name) + ".mkv"), iso / 100, stops, read, random,
                lossless(10, Sampling::Full444));
      return takeAt(name, folder / (std::string(name) + ".mkv"), 0, iso);
    };
    const TakeSpec low = shoot("low", 400, 0), high = shoot("high", 1600, 2);
    s.takes = {low, high};
    const LadderMeasure one = measureLadder(s, Progress());
    s.takes = {high, low};
    const LadderMeasure other = measureLadder(s, Progress());
    const auto a = pairOf(one), b = pairOf(other);
    ASSERT_TRUE(a && b && a->differenceStops && b->differenceStops);
    EXPECT_NEAR(*a->differenceStops, -*b->differenceStops, 1e-9);
    EXPECT_EQ(a->cleaner, "equal") << *a->differenceStops << " +-" << a->sigma;
    EXPECT_TRUE(a->byConstruction);
    for (size_t z = 0; z < kZones; ++z) {
      ASSERT_EQ(one.takes[1].zones[z].seen.has_value(), other.takes[0].zones[z].seen.has_value());
      ASSERT_TRUE(one.takes[0].zones[z].seen && one.takes[1].zones[z].seen);
      EXPECT_NEAR(one.takes[1].zones[z].seen->luma, other.takes[0].zones[z].seen->luma, 1e-9) << z;
      EXPECT_NEAR(one.takes[0].zones[z].seen->luma, other.takes[1].zones[z].seen->luma, 1e-9) << z;
    }
    EXPECT_NEAR(one.takes[1].brightness, 2, 0.05);
    EXPECT_NEAR(other.takes[1].brightness, -2, 0.05);
  }
}

// A log curve has little room below black: what is cut off there must not pass for a quiet camera.
TEST(Ladder, NoiseCutOffAtBlackIsSaidAndHasNoSnr) {
  const TempFolder folder;
  std::mt19937_64 random(57);
  Ladder l = randomLadder(random);
  l.row.camera.well = 4096;
  l.isos = {12800};
  const LadderMeasure m = shoot(l, folder.path(), random);
  EXPECT_TRUE(warns(m.warnings, "clamped-black"));
  EXPECT_FALSE(m.takes[0].zones[0].snr[kY]);
}

TEST(Ladder, DifferentRastersAreRefusedWithWhatDiffers) {
  const TempFolder folder;
  std::mt19937_64 random(54);
  GreyRow row;
  Series s = row.series(folder.path(), "iso-ladder");
  row.shoot(folder.path() / "a.mkv", 4, 0, 3, random, lossless(10, Sampling::Full444));
  row.shoot(folder.path() / "b.mkv", 8, 0, 3, random, lossless(10, Sampling::Half422));
  s.takes = {takeAt("a", folder.path() / "a.mkv", 0, 400), takeAt("b", folder.path() / "b.mkv", -1, 800)};
  try {
    (void)measureLadder(s, Progress());
    ADD_FAILURE() << "compared";
  } catch (const Error& e) {
    EXPECT_NE(e.problem().find("4:2:2"), std::string::npos) << e.problem();
    EXPECT_FALSE(e.remedy().empty());
  }
}

TEST(Ladder, AnotherLightIsBroughtToEqualAndSaid) {
  const TempFolder folder;
  std::mt19937_64 random(55);
  GreyRow row;
  row.camera.frames = 8;
  Shots p;
  p.stopsB = -0.7;  // the lamp went down
  const LadderMeasure m = pair(row, p, folder.path(), random);
  EXPECT_NEAR(m.takes[1].brightness, 2 - 0.7, 0.02);
  const auto j = ladderJson(m, CriteriaProfile(), true);
  bool said = false;
  for (const auto& w : j["warnings"]) said = said || w["code"] == "unequal-brightness";
  EXPECT_TRUE(said);
}

TEST(Ladder, CrushedBlackIsNotCalledClean) {
  const TempFolder folder;
  std::mt19937_64 random(56);
  GreyRow row;
  row.camera.frames = 8;
  Series s = row.series(folder.path(), "iso-ladder");
  row.shoot(folder.path() / "a.mkv", 4, 0, 3, random, lossless(10, Sampling::Full444), [](Footage& f) {
    for (auto& frame : f.frames)
      for (float& v : frame) v = std::max(v, 0.03F);  // nothing below is recorded
  });
  s.takes = {takeAt("a", folder.path() / "a.mkv", 0, 400)};
  EXPECT_TRUE(warns(measureLadder(s, Progress()).warnings, "crushed"));
}

TEST(Ladder, AFilteredPictureAndRepeatedFramesAreSaid) {
  const TempFolder folder;
  std::mt19937_64 random(58);
  Ladder l = randomLadder(random);
  Series s = l.row.series(folder.path(), "iso-ladder");
  const auto said = [&](const std::function<void(Footage&)>& spoil) {
    l.row.shoot(folder.path() / "a.mkv", 8, 0, l.read, random, lossless(10, Sampling::Full444), spoil);
    s.takes = {takeAt("a", folder.path() / "a.mkv", 0, 800)};
    return measureLadder(s, Progress()).warnings;
  };
  EXPECT_FALSE(warns(said({}), "filtered"));
  EXPECT_TRUE(warns(said([](Footage& f) { blur(f, 0.8, 0.8); }), "filtered"));
  EXPECT_TRUE(warns(said([](Footage& f) { repeat(f, 2); }), "repeated-frames"));
}

TEST(Ladder, ADamagedFrameIsSaid) {
  const TempFolder folder;
  std::mt19937_64 random(59);
  const Ladder l = randomLadder(random);
  const fs::path clip = folder / "a.mkv";
  Series s = l.row.series(folder.path(), "iso-ladder");
  l.row.shoot(clip, 8, 0, l.read, random, checked(10, Sampling::Full444));
  s.takes = {takeAt("a", clip, 0, 800)};
  EXPECT_FALSE(warns(measureLadder(s, Progress()).warnings, "truncated"));
  flipABit(clip);
  EXPECT_TRUE(warns(measureLadder(s, Progress()).warnings, "truncated"));
}

// Both ends of a ladder: never over a limit, always over it.
TEST(Ladder, ACrossingThatLiesOutsideIsSaidSo) {
  LadderMeasure m;
  for (double iso : {400.0, 800.0, 1600.0}) {
    ZonesOfTake t;
    t.iso = iso;
    for (int i = 0; i < kZones; ++i) {
      ZoneNoise z;
      z.zone = static_cast<Zone>(i);
      z.snr[kY] = i == 0 ? 1.5 : 5;
      z.sigma = 0.01;
      t.zones.push_back(z);
    }
    m.takes.push_back(t);
  }
  const auto list = crossingsOf(m, CriteriaProfile());
  ASSERT_EQ(list.size(), 6U) << "SNR 2 and 10 of three zones";
  EXPECT_EQ(list[0].end, Crossing::End::Always);
  EXPECT_EQ(list[0].iso, 400);
  EXPECT_EQ(list[2].end, Crossing::End::Never);
  EXPECT_EQ(list[2].iso, 1600);
}

}  // namespace
}  // namespace edge
