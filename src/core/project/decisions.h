// What a decision of each kind must hold to be read at all. One that does not was damaged, or written by
// another hand: it is set apart when the project is opened, with its value, and said.
#pragma once
#include "project/project.h"

namespace edge {

// Empty: it can be read. Keys that are not known are sound: a newer version wrote them.
[[nodiscard]] std::string problemOf(const Decision& decision);

}  // namespace edge
