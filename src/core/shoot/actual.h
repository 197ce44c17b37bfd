// What a take was really shot with, where a hand set it otherwise than planned: "T4 instead", "ND0.9, 1/100".
#pragma once
#include <string>
#include <vector>

#include "plan/plan.h"

namespace edge {

struct ActualTake {
  Take take;                            // the planned one with what was said: settings, light and gain
  double light = 0, gain = 0;           // stops against the plan
  std::vector<std::string> understood;  // "T4", "ND0.9"
  bool iris = false, shutter = false, iso = false, nd = false;  // which of them was said
};

// The written settings are laid over those of the plan; words around them ("instead", "at") are passed over,
// an angle needs no frame rate, "no ND" takes it out. Throws UsageError naming the word that can't be read.
[[nodiscard]] ActualTake actualTake(const Recipe& recipe, const Plan& plan, const Take& take,
                                    const std::string& text);
// As above; empty text, or text of an earlier day that can't be read: as planned.
[[nodiscard]] ActualTake takeAsShot(const Recipe& recipe, const Plan& plan, const Take& take,
                                    const std::string& text);

}  // namespace edge
