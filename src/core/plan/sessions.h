// The heuristic of the run order for plans too large to be ordered exactly. Inside plan/ only.
#pragma once
#include "plan/plan.h"

namespace edge {

[[nodiscard]] bool sameLampPlaces(const TakeSettings& a, const TakeSettings& b);

// Takes that share body, scene and lamps' places are shot in one session: bases, the lower half, bases, the
// upper half, bases. Sessions follow each other by the cheapest insertion. interleave: series of a session
// are taken step by step together; else one after the other.
[[nodiscard]] std::vector<Take> sessionOrder(const Recipe& recipe, const Plan& plan,
                                             const std::vector<Take>& takes, bool interleave);

}  // namespace edge
