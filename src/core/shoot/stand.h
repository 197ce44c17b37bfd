// Where every take of the plan stands: open, in the can, in the project, or lost.
#pragma once
#include <set>

#include "plan/plan.h"
#include "shoot/log.h"

namespace edge {

enum class TakeStand {
  Open,
  Again,    // to be shot again
  Skipped,  // on set, with a reason
  Shot,     // logged, no clip of its series is in the project yet
  Linked,   // its clip is in the project
  Lost      // logged, but while clips of its series are in the project its own is not
};
[[nodiscard]] const char* wordOf(TakeStand stand);  // on screen; empty: open

// Of each take, in plan order. `linked`: slates whose clips the project keeps.
[[nodiscard]] std::vector<TakeStand> standOf(const Plan& plan, const ShootLog& log,
                                             const std::set<std::string>& linked);

}  // namespace edge
