// A blind session: what is shown to whom in which order, and what they answered. No pictures here; a
// candidate is a key that somebody else can show. Orders are drawn from a stored seed and sealed by a hash
// before the first answer; every answer carries the hash of all before it, so that a change shows.
#pragma once
#include <cstdint>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

namespace edge {

enum class Answer { No, WithCleanUp, Accept };  // rising
[[nodiscard]] const char* wordOf(Answer answer);
enum class Ask { OneByOne, Pairs };  // would you accept it; which of two is better

struct Candidate {
  std::string key;               // what is shown
  std::string name;              // said once it is unsealed
  std::string body;              // empty: of none
  std::optional<double> figure;  // of the criterion that a threshold is fitted to
  friend bool operator==(const Candidate&, const Candidate&) = default;
};
struct Viewer {
  std::string initials;
  std::string ownBody;  // that this person works with; empty: none
  friend bool operator==(const Viewer&, const Viewer&) = default;
};

inline constexpr size_t kMostCandidates = 60, kMostViewers = 40, kMostPairs = 200;
struct SessionPlan {
  std::string title;
  Ask ask = Ask::OneByOne;
  std::vector<Candidate> candidates;
  std::optional<size_t> reference;  // hidden among the others: one that must be accepted
  size_t repeats = 3;               // shown a second time without saying so
  double seconds = 0;               // each is shown so long; 0: as long as the viewer wants
  std::string criterion;            // that `figure` is of; empty: none
  bool rising = false;              // a larger figure is better
  std::vector<Viewer> viewers;
  std::uint64_t seed = 0;
};

struct Trial {
  size_t first = 0;
  std::optional<size_t> second;    // pairs: shown after the first
  std::optional<size_t> repeatOf;  // of an earlier trial; a pair comes back the other way round
};
// Errors: too few or too many candidates or viewers, a name twice, repeats that there is nothing to repeat
// of.
void checkPlan(const SessionPlan& plan);
// What a viewer is shown, in order. Pairs beyond kMostPairs are left out, drawn by lot, every candidate
// equally often as far as that goes.
[[nodiscard]] std::vector<Trial> trialsOf(const SessionPlan& plan, size_t viewer);

struct Vote {
  size_t viewer = 0, trial = 0;
  int answer = 0;      // one by one: Answer; pairs: 0 the first, 1 the second
  double seconds = 0;  // until it was given
  std::string chain;   // hash of this and all before it
};

struct BlindSession {
  SessionPlan plan;
  std::string seal;  // of plan and orders
  std::vector<Vote> votes;
  bool unsealed = false;
};
[[nodiscard]] BlindSession sealed(SessionPlan plan);
// The viewer's next trial; nullopt: all are answered.
[[nodiscard]] std::optional<size_t> nextTrial(const BlindSession& session, size_t viewer);
[[nodiscard]] bool complete(const BlindSession& session);
// Errors: unsealed already, all answered, no such answer.
void addVote(BlindSession& session, size_t viewer, int answer, double seconds);
// Names may be seen from now on, and nothing can be answered any more. Errors: no answer at all yet.
void unseal(BlindSession& session);
// Empty: plan, orders and answers are as they were given.
[[nodiscard]] std::string tampering(const BlindSession& session);

[[nodiscard]] nlohmann::json toJson(const BlindSession& session);
// Errors: not a session, indices out of range, figures that are no numbers.
[[nodiscard]] BlindSession sessionFromJson(const nlohmann::json& j);

}  // namespace edge
