// Gain circuits: the segmentation against an exhaustive search, families and natives against random cameras
// of closed form. EDGE_STUDY=1 prints what was missed.
#include "noise/circuits.h"

#include <gtest/gtest.h>

#include <cmath>
#include <cstdlib>
#include <limits>
#include <random>

namespace edge {
namespace {

double costOf(const std::vector<double>& y, const std::vector<double>& sigma, const std::vector<size_t>& ends,
              double penalty) {
  double cost = 0;
  size_t from = 0;
  for (size_t to : ends) {
    double weight = 0, sum = 0;
    for (size_t i = from; i < to; ++i) {
      weight += 1 / (sigma[i] * sigma[i]);
      sum += y[i] / (sigma[i] * sigma[i]);
    }
    for (size_t i = from; i < to; ++i) cost += std::pow((y[i] - sum / weight) / sigma[i], 2);
    cost += penalty;
    from = to;
  }
  return cost;
}

// Every way to cut ten points into segments of two and more.
TEST(Circuits, TheSegmentationIsTheBestOfAllThereAre) {
  std::mt19937_64 random(3);
  std::normal_distribution<double> normal;
  constexpr size_t n = 10;
  for (int trial = 0; trial < 40; ++trial) {
    std::vector<double> y, sigma;
    for (size_t i = 0; i < n; ++i) {
      y.push_back(0.05 * normal(random) - (i >= 4 ? 0.1 * (trial % 4) : 0) -
                  (i >= 7 ? 0.08 * (trial % 3) : 0));
      sigma.push_back(0.02 + 0.02 * std::abs(normal(random)));
    }
    const double penalty = 3 * std::log(static_cast<double>(n));
    double best = std::numeric_limits<double>::infinity();
    for (unsigned cuts = 0; cuts < 1U << (n - 1); ++cuts) {
      std::vector<size_t> ends;
      for (size_t i = 1; i < n; ++i)
        if (cuts >> (i - 1) & 1U) ends.push_back(i);
      ends.push_back(n);
      size_t from = 0, shortest = n;
      for (size_t to : ends) {
        shortest = std::min(shortest, to - from);
        from = to;
      }
      if (shortest >= 2) best = std::min(best, costOf(y, sigma, ends, penalty));
    }
    EXPECT_NEAR(costOf(y, sigma, leastSegments(y, sigma, penalty, 2), penalty), best, 1e-9);
  }
}

struct RandomSweep {
  CircuitFamily family = CircuitFamily::AllDigital;
  std::vector<SweepNoise> points;
  std::vector<double> natives;
};

// Electrons at the sensor: photons of 0.5 to 4, read noise of a few (a good sensor's is 1 to 4: common
// practice). 3 % noise error at most.
RandomSweep sweepOf(std::mt19937_64& random) {
  std::uniform_real_distribution<double> u(0, 1);
  std::normal_distribution<double> normal;
  RandomSweep s;
  s.family = static_cast<CircuitFamily>(random() % 3);
  const int n = 12 + static_cast<int>(random() % 8);
  const double photons = 0.5 + 3.5 * u(random), sigma = 0.005 + 0.025 * u(random);
  const double quiet = 1 + 1.5 * u(random), loud = quiet * (1.6 + 2 * u(random)), post = (4 + 8 * u(random));
  const int change = 3 + static_cast<int>(random() % static_cast<unsigned>(n - 5));
  const bool whole = u(random) < 0.5;
  s.natives = {100};
  for (int i = 0; i < n; ++i) {
    const double iso = 100 * std::exp2(i / 3.0), gain = std::exp2(whole ? i / 3 : i / 3.0);
    double read = loud;
    if (s.family == CircuitFamily::TwoCircuits && i >= change) read = quiet;
    const double variance = s.family == CircuitFamily::ManySteps
                                ? photons + quiet * quiet + post * post / (gain * gain)
                                : photons + read * read;
    s.points.push_back({iso, std::sqrt(variance) * std::exp(sigma * normal(random)), sigma});
    if (s.family == CircuitFamily::TwoCircuits && i == change) s.natives.push_back(iso);
  }
  return s;
}

TEST(Circuits, FamiliesAndNativesOfRandomCamerasAreFound) {
  const bool tell = std::getenv("EDGE_STUDY") != nullptr;
  std::mt19937_64 random(17);
  constexpr int kSweeps = 400;
  int family = 0, natives = 0, falseCircuits = 0, oneCircuit = 0;
  for (int i = 0; i < kSweeps; ++i) {
    const RandomSweep s = sweepOf(random);
    const auto found = findCircuits(s.points);
    ASSERT_TRUE(found);
    std::vector<double> got;
    for (const auto& b : found->bands) got.push_back(b.nativeIso);
    const bool right = found->family == s.family;
    const bool same = s.family == CircuitFamily::ManySteps || got == s.natives;
    family += right;
    natives += right && same;
    oneCircuit += s.family == CircuitFamily::AllDigital;
    falseCircuits += s.family == CircuitFamily::AllDigital && !right;
    if (tell && !(right && same)) {
      std::printf("%d: %s taken for %s:", i, wordOf(s.family), wordOf(found->family));
      for (const auto& p : s.points) std::printf(" %.3f", p.noise);
      std::printf(" (%.3f)\n", s.points[0].sigma);
    }
  }
  std::printf("%d sweeps: family %d, natives %d, false circuits %d of %d\n", kSweeps, family, natives,
              falseCircuits, oneCircuit);
  EXPECT_GE(family, kSweeps * 99 / 100);
  EXPECT_GE(natives, kSweeps * 98 / 100);
  EXPECT_LE(falseCircuits, oneCircuit / 50);
}

TEST(Circuits, TooFewPointsTellNothing) {
  EXPECT_FALSE(findCircuits({}));
  EXPECT_FALSE(findCircuits({{100, 1, 0.01}, {200, 1, 0.01}, {400, 1, 0.01}}));
}

TEST(Circuits, OrderOfTheTakesDoesNotMatter) {
  std::vector<SweepNoise> p;
  for (int i = 0; i < 12; ++i) p.push_back({100 * std::exp2(i / 3.0), i < 6 ? 4.0 : 2.0, 0.01});
  const auto forward = findCircuits(p);
  std::reverse(p.begin(), p.end());
  const auto backward = findCircuits(p);
  ASSERT_TRUE(forward && backward);
  EXPECT_EQ(forward->family, CircuitFamily::TwoCircuits);
  ASSERT_EQ(forward->bands.size(), 2U);
  EXPECT_EQ(backward->bands[1].nativeIso, forward->bands[1].nativeIso);
  EXPECT_NEAR(forward->steps[0].stops, 1, 1e-9);
}

}  // namespace
}  // namespace edge
