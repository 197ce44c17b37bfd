#include "review/session.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <random>
#include <set>

#include "base/error.h"
#include "base/hash.h"
#include "base/json_numbers.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kLongest = 1e6;  // seconds for an answer

// The same on every machine, as std::shuffle and its distributions are not promised to be.
class Lot {
 public:
  explicit Lot(std::uint64_t seed) : engine_(seed) {}
  size_t below(size_t n) { return static_cast<size_t>(engine_() % n); }
  template <class T>
  void shuffle(std::vector<T>& list) {
    for (size_t i = list.size(); i > 1; --i) std::swap(list[i - 1], list[below(i)]);
  }

 private:
  std::mt19937_64 engine_;
};

std::uint64_t seedOf(const SessionPlan& plan, size_t viewer) {
  // SplitMix64 (Steele, Lea and Flood 2014; from memory): neighbouring seeds give unlike streams.
  std::uint64_t z = plan.seed + 0x9E3779B97F4A7C15ULL * (viewer + 1);
  z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9ULL;
  z = (z ^ (z >> 27)) * 0x94D049BB133111EBULL;
  return z ^ (z >> 31);
}

std::vector<Trial> pairsOf(const SessionPlan& plan, Lot& lot) {
  std::vector<Trial> all;
  for (size_t a = 0; a < plan.candidates.size(); ++a)
    for (size_t b = a + 1; b < plan.candidates.size(); ++b) all.push_back({a, b, {}});
  lot.shuffle(all);
  if (all.size() > kMostPairs) {
    std::vector<size_t> shown(plan.candidates.size());
    std::vector<Trial> kept;
    // Always the pair whose two were shown least; ties as the lot has them.
    std::vector<bool> used(all.size());
    while (kept.size() < kMostPairs) {
      size_t best = all.size();
      const auto count = [&](size_t i) { return shown[all[i].first] + shown[*all[i].second]; };
      for (size_t i = 0; i < all.size(); ++i)
        if (!used[i] && (best == all.size() || count(i) < count(best))) best = i;
      used[best] = true;
      ++shown[all[best].first], ++shown[*all[best].second];
      kept.push_back(all[best]);
    }
    all = std::move(kept);
    lot.shuffle(all);
  }
  for (auto& t : all)
    if (lot.below(2)) std::swap(t.first, *t.second);
  return all;
}

// Which to show again, and after which of the others: never right after its first showing where that can be
// had.
void addRepeats(const SessionPlan& plan, Lot& lot, std::vector<Trial>& trials) {
  std::vector<size_t> which(trials.size());  // where each of the first showings stands
  for (size_t i = 0; i < which.size(); ++i) which[i] = i;
  lot.shuffle(which);
  // The last showing can only be repeated at the end: when others stand there already.
  which.resize(plan.repeats + (plan.repeats < which.size() ? 1 : 0));
  std::stable_partition(which.begin(), which.end(), [&](size_t w) { return w + 1 < trials.size(); });
  for (size_t n = 0; n < plan.repeats; ++n) {
    Trial t = trials[which[n]];
    if (t.second) std::swap(t.first, *t.second);
    t.repeatOf = which[n];
    const size_t from = std::min(which[n] + 2, trials.size()),
                 at = from + lot.below(trials.size() - from + 1);
    trials.insert(trials.begin() + static_cast<std::ptrdiff_t>(at), t);
    for (size_t i = 0; i < trials.size(); ++i)
      if (auto& r = trials[i].repeatOf; r && i != at && *r >= at) ++*r;
    for (auto& w : which)
      if (w >= at) ++w;
  }
}

