// What is done to a take to bring it back to the base: four branches, kept apart (docs/method.md,
// "Branches of bring-back").
#pragma once
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "color/cdl.h"
#include "color/curve.h"
#include "color/display.h"
#include "recover/bring_back.h"

namespace edge {

enum class Branch { Exposure, Balance, Grade, LogOffset };
struct BranchSpec {
  Branch id;
  const char* key;      // in files
  const char* words;    // on screen
  const char* formula;  // what it does, a sentence
};
// In the order of Branch.
[[nodiscard]] std::span<const BranchSpec> branches();
[[nodiscard]] const BranchSpec& specOf(Branch branch);
[[nodiscard]] std::optional<Branch> parseBranch(const std::string& key);

// The encoding in which log-side branches work: the clip's own; ACEScct where the clip is linear.
[[nodiscard]] std::string logEncodingOf(const std::string& curveName);

struct Correction {
  Branch branch = Branch::Exposure;
  BringBack back;         // k, q of exposure and balance
  Vec3 gains{1, 1, 1};    // of balance, after 1/k
  Cdl cdl;                // of the best grade, on log code
  double codeOffset = 0;  // of the log offset

  // Scene-linear in and out. `log`: the encoding of logEncodingOf.
  [[nodiscard]] Vec3 light(const Vec3& linear, const Curve& log) const;
  // Code of that encoding in and out.
  [[nodiscard]] Vec3 code(const Vec3& code, const Curve& log) const;
  // Each channel by itself: what a table per channel can carry.
  [[nodiscard]] bool perChannel() const { return branch != Branch::Grade; }
};

// Largest size of each parameter that a solver may reach, on either side of doing nothing.
inline constexpr double kMostStops = 10;     // of exposure
inline constexpr double kMostGainStops = 1;  // of a channel of the balance
inline constexpr double kMostOffset = 0.75;  // of code
inline constexpr double kMostDoubling = 2;   // log2 of slope, power and saturation

struct SolvedBranch {
  Correction correction;
  double effort = 0;                 // largest parameter against its bound, 0..1
  std::vector<std::string> atBound;  // parameters that ended there: the match was luck
};

// An area whose colour is known in take and base.
struct ColourPair {
  Vec3 take{}, base{};  // scene-linear means
  double weight = 1;    // of its squared colour difference
  bool neutral = false;
  Vec3 takeError{}, baseError{};  // standard errors of the means
};
inline constexpr double kSkinWeight = 3;

struct BranchProblem {
  const Curve& log;
  const DisplayTransform& display;
  Primaries primaries;
  BringBack exposure;
  std::vector<ColourPair> pairs;  // intact in both
};

// nullopt: too few pairs for this branch (balance: two neutral; grade and offset: three).
// The grade is the bounded least CIEDE2000 (Levenberg and Marquardt, Eigen) from three fixed starts.
[[nodiscard]] std::optional<SolvedBranch> solveBranch(Branch branch, const BranchProblem& problem);

}  // namespace edge
