// What a session says once it is unsealed: each viewer with themselves, viewers with each other, bias, and
// the pictures with their names (docs/method.md, "Blind review").
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "base/warning.h"
#include "review/agreement.h"
#include "review/session.h"

namespace edge {

struct ViewerReport {
  std::string initials;
  int answers = 0;
  Share consistent;       // repeats that were answered alike
  double byChance = 0;    // share that guessing with the same habits would answer alike
  bool guessing = false;  // no more alike than by chance (binomial, 5 %)
  std::optional<bool> acceptedReference;
  double medianSeconds = 0;
  // Of the pictures of the own body: accepted share less that of other viewers for the same pictures, less
  // the same difference for the other bodies. Probability of as much by lot (permutation).
  std::optional<double> ownBody, ownBodyChance;
  std::optional<ThresholdFit> threshold;
};

struct CandidateReport {
  size_t candidate = 0;
  Share accepted, usable;  // accept; accept or with clean-up. Of its first showings
  std::optional<Ranked> rank;
};

struct SessionReport {
  std::vector<ViewerReport> viewers;
  std::vector<CandidateReport> candidates;  // in the order of the plan
  std::optional<Agreement> alpha;           // ordinal; of pairs: nominal
  std::optional<double> kappa;              // Fleiss, where all have judged all
  std::optional<Share> firstShown;          // pairs: the first was preferred
  bool separable = false;                   // ranking
  std::optional<ThresholdFit> threshold;    // of all viewers together
  std::vector<Warning> warnings;
};

// Errors: the session is still sealed, or was tampered with.
[[nodiscard]] SessionReport reportOf(const BlindSession& session);
[[nodiscard]] nlohmann::json toJson(const BlindSession& session, const SessionReport& report);

}  // namespace edge
