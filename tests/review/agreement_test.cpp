// Agreement, ranking and thresholds against statsmodels and scipy (tests/reference/review_fits.py) and
// against published worked examples.
#include "review/agreement.h"

#include <gtest/gtest.h>

#include <cmath>
#include <fstream>
#include <nlohmann/json.hpp>
#include <random>

namespace edge {
namespace {

using nlohmann::json;

json reference() {
  std::ifstream in(std::string(EDGE_REFERENCE) + "/review_fits.json");
  return json::parse(in);
}

TEST(Agreement, SharesAndChanceAsStatsmodelsAndScipyHaveThem) {
  const json r = reference();
  for (const auto& c : r["wilson"]) {
    const Share s = shareOf(c["of"], c["n"]);
    EXPECT_NEAR(s.low, c["low"].get<double>(), 1e-9);
    EXPECT_NEAR(s.high, c["high"].get<double>(), 1e-9);
  }
  for (const auto& c : r["binomial"])
    EXPECT_NEAR(chanceOfAtLeast(c["of"], c["n"], c["p"]), c["chance"].get<double>(), 1e-12);
}

// Krippendorff, "Computing Krippendorff's Alpha-Reliability" (2011), example C: four observers, twelve units,
// answers missing; nominal 0.743, ordinal 0.815 (from memory).
TEST(Agreement, KrippendorffsOwnExample) {
  const std::vector<std::vector<int>> observers = {{1, 2, 3, 3, 2, 1, 4, 1, 2, 0, 0, 0},
                                                   {1, 2, 3, 3, 2, 2, 4, 1, 2, 5, 0, 3},
                                                   {0, 3, 3, 3, 2, 3, 4, 2, 2, 5, 1, 0},
                                                   {1, 2, 3, 3, 2, 4, 4, 1, 2, 5, 1, 0}};
  std::vector<std::vector<int>> units(12);
  for (size_t u = 0; u < 12; ++u)
    for (const auto& o : observers) units[u].push_back(o[u] - 1);
  const auto nominal = krippendorff(units, 4, Scale::Nominal),
             ordinal = krippendorff(units, 4, Scale::Ordinal);
  ASSERT_TRUE(nominal && ordinal);
  EXPECT_NEAR(nominal->value, 0.743, 0.0006);
  EXPECT_NEAR(ordinal->value, 0.815, 0.0006);
  EXPECT_EQ(nominal->pairs, 40) << "the paper's n..";
  EXPECT_LT(nominal->low, 0.743);
  EXPECT_GT(nominal->high, 0.743);
  EXPECT_FALSE(krippendorff({{0, 0}, {0, 0}}, 2, Scale::Nominal)) << "nothing varies";
  EXPECT_FALSE(krippendorff({{0, 1}}, 2, Scale::Nominal)) << "one unit";
}

// Ten subjects, fourteen raters, five categories: kappa 0.210 (the example commonly given after Fleiss 1971;
// from memory). Others by statsmodels.
TEST(Agreement, FleissKappa) {
  EXPECT_NEAR(*fleissKappa({{0, 0, 0, 0, 14},
                            {0, 2, 6, 4, 2},
                            {0, 0, 3, 5, 6},
                            {0, 3, 9, 2, 0},
                            {2, 2, 8, 1, 1},
                            {7, 7, 0, 0, 0},
                            {3, 2, 6, 3, 0},
                            {2, 5, 3, 2, 2},
                            {6, 5, 2, 1, 0},
                            {0, 2, 2, 3, 7}}),
              0.210, 0.0005);
  for (const auto& c : reference()["fleiss"])
    EXPECT_NEAR(*fleissKappa(c["counts"].get<std::vector<std::vector<int>>>()), c["kappa"].get<double>(),
                1e-9);
  EXPECT_FALSE(fleissKappa({{2, 1}, {1, 1}})) << "not every unit was judged by as many";
}

TEST(Ranking, BradleyAndTerryAsALogisticRegressionByStatsmodels) {
  for (const auto& c : reference()["bradley_terry"]) {
    const auto r = bradleyTerry(c["wins"].get<std::vector<std::vector<double>>>());
    ASSERT_TRUE(r);
    EXPECT_FALSE(r->separable);
    for (size_t i = 0; i < r->items.size(); ++i) {
      EXPECT_NEAR(r->items[i].score, c["scores"][i].get<double>(), 1e-6);
      EXPECT_NEAR((r->items[i].high - r->items[i].low) / 2, 1.959964 * c["errors"][i].get<double>(), 1e-5);
    }
  }
}

TEST(Ranking, WhoAlwaysWinsIsHeldBackAndSaid) {
  const auto r = bradleyTerry({{0, 4, 4}, {0, 0, 2}, {0, 2, 0}});
  ASSERT_TRUE(r);
  EXPECT_TRUE(r->separable);
  EXPECT_GT(r->items[0].score, 1);
  EXPECT_LT(r->items[0].score, 10) << "not driven to infinity";
  EXPECT_NEAR(r->items[1].score, r->items[2].score, 1e-9);
  EXPECT_FALSE(bradleyTerry({{0, 0}, {0, 0}}));
}

TEST(Threshold, ProportionalOddsAsStatsmodelsFitsThem) {
  for (const auto& c : reference()["ordinal"]) {
    std::vector<Judged> answers;
    for (size_t i = 0; i < c["figures"].size(); ++i) answers.push_back({c["figures"][i], c["answers"][i]});
    const auto f = fitThreshold(answers);
    ASSERT_TRUE(f && f->clean && f->lost);
    EXPECT_NEAR(f->clean->at, c["clean"].get<double>(), 2e-3);
    EXPECT_NEAR(f->lost->at, c["lost"].get<double>(), 2e-3);
    EXPECT_NEAR(f->slope, c["slope"].get<double>(), 2e-3);
    EXPECT_FALSE(f->separable || f->contradictory);
    // The same with the scale turned round.
    for (auto& j : answers) j.figure = -j.figure;
    const auto turned = fitThreshold(answers, true);
    EXPECT_NEAR(turned->clean->at, -f->clean->at, 2e-3);
    EXPECT_NEAR(turned->clean->low, -f->clean->high, 2e-2);
  }
}

// A viewer of known thresholds, two hundred times: the interval holds the truth as often as it promises.
TEST(Threshold, IntervalsHoldTheTruthNineteenTimesOfTwenty) {
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> uniform;
  constexpr int kTimes = 200;
  int clean = 0, lost = 0;
  for (int k = 0; k < kTimes; ++k) {
    const double tClean = 2 + uniform(random), tLost = tClean + 1 + 2 * uniform(random),
                 s = 0.2 + 0.4 * uniform(random);
    std::vector<Judged> answers;
    for (int i = 0; i < 40; ++i) {
      const double x = 7.0 * (i % 20 + 0.5) / 20, u = uniform(random);
      const double accept = 1 / (1 + std::exp((x - tClean) / s)), some = 1 / (1 + std::exp((x - tLost) / s));
      answers.push_back({x, u < accept ? 2 : u < some ? 1 : 0});
    }
    const auto f = fitThreshold(answers);
    ASSERT_TRUE(f && f->clean && f->lost);
    clean += f->clean->low <= tClean && tClean <= f->clean->high;
    lost += f->lost->low <= tLost && tLost <= f->lost->high;
  }
  std::printf("thresholds inside their 95 %% intervals: clean %d, lost %d of %d\n", clean, lost, kTimes);
  // 95 % of 200, less three standard deviations of a binomial (9.2); 99.5 % would be intervals too wide.
  EXPECT_GE(clean, 181);
  EXPECT_GE(lost, 181);
  EXPECT_LT(clean + lost, 399);
}

TEST(Threshold, SeparableAndContradictoryAnswersAreSaid) {
  const auto gap = fitThreshold({{1, 2}, {1.5, 2}, {2, 2}, {4, 0}, {5, 0}, {6, 0}});
  ASSERT_TRUE(gap && gap->clean);
  EXPECT_TRUE(gap->separable);
  EXPECT_LT(gap->clean->low, 2.3) << "anywhere in the gap";
  EXPECT_GT(gap->clean->high, 3.7);
  const auto against = fitThreshold({{1, 0}, {2, 0}, {3, 1}, {4, 2}, {5, 2}, {6, 2}});
  ASSERT_TRUE(against);
  EXPECT_TRUE(against->contradictory);
  const auto one = fitThreshold({{1, 2}, {2, 2}, {3, 2}, {4, 2}, {5, 2}});
  ASSERT_TRUE(one);
  EXPECT_TRUE(!one->clean && !one->lost) << "a viewer who accepts everything has shown no limit";
  EXPECT_FALSE(fitThreshold({{1, 2}, {2, 0}}));
}

}  // namespace
}  // namespace edge
