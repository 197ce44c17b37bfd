// The run order: fewest costly changes, bases at start, middle and end of every series.
#pragma once
#include <map>

#include "plan/plan.h"

namespace edge {

// Seconds that lie between two takes: the changes from one's settings to the other's.
[[nodiscard]] double changeSeconds(const Recipe& recipe, const Plan& plan, const Take& from, const Take& to);
// Cards as they fill up, take by take.
class Cards {
 public:
  explicit Cards(const Recipe& recipe) : recipe_(recipe) {}
  [[nodiscard]] const CardSpec* of(const std::string& body) const;  // nullptr: none is listed
  bool take(const Plan& plan, const Take& t);                       // true: a fresh one goes in before it

 private:
  const Recipe& recipe_;
  std::map<std::string, double> filled_;  // bytes, by body
};

// Seconds of takes in this order, cards changed on the way.
[[nodiscard]] double orderSeconds(const Recipe& recipe, const Plan& plan, const std::vector<Take>& takes);
// True when in every series a base comes first, one last, and the middle one with at least a third of the
// steps on either side.
[[nodiscard]] bool orderHolds(const Plan& plan, const std::vector<Take>& takes);

// Orders plan.takes, which come as the tests list them, and numbers and times them. Never slower than they
// came. Exact up to kExactTakes, then by sessions of equal lighting and improved by moves.
inline constexpr size_t kExactTakes = 11;
void orderTakes(const Recipe& recipe, Plan& plan, const Progress& progress);
// Clock, card changes and totals of the present order.
void timeTakes(const Recipe& recipe, Plan& plan);

}  // namespace edge