json planJson(const SessionPlan& p) {
  json j = {{"title", p.title},
            {"ask", p.ask == Ask::Pairs ? "pairs" : "one by one"},
            {"candidates", json::array()},
            {"reference", p.reference ? json(*p.reference) : json()},
            {"repeats", p.repeats},
            {"seconds", p.seconds},
            {"criterion", p.criterion},
            {"rising", p.rising},
            {"viewers", json::array()},
            {"seed", p.seed}};
  for (const auto& c : p.candidates)
    j["candidates"].push_back({{"key", c.key},
                               {"name", c.name},
                               {"body", c.body},
                               {"figure", c.figure ? json(*c.figure) : json()}});
  for (const auto& v : p.viewers) j["viewers"].push_back({{"initials", v.initials}, {"own_body", v.ownBody}});
  return j;
}

std::string sealOf(const SessionPlan& plan) {
  json j = planJson(plan);
  for (size_t v = 0; v < plan.viewers.size(); ++v)
    for (const auto& t : trialsOf(plan, v)) j["orders"].push_back({v, t.first, t.second.value_or(t.first)});
  return hashBytes(j.dump());
}

std::string chainOf(const std::string& before, const Vote& v) {
  return hashBytes(before + fmt::format("|{}|{}|{}|{:.3f}", v.viewer, v.trial, v.answer, v.seconds));
}

[[noreturn]] void refuse(const std::string& what, const std::string& place, const std::string& remedy) {
  throw Error(what, "", place, remedy);
}

}  // namespace

const char* wordOf(Answer answer) {
  constexpr const char* kWords[] = {"no", "with clean-up", "accept"};
  return kWords[static_cast<size_t>(answer)];
}

void checkPlan(const SessionPlan& p) {
  if (p.candidates.size() < 2 || p.candidates.size() > kMostCandidates)
    refuse(fmt::format("{} pictures to be judged", p.candidates.size()), "pool",
           fmt::format("choose 2 to {}", kMostCandidates));
  if (p.viewers.empty() || p.viewers.size() > kMostViewers)
    refuse(fmt::format("{} viewers", p.viewers.size()), "viewers", fmt::format("name 1 to {}", kMostViewers));
  std::set<std::string> seen;
  for (const auto& v : p.viewers)
    if (v.initials.empty() || !seen.insert(v.initials).second)
      refuse(v.initials.empty() ? "a viewer without initials" : "two viewers are called " + v.initials,
             "viewers", "give each initials of their own");
  seen.clear();
  for (const auto& c : p.candidates)
    if (!seen.insert(c.key).second)
      refuse("a picture stands in the pool twice", c.name, "take one of them out");
  const size_t once = p.ask == Ask::Pairs
                          ? std::min(kMostPairs, p.candidates.size() * (p.candidates.size() - 1) / 2)
                          : p.candidates.size();
  if (p.repeats > once)
    refuse(fmt::format("{} repeats of {} showings", p.repeats, once), "repeats", "ask for fewer");
  if (p.reference && *p.reference >= p.candidates.size())
    refuse("the reference is not in the pool", "reference", "choose one of the pool");
  if (!std::isfinite(p.seconds) || p.seconds < 0 || p.seconds > 3600)
    refuse("no time to show a picture", "seconds", "0 (free) to 3600");
}

std::vector<Trial> trialsOf(const SessionPlan& plan, size_t viewer) {
  Lot lot(seedOf(plan, viewer));
  std::vector<Trial> trials;
  if (plan.ask == Ask::Pairs) {
    trials = pairsOf(plan, lot);
  } else {
    for (size_t i = 0; i < plan.candidates.size(); ++i) trials.push_back({i, {}, {}});
    lot.shuffle(trials);
  }
  addRepeats(plan, lot, trials);
  return trials;
}

BlindSession sealed(SessionPlan plan) {
  checkPlan(plan);
  BlindSession s;
  s.seal = sealOf(plan);
  s.plan = std::move(plan);
  return s;
}

std::optional<size_t> nextTrial(const BlindSession& s, size_t viewer) {
  const auto given = static_cast<size_t>(
      std::count_if(s.votes.begin(), s.votes.end(), [&](const Vote& v) { return v.viewer == viewer; }));
  return given < trialsOf(s.plan, viewer).size() ? std::optional(given) : std::nullopt;
}

