// Ranges beside each other: differences with their errors, gain circuits, claims and counts.
#include "report/range_compare.h"

#include <gtest/gtest.h>

#include <cmath>

namespace edge {
namespace {

// A measured configuration of a read-limited camera: `above` grey to the clip, `below` to SNR 2.
Finding finding(double iso, double above, double below, double noiseSigma = 0.02) {
  Finding f;
  f.configuration.body = "Corvane 35", f.configuration.mode = "log", f.configuration.iso = iso;
  RangeResult r;
  r.headline = {above + below, noiseSigma, false};
  r.aboveGrey = Limit{above, noiseSigma, false}, r.belowGrey = Limit{below, noiseSigma, false};
  r.noiseFloorBelowGrey = Limit{below + 1, noiseSigma, false};
  r.channel[kY].range = {{1, {above + below + 1, noiseSigma, false}},
                         {2, {above + below, noiseSigma, false}}};
  r.stepsVisible = 13;
  f.range = r, f.wedge = WedgeMeasure();
  return f;
}

// JCGM 100:2008, 5.1.2: independent errors add in quadrature; two standard errors are about 95 %.
TEST(RangeDifference, CarriesBothErrorsAndSaysWhenItIsNone) {
  const RangeDifference d = difference(Limit{12.5, 0.03, false}, Limit{12.1, 0.04, false});
  EXPECT_NEAR(d.stops, 0.4, 1e-12);
  EXPECT_NEAR(d.sigma, 0.05, 1e-12);
  EXPECT_FALSE(d.equal);
  EXPECT_TRUE(difference(Limit{12.5, 0.03, false}, Limit{12.42, 0.04, false}).equal);
  EXPECT_EQ(wordsOf(difference(Limit{12.5, 0.03, false}, Limit{12.42, 0.04, false})), "equal within error");
  EXPECT_EQ(wordsOf(difference(Limit{12.54, 0.01, false}, Limit{12.5, 0.01, false})), "+0.04 ±0.01");
  EXPECT_TRUE(difference(Limit{12, 0, true}, Limit{11, 0, false}).atLeast);
  EXPECT_TRUE(difference(Limit{12, 0, false}, Limit{11, 0, true}).atMost);
  EXPECT_FALSE(difference(Limit{12, 0, true}, Limit{11, 0, true}).known);
  EXPECT_EQ(wordsOf(difference(std::nullopt, Limit{1, 0, false})), "not known");
}

// docs/method.md, "Stops": within one circuit headroom grows and footroom shrinks by log2(ISO/ISO).
TEST(IsoSteps, OneCircuitGivesNoJumpAndASecondOneDoes) {
  const double ratio = std::log2(3200.0 / 800);
  const std::vector<Finding> one = {finding(800, 6, 7), finding(3200, 6 + ratio, 7 - ratio)};
  ASSERT_EQ(isoSteps(one).size(), 1U);
  EXPECT_NEAR(isoSteps(one)[0].jump->stops, 0, 1e-9);
  EXPECT_FALSE(isoSteps(one)[0].circuit);
  const std::vector<Finding> two = {finding(3200, 6, 6.4), finding(800, 6, 7)};  // in any order
  const auto steps = isoSteps(two);
  ASSERT_EQ(steps.size(), 1U);
  EXPECT_EQ(steps[0].from, 1U);
  EXPECT_NEAR(steps[0].jump->stops, ratio - 0.6, 1e-9);
  EXPECT_TRUE(steps[0].circuit);
  std::vector<Finding> open = two;
  open[0].range->belowGrey->atLeast = true;
  EXPECT_FALSE(isoSteps(open)[0].circuit);
  std::vector<Finding> other = one;
  other[1].configuration.mode = "raw";
  EXPECT_TRUE(isoSteps(other).empty());
}

TEST(Claims, AreHeldAgainstWhatWasMeasured) {
  Finding f = finding(800, 6, 7);
  EXPECT_EQ(claimWords(f), "");
  f.claimStops = 13;
  EXPECT_EQ(claimWords(f), "measured: equal within error");
  f.claimStops = 14;
  EXPECT_EQ(claimWords(f), "measured: −1.0 ±0.1 stops; the claim fits SNR 1 with all luma counted");
  f.ownCount = 16;
  EXPECT_EQ(countWords(f), "3 more than SNR 1 counts; 2 to 4 are usual");
  f.ownCount = 10;
  EXPECT_NE(countWords(f).find("3 fewer"), std::string::npos);
}

TEST(Conventions, ShowEverySchoolAndMarkTheChosen) {
  Finding f = finding(800, 6, 7);
  f.range->filtered = true, f.range->corrected[kY][2] = {12.2, 0.05, false};
  f.range->total[2] = {12.8, 0.02, false};
  int chosen = 0;
  std::string keys;
  for (const auto& c : conventionsOf(f, {})) chosen += c.chosen, keys += c.key + " ";
  EXPECT_EQ(chosen, 1);
  EXPECT_EQ(keys, "headline snr1 snr2 snr10 total corrected ");
  EXPECT_TRUE(conventionsOf(Finding(), {}).empty());
}

TEST(CompareCsv, HoldsOneLineAConfigurationWithDifferences) {
  const std::string csv = compareCsv({finding(800, 6, 7), finding(3200, 6, 6.4)}, 0);
  EXPECT_NE(csv.find("Corvane 35,log,3200,12.400,0.020,-0.600,0.028,no"), std::string::npos) << csv;
}

}  // namespace
}  // namespace edge
