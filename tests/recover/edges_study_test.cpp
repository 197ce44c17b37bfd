// Both edges of random brackets against a truth that is made here: the camera's noise, the recorder's ten-bit
// Y'CbCr, the display and CIE L*a*b* written down once more from their formulas, none of src/ involved.
// EDGE_STUDY=100 runs the full study and prints its table.
#include <gtest/gtest.h>

#include <cstdlib>

#include "recover/plain_bracket.h"
#include "support/seen.h"

namespace edge {
namespace {

using namespace test;

// Stops below the base at which a noise meets its limit; nothing: not within the bracket.
struct TrueEdge {
  double stops = 0;
  Criterion cause = Criterion::LumaNoise;
};

TrueEdge lowerEdge(const PlainScene& s, double light, double darkest) {
  const CriteriaProfile p;
  double low = darkest - 1, high = 0;  // noise grows towards the dark
  const auto excess = [&](double stops) {
    const SeenTruth n = noiseAt(s.camera, light, stops, s.raw);
    return std::pair(n.luma / p[Criterion::LumaNoise].clean, n.chroma / p[Criterion::ChromaNoise].clean);
  };
  if (const auto [luma, chroma] = excess(low); std::max(luma, chroma) < 1) return {low};
  for (int i = 0; i < 14; ++i) {
    const double middle = (low + high) / 2;
    const auto [luma, chroma] = excess(middle);
    (std::max(luma, chroma) > 1 ? low : high) = middle;
  }
  const auto [luma, chroma] = excess(high);
  return {high, luma > chroma ? Criterion::LumaNoise : Criterion::ChromaNoise};
}

double upperEdge(const PlainScene& s, double brightest) {
  double low = -2, high = brightest + 1;
  for (int i = 0; i < 40; ++i) {
    const double middle = (low + high) / 2;
    (s.clipped(middle) > CriteriaProfile()[Criterion::HighlightGone].clean ? high : low) = middle;
  }
  return high;
}

struct Score {
  int inside = 0, outside = 0, open = 0, cause = 0, otherCause = 0;
  double error = 0, worst = 0, within = 0, estimates = 0;

  void add(const EdgeLimit& e, double truth, Criterion cause, const char* what, int i) {
    constexpr double kNear = 0.05;  // stops by which a limit may fall on either side of a take
    if (!e.lastGood || !e.firstBad || !e.estimate) {
      ++open;
      return;
    }
    const double near = std::min(*e.lastGood, *e.firstBad) - kNear,
                 far = std::max(*e.lastGood, *e.firstBad) + kNear;
    const bool in = truth > near && truth < far;
    ++(in ? inside : outside);
    ++(e.cause.criterion == cause ? this->cause : otherCause);
    const double off = std::abs(e.estimate->stops - truth);
    error += off;
    worst = std::max(worst, off);
    within += off <= 2 * e.estimate->sigma;
    ++estimates;
    if (!in || e.cause.criterion != cause)
      std::printf("%s %d: true %.2f by %s, bracket %.2f %.2f by %s\n", what, i, truth, specOf(cause).words,
                  *e.lastGood, *e.firstBad, wordsOf(e.cause).c_str());
  }
  void print(const char* what) const {
    std::printf(
        "| %s | %d in bracket | %d not | %d open | cause %d of %d | mean %.3f, worst %.3f | %.0f %% in 2 "
        "sigma |\n",
        what, inside, outside, open, cause, cause + otherCause, error / std::max(1.0, estimates), worst,
        100 * within / std::max(1.0, estimates));
  }
};

void study(bool raw) {
  const char* wanted = std::getenv("EDGE_STUDY");
  const int n = wanted ? std::atoi(wanted) : 3;
  const TempFolder folder;
  std::mt19937_64 random(101);
  const std::vector<double> stops = {-8, -7, -6, -5, -4, -3, -2, -1, 1, 2, 3, 4, 5};
  Score over, under;
  int offsets = 0, far = 0;
  for (int i = 0; i < n; ++i) {
    PlainScene s;
    s.raw = raw;
    s.camera = randomCamera(random);
    s.camera.frames = 8;
    s.brightest = draw(random, 0.1, 0.25);
    s.step = draw(random, 0.5, 0.9);
    s.face = draw(random, 0.05, 0.3);
    const Judged j = shoot(s, stops, lossless(10, Sampling::Full444), folder.path(), [](Footage&) {});
    for (size_t t = 0; t < stops.size(); ++t)
      if (const auto& m = j.measure.takes[t]; m.measured) {
        ++offsets;
        far += std::abs(*m.measured - stops[t]) > std::max(0.03, 2.5 * m.sigma);
      }
    // The grey nearest to the face's mean light.
    const double face = s.face * (1 - s.drop / 2);
    double grey = s.brightest;
    for (int k = 1; k < kGreys; ++k) {
      const double light = s.brightest * std::exp2(-s.step * k);
      if (std::abs(std::log2(light / face)) < std::abs(std::log2(grey / face))) grey = light;
    }
    const TrueEdge low = lowerEdge(s, grey, stops.front());
    under.add(j.result.edges.under, low.stops, low.cause, "under", i);
    over.add(j.result.edges.over, upperEdge(s, stops.back()), Criterion::HighlightGone, "over", i);
  }
  over.print("over");
  under.print("under");
  std::printf("offsets: %d of %d beyond max(0.03, 2.5 sigma)\n", far, offsets);
  EXPECT_GT(over.inside + under.inside, 0);
  EXPECT_EQ(over.outside + under.outside, 0);
  EXPECT_EQ(over.otherCause, 0);
  EXPECT_LT(over.worst, 0.25);
  EXPECT_LT(under.worst, 0.2);
  EXPECT_GE(over.within + under.within, 0.85 * (over.estimates + under.estimates));
  EXPECT_LE(far, offsets / 100);
}

TEST(EdgesStudy, OfLogAreThoseOfTheTruth) {
  study(false);
}
TEST(EdgesStudy, OfRawAreThoseOfTheTruth) {
  study(true);
}

}  // namespace
}  // namespace edge
