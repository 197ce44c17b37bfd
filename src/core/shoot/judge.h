// Readings against what was planned, against each other, and against what can be: said at once, with the
// reason. Tolerances: light a tenth of a stop, ratios two tenths, tones three tenths (common practice).
#pragma once
#include <string>
#include <vector>

#include "plan/plan.h"
#include "shoot/log.h"

namespace edge {

inline constexpr double kLightTolerance = 0.1, kRatioTolerance = 0.2, kToneTolerance = 0.3;

enum class Standing { Pass, Fail, Doubt };  // Doubt: readings that can't all be true
struct Judgement {
  std::string code;  // "light", "ratio", "tone", "level", "contradiction", "impossible", "drift", "unit"
  Standing standing = Standing::Pass;
  std::string position, words;
  double off = 0;  // stops from what was expected
};

// Of the readings of one take; earlier takes are looked at for drift and fixed lamps.
[[nodiscard]] std::vector<Judgement> judgeReadings(const Recipe& recipe, const Plan& plan,
                                                   const Knowledge& known, const ShootLog& log, size_t take);

// Positions worth asking for at this take: "key", "fill", the grey card, the sitters' faces, white, fixed
// lamps.
[[nodiscard]] std::vector<std::string> positionsFor(const Recipe& recipe, const Plan& plan, size_t take);

}  // namespace edge
