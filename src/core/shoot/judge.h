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
  std::string code;  // "light", "ratio", "tone", "level", "contradiction", "impossible", "drift", "unit",
                     // "settings", "wedge"
  Standing standing = Standing::Pass;
  std::string position, words;
  double off = 0;  // stops from what was expected
};

// Identity of what is off at a take, for reasons why it may stay: "light key".
[[nodiscard]] std::string codeOf(const Judgement& judgement);

// Of the readings and settings of one take, as it was shot or is about to be; earlier takes are looked at for
// drift and fixed lamps.
[[nodiscard]] std::vector<Judgement> judgeReadings(const Recipe& recipe, const Plan& plan,
                                                   const Knowledge& known, const ShootLog& log, size_t take);

// Stops by which a take was knowingly exposed otherwise than planned: by the settings that were typed, with
// the light as it was read. 0: as planned, or nothing was typed.
[[nodiscard]] double exposureOff(const Recipe& recipe, const Plan& plan, const ShootLog& log, size_t take);

// Positions worth asking for at this take: "key", "fill", the grey card, the sitters' faces, white, fixed
// lamps; of a wedge its first step.
[[nodiscard]] std::vector<std::string> positionsFor(const Recipe& recipe, const Plan& plan, size_t take);

}  // namespace edge