bool complete(const BlindSession& s) {
  for (size_t v = 0; v < s.plan.viewers.size(); ++v)
    if (nextTrial(s, v)) return false;
  return true;
}

void addVote(BlindSession& s, size_t viewer, int answer, double seconds) {
  if (s.unsealed)
    refuse("this session is unsealed: its names have been seen", s.plan.title, "set up another session");
  const auto trial = viewer < s.plan.viewers.size() ? nextTrial(s, viewer) : std::nullopt;
  if (!trial)
    refuse("there is nothing left to answer for this viewer", s.plan.title, "choose another viewer");
  if (answer < 0 || answer > (s.plan.ask == Ask::Pairs ? 1 : 2))
    refuse(fmt::format("{} is no answer", answer), s.plan.title, "give one of those that are asked for");
  Vote v{viewer, *trial, answer, std::clamp(std::isfinite(seconds) ? seconds : 0, 0.0, kLongest), ""};
  v.seconds = std::round(v.seconds * 1000) / 1000;
  v.chain = chainOf(s.votes.empty() ? s.seal : s.votes.back().chain, v);
  s.votes.push_back(std::move(v));
}

void unseal(BlindSession& s) {
  if (s.votes.empty()) refuse("nobody has answered yet", s.plan.title, "let a viewer answer first");
  s.unsealed = true;
}

std::string tampering(const BlindSession& s) {
  if (s.seal != sealOf(s.plan)) return "pictures, viewers or orders are not those that were sealed";
  std::string before = s.seal;
  std::vector<size_t> given(s.plan.viewers.size());
  for (const auto& v : s.votes) {
    if (v.chain != chainOf(before, v) || v.trial != given[v.viewer]++)
      return "an answer was changed, added or taken out";
    before = v.chain;
  }
  return {};
}

json toJson(const BlindSession& s) {
  json j = planJson(s.plan);
  j["seal"] = s.seal, j["unsealed"] = s.unsealed, j["votes"] = json::array();
  for (const auto& v : s.votes) j["votes"].push_back({v.viewer, v.trial, v.answer, v.seconds, v.chain});
  return j;
}

BlindSession sessionFromJson(const json& j) {
  try {
    BlindSession s;
    SessionPlan& p = s.plan;
    p.title = j.at("title"), p.ask = j.at("ask") == "pairs" ? Ask::Pairs : Ask::OneByOne;
    for (const auto& c : j.at("candidates")) {
      p.candidates.push_back({c.at("key"), c.at("name"), c.at("body"), {}});
      if (!c.at("figure").is_null()) p.candidates.back().figure = c.at("figure").get<double>();
    }
    if (!j.at("reference").is_null()) p.reference = static_cast<size_t>(Whole(j.at("reference")));
    p.repeats = Whole(j.at("repeats")), p.seconds = j.at("seconds"), p.criterion = j.at("criterion");
    p.rising = j.at("rising");
    for (const auto& v : j.at("viewers")) p.viewers.push_back({v.at("initials"), v.at("own_body")});
    p.seed = Whole(j.at("seed"));
    checkPlan(p);
    s.seal = j.at("seal"), s.unsealed = j.at("unsealed");
    for (const auto& v : j.at("votes")) {
      s.votes.push_back({Whole(v.at(0)), Whole(v.at(1)), Whole(v.at(2)), v.at(3), v.at(4)});
      const Vote& vote = s.votes.back();
      if (vote.viewer >= p.viewers.size() || vote.answer < 0 || vote.answer > 2 ||
          !std::isfinite(vote.seconds))
        refuse("an answer of nobody, or none that was asked for", "votes", "restore the project from a copy");
    }
    return s;
  } catch (const json::exception&) {
    refuse("this is no review session", "review", "restore the project from a copy");
  }
}

}  // namespace edge
