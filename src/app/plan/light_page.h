// The light a plan asks for, and the cards it fills, as a page.
#pragma once
#include "plan/planner.h"

namespace edge::app {

[[nodiscard]] QString lightTable(const Planned& planned);

}  // namespace edge::app
