// Blind sessions: orders, seal, answers, and what is found out about those who answered. The viewers are made
// here, with known thresholds, habits and loyalties.
#include "review/session.h"

#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

#include "base/error.h"
#include "review/session_report.h"

namespace edge {
namespace {

using nlohmann::json;

SessionPlan ladder(size_t pictures, size_t repeats, std::uint64_t seed, Ask ask = Ask::OneByOne) {
  SessionPlan p;
  p.title = "ladder", p.ask = ask, p.repeats = repeats, p.seed = seed, p.criterion = "noise_luma";
  for (size_t i = 0; i < pictures; ++i)
    p.candidates.push_back({"clip " + std::to_string(i), "ISO " + std::to_string(i),
                            i % 2 ? "Pellam S6" : "Corvane 35", 0.3 + 0.3 * static_cast<double>(i)});
  p.viewers = {{"AB", "Corvane 35"}, {"CD", ""}, {"EF", ""}};
  return p;
}

// As a viewer answers whose limits are these.
int answerAt(double figure, double clean, double lost, double s, std::mt19937_64& random) {
  const double u = std::uniform_real_distribution<double>()(random);
  return u < 1 / (1 + std::exp((figure - clean) / s))  ? 2
         : u < 1 / (1 + std::exp((figure - lost) / s)) ? 1
                                                       : 0;
}

template <class How>
void hold(BlindSession& s, How how) {
  for (size_t v = 0; v < s.plan.viewers.size(); ++v) {
    const auto trials = trialsOf(s.plan, v);
    while (const auto t = nextTrial(s, v)) addVote(s, v, how(v, trials[*t]), 2.5);
  }
}

TEST(Session, EveryViewerSeesEverythingInAnOrderOfTheirOwn) {
  const SessionPlan p = ladder(12, 4, 7);
  std::set<std::vector<size_t>> orders;
  for (size_t v = 0; v < 3; ++v) {
    const auto trials = trialsOf(p, v);
    ASSERT_EQ(trials.size(), 16U);
    std::set<size_t> seen;
    std::vector<size_t> order;
    for (size_t i = 0; i < trials.size(); ++i) {
      order.push_back(trials[i].first);
      if (const auto of = trials[i].repeatOf) {
        ASSERT_LT(*of, i) << "after its first showing";
        EXPECT_EQ(trials[*of].first, trials[i].first);
        EXPECT_FALSE(trials[*of].repeatOf);
        EXPECT_GT(i - *of, 1U) << "never right after it";
      } else {
        EXPECT_TRUE(seen.insert(trials[i].first).second);
      }
    }
    EXPECT_EQ(seen.size(), 12U);
    EXPECT_TRUE(orders.insert(order).second);
    const auto again = trialsOf(p, v);
    for (size_t i = 0; i < trials.size(); ++i) EXPECT_EQ(again[i].first, trials[i].first);
  }
}

TEST(Session, PairsComeBackTheOtherWayRound) {
  const auto trials = trialsOf(ladder(6, 5, 3, Ask::Pairs), 0);
  ASSERT_EQ(trials.size(), 20U);
  std::set<std::pair<size_t, size_t>> pairs;
  int rising = 0;
  for (const auto& t : trials) {
    ASSERT_TRUE(t.second);
    EXPECT_NE(t.first, *t.second);
    if (!t.repeatOf)
      pairs.insert({std::min(t.first, *t.second), std::max(t.first, *t.second)}),
          rising += t.first < *t.second;
    if (t.repeatOf) {
      EXPECT_EQ(trials[*t.repeatOf].first, *t.second);
      EXPECT_EQ(*trials[*t.repeatOf].second, t.first);
    }
  }
  EXPECT_EQ(pairs.size(), 15U);
  EXPECT_GT(rising, 2);
  EXPECT_LT(rising, 13) << "sides are drawn by lot";
  EXPECT_EQ(trialsOf(ladder(40, 0, 3, Ask::Pairs), 0).size(), kMostPairs);
}

// Over many seeds every picture stands at every place about as often.
TEST(Session, OrdersAreDrawnEvenly) {
  constexpr int kSessions = 600, kPictures = 6;
  int at[kPictures][kPictures] = {};
  for (int seed = 0; seed < kSessions; ++seed) {
    const auto trials = trialsOf(ladder(kPictures, 0, static_cast<std::uint64_t>(seed)), 1);
    for (size_t i = 0; i < trials.size(); ++i) ++at[trials[i].first][i];
  }
  double chi = 0;
  for (const auto& row : at)
    for (const int n : row) chi += std::pow(n - 100.0, 2) / 100;
  EXPECT_LT(chi, 44.3) << "chi-squared of 25 degrees, 1 % (table)";
}

TEST(Session, WhatWasSealedCantBeChanged) {
  BlindSession s = sealed(ladder(5, 2, 1));
  EXPECT_THROW((void)reportOf(s), Error) << "sealed";
  EXPECT_THROW(unseal(s), Error) << "nobody has answered";
  addVote(s, 0, 2, 1);
  addVote(s, 0, 0, 2);
  addVote(s, 1, 1, 3);
  EXPECT_THROW(addVote(s, 0, 3, 1), Error);
  EXPECT_THROW(addVote(s, 9, 0, 1), Error);
  EXPECT_EQ(tampering(s), "");
  const BlindSession read = sessionFromJson(json::parse(toJson(s).dump()));
  EXPECT_EQ(tampering(read), "");
  EXPECT_EQ(read.votes.size(), 3U);
  for (const auto& change : std::vector<std::function<void(BlindSession&)>>{
           [](BlindSession& x) { x.votes[1].answer = 2; },
           [](BlindSession& x) { x.votes[1].seconds += 0.5; },
           [](BlindSession& x) { x.votes.erase(x.votes.begin()); },
           [](BlindSession& x) { std::swap(x.votes[0], x.votes[2]); },
           [](BlindSession& x) { x.plan.seed = 2; },
           [](BlindSession& x) { x.plan.candidates[0].name = "other"; }}) {
    BlindSession other = s;
    change(other);
    EXPECT_NE(tampering(other), "");
    other.unsealed = true;
    EXPECT_THROW((void)reportOf(other), Error);
  }
  unseal(s);
  EXPECT_THROW(addVote(s, 0, 2, 1), Error) << "names were seen";
  EXPECT_NO_THROW((void)reportOf(s));
}

TEST(Session, BadPlansAreRefusedWithARemedy) {
  const auto refused = [](const std::function<void(SessionPlan&)>& spoil) {
    SessionPlan p = ladder(4, 1, 1);
    spoil(p);
    try {
      (void)sealed(p);
      return false;
    } catch (const Error& e) {
      return !e.remedy().empty();
    }
  };
  EXPECT_TRUE(refused([](SessionPlan& p) { p.candidates.resize(1); }));
  EXPECT_TRUE(refused([](SessionPlan& p) { p.candidates[1].key = p.candidates[0].key; }));
  EXPECT_TRUE(refused([](SessionPlan& p) { p.viewers.clear(); }));
  EXPECT_TRUE(refused([](SessionPlan& p) { p.viewers[1].initials = "AB"; }));
  EXPECT_TRUE(refused([](SessionPlan& p) { p.repeats = 5; }));
  EXPECT_TRUE(refused([](SessionPlan& p) { p.reference = 4; }));
  EXPECT_TRUE(refused([](SessionPlan& p) { p.seconds = std::nan(""); }));
}

// Anything in place of a stored session: an error, never a crash.
TEST(Session, HostileRowsAreRefused) {
  BlindSession s = sealed(ladder(5, 2, 1));
  addVote(s, 0, 2, 1);
  const json good = toJson(s);
  std::mt19937 random(4);
  for (const auto& [key, value] : good.items())
    for (const json& bad :
         {json(), json(-1), json("x"), json::array(), json::object(), json(1e300), json::array({json()})}) {
      if (bad == value) continue;
      json j = good;
      j[key] = bad;
      try {
        const BlindSession read = sessionFromJson(j);
        (void)tampering(read);
      } catch (const Error&) {
      }
    }
  for (const auto& vote : {json{7, 0, 0, 1, ""}, json{0, 0, 9, 1, ""}, json{0, 1e18, 0, 1, ""}}) {
    json j = good;
    j["votes"].push_back(vote);
    try {
      const BlindSession read = sessionFromJson(j);
      EXPECT_NE(tampering(read), "");
    } catch (const Error&) {
    }
  }
}

TEST(Report, ThresholdsOfKnownViewersAreFoundAndOfferedForAll) {
  BlindSession s = sealed(ladder(24, 8, 11));
  std::mt19937_64 random(3);
  hold(s, [&](size_t, const Trial& t) {
    return answerAt(*s.plan.candidates[t.first].figure, 2.4, 5.1, 0.3, random);
  });
  EXPECT_TRUE(complete(s));
  unseal(s);
  const SessionReport r = reportOf(s);
  ASSERT_TRUE(r.threshold && r.threshold->clean && r.threshold->lost && r.alpha && r.kappa);
  EXPECT_LE(r.threshold->clean->low, 2.4);
  EXPECT_GE(r.threshold->clean->high, 2.4);
  EXPECT_LE(r.threshold->lost->low, 5.1);
  EXPECT_GE(r.threshold->lost->high, 5.1);
  EXPECT_GT(r.alpha->value, 0.7) << "they share their limits";
  for (const auto& v : r.viewers) EXPECT_FALSE(v.guessing) << v.initials;
  EXPECT_EQ(r.candidates[0].accepted.n, 3);
  EXPECT_GT(r.candidates[0].accepted.value(), r.candidates[23].accepted.value());
}

// Over two hundred sessions: who guesses is found out, who does not is rarely suspected.
TEST(Report, AGuesserIsFoundOut) {
  std::mt19937_64 random(8);
  int found = 0, suspected = 0;
  constexpr int kSessions = 200;
  for (int k = 0; k < kSessions; ++k) {
    SessionPlan p = ladder(20, 12, static_cast<std::uint64_t>(k));
    p.viewers = {{"AB", ""}, {"GU", ""}};
    BlindSession s = sealed(p);
    hold(s, [&](size_t v, const Trial& t) {
      return v == 1 ? static_cast<int>(random() % 3)
                    : answerAt(*s.plan.candidates[t.first].figure, 2.4, 4.2, 0.15, random);
    });
    unseal(s);
    const SessionReport r = reportOf(s);
    suspected += r.viewers[0].guessing, found += r.viewers[1].guessing;
  }
  std::printf("guessing: found %d, wrongly suspected %d of %d\n", found, suspected, kSessions);
  EXPECT_GE(found, 0.9 * kSessions);
  EXPECT_LE(suspected, 0.05 * kSessions);
}

TEST(Report, LoyaltyToTheOwnBodyIsFoundAndFairnessIsNot) {
  std::mt19937_64 random(9);
  int loyal = 0, fair = 0;
  constexpr int kSessions = 60;
  for (int k = 0; k < kSessions; ++k)
    for (const bool favours : {true, false}) {
      BlindSession s = sealed(ladder(20, 2, static_cast<std::uint64_t>(k)));
      hold(s, [&](size_t v, const Trial& t) {
        const Candidate& c = s.plan.candidates[t.first];
        const double more = favours && v == 0 && c.body == "Corvane 35" ? 3.0 : 0;
        return answerAt(*c.figure - more, 2.4, 4.2, 0.3, random);
      });
      unseal(s);
      const SessionReport r = reportOf(s);
      (favours ? loyal : fair) +=
          r.viewers[0].ownBodyChance && *r.viewers[0].ownBodyChance < 0.05 && *r.viewers[0].ownBody > 0;
    }
  std::printf("own body: found %d, wrongly %d of %d\n", loyal, fair, kSessions);
  EXPECT_GE(loyal, 0.9 * kSessions);
  EXPECT_LE(fair, 0.15 * kSessions);
}

TEST(Report, PairsAreRankedAndTheFirstShownIsWatched) {
  BlindSession s = sealed(ladder(6, 6, 2, Ask::Pairs));
  std::mt19937_64 random(5);
  const auto strength = [](size_t c) { return -0.6 * static_cast<double>(c); };
  hold(s, [&](size_t, const Trial& t) {
    const double p = 1 / (1 + std::exp(strength(*t.second) - strength(t.first)));
    return std::uniform_real_distribution<double>()(random) < p ? 0 : 1;
  });
  unseal(s);
  const SessionReport r = reportOf(s);
  EXPECT_GT(r.candidates[0].rank->score, r.candidates[5].rank->score);
  EXPECT_LT(r.firstShown->low, 0.5);
  EXPECT_GT(r.firstShown->high, 0.5);
  // One who always takes the first.
  BlindSession lazy = sealed(ladder(6, 6, 2, Ask::Pairs));
  hold(lazy, [](size_t, const Trial&) { return 0; });
  unseal(lazy);
  const SessionReport said = reportOf(lazy);
  EXPECT_TRUE(std::any_of(said.warnings.begin(), said.warnings.end(),
                          [](const Warning& w) { return w.code == "first-shown"; }));
  for (const auto& v : said.viewers)
    EXPECT_TRUE(v.guessing) << "none of the repeats agrees with its first showing";
}

TEST(Report, WhatIsThinIsSaid) {
  BlindSession s = sealed(ladder(4, 1, 2));
  addVote(s, 0, 2, 1);
  unseal(s);
  std::set<std::string> codes;
  for (const auto& w : reportOf(s).warnings) codes.insert(w.code);
  EXPECT_TRUE(codes.count("unfinished") && codes.count("few-votes") && codes.count("few-repeats"));
  EXPECT_TRUE(toJson(s, reportOf(s)).dump().find("ISO 3") != std::string::npos);
}

}  // namespace
}  // namespace edge
