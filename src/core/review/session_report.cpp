#include "review/session_report.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <map>
#include <nlohmann/json.hpp>
#include <random>

#include "base/error.h"
#include "base/json_numbers.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kChance = 0.05;
constexpr int kFewVotes = 6;  // of a candidate or a viewer's repeats: fewer say little
constexpr int kPermutations = 2000;
constexpr int kAccept = static_cast<int>(Answer::Accept), kUsable = static_cast<int>(Answer::WithCleanUp);

class Reporter {
 public:
  explicit Reporter(const BlindSession& s) : s_(s), pairs_(s.plan.ask == Ask::Pairs) {
    for (size_t v = 0; v < s.plan.viewers.size(); ++v) trials_.push_back(trialsOf(s.plan, v));
  }

  SessionReport run() {
    for (size_t v = 0; v < s_.plan.viewers.size(); ++v) out_.viewers.push_back(viewer(v));
    for (size_t c = 0; c < s_.plan.candidates.size(); ++c) out_.candidates.push_back(candidate(c));
    agreement();
    if (pairs_)
      ranks();
    else
      thresholds(), ownBodies();
    warnings();
    return std::move(out_);
  }

 private:
  [[nodiscard]] const Trial& trialOf(const Vote& v) const { return trials_[v.viewer][v.trial]; }
  [[nodiscard]] bool isFirst(const Vote& v) const { return !trialOf(v).repeatOf; }
  // Pairs: the one that was preferred.
  [[nodiscard]] size_t preferred(const Vote& v) const {
    const Trial& t = trialOf(v);
    return v.answer == 0 ? t.first : *t.second;
  }

  [[nodiscard]] ViewerReport viewer(size_t which) const {
    ViewerReport r;
    r.initials = s_.plan.viewers[which].initials;
    std::map<size_t, const Vote*> byTrial;
    std::vector<double> seconds;
    std::map<int, int> habits;
    for (const auto& v : s_.votes)
      if (v.viewer == which) {
        byTrial[v.trial] = &v, seconds.push_back(v.seconds), ++habits[v.answer], ++r.answers;
        if (!pairs_ && s_.plan.reference && isFirst(v) && trialOf(v).first == *s_.plan.reference)
          r.acceptedReference = v.answer == kAccept;
      }
    int alike = 0, repeated = 0;
    for (const auto& [trial, vote] : byTrial) {
      const auto of = trials_[which][trial].repeatOf;
      if (!of || !byTrial.count(*of)) continue;
      ++repeated;
      // A pair comes back the other way round: the same picture must win.
      alike += pairs_ ? preferred(*vote) == preferred(*byTrial[*of]) : vote->answer == byTrial[*of]->answer;
    }
    r.consistent = shareOf(alike, repeated);
    if (pairs_)
      r.byChance = 0.5;
    else
      for (const auto& [answer, n] : habits) r.byChance += std::pow(static_cast<double>(n) / r.answers, 2);
    r.guessing = repeated > 0 && r.byChance < 1 && chanceOfAtLeast(alike, repeated, r.byChance) > kChance;
    if (!seconds.empty()) {
      std::nth_element(seconds.begin(), seconds.begin() + static_cast<std::ptrdiff_t>(seconds.size() / 2),
                       seconds.end());
      r.medianSeconds = seconds[seconds.size() / 2];
    }
    return r;
  }

  [[nodiscard]] CandidateReport candidate(size_t c) const {
    CandidateReport r;
    r.candidate = c;
    if (pairs_) return r;
    int n = 0, accepted = 0, usable = 0;
    for (const auto& v : s_.votes)
      if (isFirst(v) && trialOf(v).first == c)
        ++n, accepted += v.answer >= kAccept, usable += v.answer >= kUsable;
    r.accepted = shareOf(accepted, n), r.usable = shareOf(usable, n);
    return r;
  }

  // Units are pictures, or pairs in whatever order they were shown.
  void agreement() {
    std::map<std::pair<size_t, size_t>, std::vector<int>> units;
    for (const auto& v : s_.votes) {
      if (!isFirst(v)) continue;
      const Trial& t = trialOf(v);
      const size_t a = t.first, b = t.second.value_or(a);
      auto& unit = units[{std::min(a, b), std::max(a, b)}];
      unit.resize(s_.plan.viewers.size(), -1);
      unit[v.viewer] = pairs_ ? static_cast<int>(preferred(v) == std::max(a, b)) : v.answer;
    }
    std::vector<std::vector<int>> answers, counts;
    const int most = pairs_ ? 1 : kAccept;
    for (const auto& [key, unit] : units) {
      answers.push_back(unit);
      auto& c = counts.emplace_back(static_cast<size_t>(most) + 1);
      for (int a : unit)
        if (a >= 0) ++c[static_cast<size_t>(a)];
    }
    out_.alpha = krippendorff(answers, most, pairs_ ? Scale::Nominal : Scale::Ordinal);
    out_.kappa = fleissKappa(counts);
  }

