// A copy of a project as it stands, in any folder. Media and curve files stay where they are: the copy's
// paths lead back to them. Errors: no room, no permission; the copy is whole or not there.
#pragma once
#include "project/project.h"

namespace edge {

void saveCopy(const Project& project, const std::filesystem::path& file);

// The recipe of a project in one folder as one in another folder needs it.
[[nodiscard]] nlohmann::json recipeElsewhere(const nlohmann::json& recipe, const std::filesystem::path& from,
                                             const std::filesystem::path& to);
inline constexpr std::uintmax_t kMostCurveBytes = 64u << 20;  // of a curve's file that goes with a project
// Of a path as a project keeps it: it leads to something in the project's folder or below.
[[nodiscard]] bool staysInside(const std::string& path);
// Paths of clips, curves, displays and looks that lead out of its folder, by themselves or by a link; each
// once.
[[nodiscard]] std::vector<std::string> outsidePaths(const Project& project);
// Those that do so by themselves are cut to their names; returns what they were.
std::vector<std::string> keepInside(Project& project);

}  // namespace edge
