// A copy of a project as it stands, in any folder. Media and curve files stay where they are: the copy's
// paths lead back to them. Errors: no room, no permission; the copy is whole or not there.
#pragma once
#include "project/project.h"

namespace edge {

void saveCopy(const Project& project, const std::filesystem::path& file);

}  // namespace edge