  void ranks() {
    const size_t n = s_.plan.candidates.size();
    std::vector<std::vector<double>> wins(n, std::vector<double>(n));
    int first = 0, all = 0;
    for (const auto& v : s_.votes) {
      const Trial& t = trialOf(v);
      const size_t winner = preferred(v), loser = winner == t.first ? *t.second : t.first;
      wins[winner][loser] += 1;
      first += v.answer == 0, ++all;
    }
    out_.firstShown = shareOf(first, all);
    const auto ranking = bradleyTerry(wins);
    if (!ranking) return;
    out_.separable = ranking->separable;
    for (auto& c : out_.candidates) c.rank = ranking->items[c.candidate];
  }

  void thresholds() {
    if (s_.plan.criterion.empty()) return;
    std::vector<Judged> all;
    std::vector<std::vector<Judged>> own(s_.plan.viewers.size());
    for (const auto& v : s_.votes)
      if (const auto& figure = s_.plan.candidates[trialOf(v).first].figure) {
        all.push_back({*figure, v.answer});
        own[v.viewer].push_back(all.back());
      }
    const bool rising = s_.plan.rising;
    for (size_t v = 0; v < own.size(); ++v) out_.viewers[v].threshold = fitThreshold(own[v], rising);
    out_.threshold = fitThreshold(all, rising);
  }

  // Shares of acceptance of one viewer and of all others, by candidate, of first showings.
  void ownBodies() {
    const size_t n = s_.plan.candidates.size();
    for (size_t which = 0; which < s_.plan.viewers.size(); ++which) {
      const std::string& body = s_.plan.viewers[which].ownBody;
      if (body.empty()) continue;
      std::vector<double> more;  // than the others accepted it
      std::vector<bool> isOwn;
      for (size_t c = 0; c < n; ++c) {
        double own = 0, others = 0;
        int nOwn = 0, nOthers = 0;
        for (const auto& v : s_.votes) {
          if (!isFirst(v) || trialOf(v).first != c) continue;
          (v.viewer == which ? own : others) += v.answer / 2.0;
          ++(v.viewer == which ? nOwn : nOthers);
        }
        if (nOwn == 0 || nOthers == 0) continue;
        more.push_back(own / nOwn - others / nOthers), isOwn.push_back(s_.plan.candidates[c].body == body);
      }
      const auto difference = [&](const std::vector<bool>& mine) {
        double a = 0, b = 0;
        int na = 0, nb = 0;
        for (size_t i = 0; i < more.size(); ++i) (mine[i] ? a : b) += more[i], ++(mine[i] ? na : nb);
        return na > 0 && nb > 0 ? std::optional(a / na - b / nb) : std::nullopt;
      };
      const auto seen = difference(isOwn);
      if (!seen) continue;
      std::mt19937_64 random(which + 1);
      int asMuch = 0;
      for (int k = 0; k < kPermutations; ++k) {
        std::vector<bool> mixed = isOwn;
        for (size_t i = mixed.size(); i > 1; --i) {
          const size_t j = random() % i;
          const bool keep = mixed[i - 1];
          mixed[i - 1] = mixed[j], mixed[j] = keep;
        }
        asMuch += *difference(mixed) >= *seen - 1e-12;
      }
      out_.viewers[which].ownBody = *seen;
      out_.viewers[which].ownBodyChance = (asMuch + 1.0) / (kPermutations + 1.0);
    }
  }

  void warn(const char* code, std::string words, std::string where = "") {
    out_.warnings.push_back({code, std::move(words), std::move(where)});
  }

