// Two bodies on one set under the same grade: how far they lie apart patch by patch and step by step, where
// they drift apart, how one is matched to the other, and over which steps they can be cut together
// (docs/method.md, "Two bodies"). Everything is B minus A: A is the reference. Pure arithmetic on what was
// measured of the two brackets.
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "color/lab.h"
#include "recover/latitude.h"

namespace edge {

inline constexpr double kIntercutLimit = 3;  // CIEDE2000, mean of neutrals and skin; common practice
inline constexpr double kLeavesBase = 2;     // hypot of a*, b* of the grey against its own base
inline constexpr double kOpposite = 90;      // degrees between two drifts from which they are opposite

struct ColourDifference {
  std::string name;
  double deltaE = 0;           // CIEDE2000
  double L = 0, a = 0, b = 0;  // B minus A
  bool intact = true;          // in both
  bool counted = false;        // neutral or skin: it decides about cutting them together
};

struct Drift {
  double a = 0, b = 0;  // of the grey against that of the same body's base
};

struct BodiesStep {
  double step = 0;  // as planned; 0: the base
  std::string nameA, nameB;
  double measuredA = 0, measuredB = 0, sigma = 0;  // stops; of both
  std::vector<ColourDifference> patches;
  double mean = 0, meanSigma = 0;       // CIEDE2000 of those that count, and its standard error
  std::optional<Drift> driftA, driftB;  // nothing where the grey is clipped
  bool opposite = false;
};

struct BodyMatch {
  Mat3 matrix{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};  // takes B to A, scene-linear, rows R, G, B
  bool diagonal = false;                           // only greys are known: gains alone
  std::optional<SolvedBranch> grade;               // CDL on the log encoding of B
  std::string logEncoding;
  // Mean CIEDE2000 over all intact patches of the steps that can be cut together; of the base where none can.
  double before = 0, after = 0;
  std::optional<double> afterCdl;
  Vec3 noise{1, 1, 1};   // what the matrix makes of equal noise in R, G, B: factor of its sd
  double noiseLuma = 1;  // and of luma's
};

struct Intercut {
  double from = 0, to = 0;                    // stops, interpolated where the limit is passed
  double fromSigma = 0, toSigma = 0;          // of the two ends
  bool openBelow = false, openAbove = false;  // the limit is not reached within the steps both have
};

struct TwoBodies {
  std::string grey;  // patch whose drift is followed
  std::string display;
  double limit = kIntercutLimit;
  std::vector<BodiesStep> steps;  // rising, the base among them
  BodyMatch match;
  std::optional<Intercut> intercut;  // nothing: not even the bases
  std::vector<Warning> warnings;
};

// Errors: no three patches of one name that are intact in both bases, or no display of that name.
[[nodiscard]] TwoBodies compareBodies(const LatitudeMeasure& a, const LatitudeMeasure& b,
                                      double limit = kIntercutLimit);
// The range for another limit; nothing else of the comparison depends on it but the match's figures.
[[nodiscard]] std::optional<Intercut> intercutOf(const std::vector<BodiesStep>& steps, double limit);
// "can be cut together from -2.1 to +3.0 stops"
[[nodiscard]] std::string wordsOf(const std::optional<Intercut>& intercut);
// Of steps that drift in opposite ways: "from -3 on A turns towards magenta, B towards green"; empty: none.
[[nodiscard]] std::string driftWords(const TwoBodies& t, const std::string& a, const std::string& b);

// The result of the command `bodies` (docs/edge-test-cli.1).
[[nodiscard]] nlohmann::json toJson(const TwoBodies& t);

}  // namespace edge
