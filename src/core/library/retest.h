// The same configuration tested twice: what changed, and what two tests can tell apart. Pure arithmetic
// (docs/method.md, "Re-test").
//   u² = u1² + u2² + 2 r² (+ 2 m² where a base was metered)        JCGM 100:2008, 5.1.2
//   changed where |difference| > k u;  k from 1 % shared by all figures compared (Bonferroni)
#pragma once
#include "base/warning.h"
#include "library/tested.h"

namespace edge {

// What a bench leaves open beside the figure's own error, one standard error, stops: lamp, shutter and iris
// from day to day, and setting a base by a meter. Common practice.
inline constexpr double kRepeatStops = 0.03, kMeterStops = 0.1;
// Of a hundred re-tests of a body that did not change, so many say that it did.
inline constexpr double kFalseAlarms = 0.01;

enum class Change { Unchanged, Changed, NotKnown };
[[nodiscard]] const char* wordOf(Change change);

struct Difference {
  const TestedFigureSpec* figure = nullptr;
  std::optional<Limit> before, after;
  std::optional<double> stops, sigma;  // after less before, one standard error
  std::optional<double> wouldShow;     // the least change that would be called one
  Change change = Change::NotKnown;
  std::string why;  // of a change that is not known, or known by bounds
};
struct Retest {
  std::vector<Difference> figures;
  Change change = Change::NotKnown;  // of all: changed where one is
  std::string sentence;
  std::vector<Warning> warnings;
};

// before, after: of one configuration, as sameConfiguration has it; throws Error where they are not.
[[nodiscard]] Retest retest(const Tested& before, const Tested& after);
// Of all pairs that two projects share, in the order of the second.
[[nodiscard]] std::vector<std::pair<size_t, size_t>> pairsOf(const std::vector<Tested>& before,
                                                             const std::vector<Tested>& after);
[[nodiscard]] nlohmann::json toJson(const Tested& before, const Tested& after, const Retest& result);

}  // namespace edge
