// The coverage of a plan as rows of the stop ruler.
#pragma once
#include "plan/planner.h"
#include "ruler/ruler.h"
#include "shoot/stand.h"

namespace edge::app {

[[nodiscard]] RulerData planBoard(const Planned& planned, const std::vector<TakeStand>& stands,
                                  int selectedRow, int selectedCell);
// Where the takes of the plan stand in the open project.
[[nodiscard]] std::vector<TakeStand> standsOf(const Planned& planned, const Document& document);

}  // namespace edge::app
