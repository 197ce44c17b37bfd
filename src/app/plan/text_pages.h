// What a plan says in pages of text: its protocol, and the light it asks for with the cards it fills.
#pragma once
#include "plan/planner.h"

namespace edge::app {

[[nodiscard]] QString protocolText(const Planned& planned);
[[nodiscard]] QString lightTable(const Planned& planned);

}  // namespace edge::app
