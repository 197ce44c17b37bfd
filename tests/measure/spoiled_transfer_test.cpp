// Photon transfer of random sensors whose pixels do not all saturate on one code, drawn pixel by pixel (no
// src/simulate); definitions of EMVA 1288 R4.0. EDGE_SPOILED=20 runs the full set.
#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <random>

#include "measure/transfer.h"

namespace edge {
namespace {

constexpr int kPixels = 6000, kFrames = 16;
constexpr double kDark = 256;

struct Sensor {
  double gain, read, well, prnu, spread;  // DN per electron, e, e, shares
};

// One take: pixels with their own response and their own end, Gaussian photons, rounded to codes.
TransferPoint take(const Sensor& s, double electrons, std::mt19937_64& random) {
  std::normal_distribution<double> normal;
  double sum = 0, temporal = 0, between = 0, top = 0;
  std::vector<double> means;
  for (int p = 0; p < kPixels; ++p) {
    const double light = electrons * (1 + s.prnu * normal(random)),
                 end = s.well * (1 + s.spread * normal(random));
    double mean = 0, squares = 0;
    for (int f = 0; f < kFrames; ++f) {
      const double e = std::min(end, light + std::sqrt(light) * normal(random)) + s.read * normal(random);
      const double code = std::round(kDark + s.gain * e);
      mean += code / kFrames, squares += code * code;
      top = std::max(top, code);
    }
    temporal += (squares - kFrames * mean * mean) / (kFrames - 1) / kPixels;
    sum += mean / kPixels, means.push_back(mean);
  }
  for (double m : means) between += (m - sum) * (m - sum) / (kPixels - 1);
  return {sum, temporal, between - temporal / kFrames, kPixels, kFrames, 0, 0, electrons == 0};
}

TEST(SpoiledTransfer, SaturationThatSpreadsLeavesEveryFigureRightOrAbsent) {
  const char* wanted = std::getenv("EDGE_SPOILED");
  const int n = wanted ? std::atoi(wanted) : 2;
  std::mt19937_64 random(41);
  const auto draw = [&](double low, double high) {
    return std::uniform_real_distribution<double>(low, high)(random);
  };
  int right = 0, absent = 0, silent = 0;
  for (int i = 0; i < n; ++i) {
    Sensor s;
    s.well = std::exp2(draw(12, 16)), s.gain = draw(10000, 15000) / s.well,
    s.read = draw(1.5, 10) / std::min(1.0, s.gain);
    s.prnu = draw(0.003, 0.012), s.spread = draw(0.0005, 0.006);
    std::vector<TransferPoint> points;
    // A stop apart, four of them over the end; where the first lies is chance.
    for (double e = s.well / 512 * draw(0.5, 1); e < 12 * s.well; e *= 2)
      points.push_back(take(s, e, random));
    points.push_back(take(s, 0, random));
    const TransferChannel t = fitTransfer(points, kDark);
    const auto judge = [&](const char* what, const std::optional<Estimate>& e, double truth, double share) {
      if (!e) return void(++absent);
      const bool good = std::abs(e->value - truth) <= std::max(share * truth, 2.5 * e->sigma);
      ++(good ? right : silent);
      if (!good) std::printf("%d %s: %.4f +-%.4f (true %.4f)\n", i, what, e->value, e->sigma, truth);
    };
    judge("gain", t.gainDnPerE, s.gain, 0.01);
    judge("read noise", t.readNoiseE, s.read, 0.03);
    judge("full well", t.fullWellE, s.well, 0.02);
    judge("PRNU", t.prnuPercent, 100 * s.prnu, 0.05);
  }
  std::printf("transfer: %d sensors, %d figures right, %d absent, %d silently wrong\n", n, right, absent,
              silent);
  EXPECT_EQ(silent, 0);
  EXPECT_GT(right, 3 * n) << "figures are given";
}

}  // namespace
}  // namespace edge
