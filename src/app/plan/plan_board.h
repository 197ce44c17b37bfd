// The coverage of a plan as rows of the stop ruler.
#pragma once
#include "plan/planner.h"
#include "ruler/ruler.h"

namespace edge::app {

[[nodiscard]] RulerData planBoard(const Planned& planned, int selectedRow, int selectedCell);

}  // namespace edge::app