  void warnings() {
    if (!complete(s_)) warn("unfinished", "not everybody has answered everything");
    for (const auto& r : out_.viewers) {
      if (r.answers == 0) continue;
      if (r.guessing)
        warn("guessing",
             fmt::format("repeats were answered alike {} of {} times, no more than by chance",
                         r.consistent.of, r.consistent.n),
             r.initials);
      if (r.consistent.n < kFewVotes)
        warn("few-repeats", fmt::format("{} repeats say little about being consistent", r.consistent.n),
             r.initials);
      if (r.acceptedReference && !*r.acceptedReference)
        warn("reference-refused", "the hidden reference was not accepted", r.initials);
      if (r.ownBodyChance && *r.ownBody > 0 && *r.ownBodyChance < kChance)
        warn("own-body", fmt::format("the own body was favoured by {:.0f} % of the scale", 100 * *r.ownBody),
             r.initials);
    }
    if (out_.firstShown && (out_.firstShown->low > 0.5 || out_.firstShown->high < 0.5))
      warn("first-shown", fmt::format("the {} of two was preferred {:.0f} % of the time",
                                      out_.firstShown->low > 0.5 ? "first" : "second",
                                      100 * (out_.firstShown->low > 0.5 ? out_.firstShown->value()
                                                                        : 1 - out_.firstShown->value())));
    if (out_.separable)
      warn("separable", "some pictures won or lost every time: their places are held back, not measured");
    for (const auto& c : out_.candidates)
      if (!pairs_ && c.accepted.n < kFewVotes)
        return warn("few-votes",
                    fmt::format("fewer than {} answers for a picture: see the intervals", kFewVotes));
  }

  const BlindSession& s_;
  bool pairs_;
  std::vector<std::vector<Trial>> trials_;
  SessionReport out_;
};

json shareJson(const Share& s) {
  return {{"of", s.of}, {"n", s.n}, {"value", s.value()}, {"low", s.low}, {"high", s.high}};
}

json thresholdJson(const std::optional<ThresholdFit>& f) {
  if (!f) return nullptr;
  const auto one = [](const std::optional<Threshold>& t) {
    return t ? json{{"at", number(t->at)}, {"low", number(t->low)}, {"high", number(t->high)}} : json();
  };
  return {{"clean", one(f->clean)},    {"lost", one(f->lost)},
          {"separable", f->separable}, {"contradictory", f->contradictory},
          {"answers", f->answers},     {"slope", number(f->slope)}};
}

}  // namespace

SessionReport reportOf(const BlindSession& s) {
  if (!s.unsealed) throw Error("this session is still sealed", s.plan.title, "", "unseal it first");
  if (const std::string what = tampering(s); !what.empty())
    throw Error(what, s.plan.title, "", "this session can't be trusted: hold another");
  return Reporter(s).run();
}

json toJson(const BlindSession& s, const SessionReport& r) {
  json j = {
      {"title", s.plan.title},
      {"ask", s.plan.ask == Ask::Pairs ? "pairs" : "one by one"},
      {"seal", s.seal},
      {"criterion", s.plan.criterion},
      {"viewers", json::array()},
      {"candidates", json::array()},
      {"alpha",
       r.alpha ? json{{"value", r.alpha->value}, {"low", r.alpha->low}, {"high", r.alpha->high}} : json()},
      {"kappa", number(r.kappa)},
      {"first_shown", r.firstShown ? shareJson(*r.firstShown) : json()},
      {"threshold", thresholdJson(r.threshold)},
      {"warnings", toJson(r.warnings)}};
  for (const auto& v : r.viewers)
    j["viewers"].push_back({{"initials", v.initials},
                            {"answers", v.answers},
                            {"consistent", shareJson(v.consistent)},
                            {"by_chance", v.byChance},
                            {"guessing", v.guessing},
                            {"accepted_reference", v.acceptedReference ? json(*v.acceptedReference) : json()},
                            {"median_seconds", v.medianSeconds},
                            {"own_body", number(v.ownBody)},
                            {"own_body_chance", number(v.ownBodyChance)},
                            {"threshold", thresholdJson(v.threshold)}});
  for (const auto& c : r.candidates) {
    const Candidate& of = s.plan.candidates[c.candidate];
    j["candidates"].push_back({{"name", of.name},
                               {"body", of.body},
                               {"figure", number(of.figure)},
                               {"accepted", shareJson(c.accepted)},
                               {"usable", shareJson(c.usable)},
                               {"rank", c.rank ? json{{"score", c.rank->score},
                                                      {"low", c.rank->low},
                                                      {"high", c.rank->high},
                                                      {"wins", c.rank->wins},
                                                      {"losses", c.rank->losses}}
                                               : json()}});
  }
  return j;
}

}  // namespace edge
