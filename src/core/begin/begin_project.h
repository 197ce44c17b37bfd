// A sorted shoot as it is printed, and as a project with its clips linked.
#pragma once
#include "begin/sort_out.h"
#include "project/place_charts.h"
#include "project/project.h"

namespace edge {

// Why a group's exposures are not to be trusted (SortedGroup::bend).
[[nodiscard]] std::string bendWords(const SortedGroup& group);

// What `begin` prints, without schema and inputs. Paths as given by `looks`.
[[nodiscard]] nlohmann::json toJson(const SortedShoot& shoot, const std::vector<ClipLook>& looks);

// Configurations with their clips, paths relative to `folder`; clips of unknown role are left out.
[[nodiscard]] std::vector<Configuration> configurationsOf(const SortedShoot& shoot,
                                                          const std::vector<ClipLook>& looks,
                                                          const DecodeOptions& decode,
                                                          const std::filesystem::path& folder);
// Charts found on their clips (project/place_charts.h), for all of them.
[[nodiscard]] std::vector<LookedFor> placeAll(std::vector<Configuration>& configurations,
                                              const std::filesystem::path& folder,
                                              std::optional<double> wedgeStep, const Progress& progress);
// Added to what `begin` prints: where charts were found, and what is still to be said of them.
void addPlaces(nlohmann::json& printed, const std::vector<Configuration>& configurations,
               const std::vector<LookedFor>& places);

// The plan of what was shot (begin_plan.h), and in it the slate of every clip; null where no ISO is known,
// for nothing can be planned then.
[[nodiscard]] nlohmann::json planBackwards(std::vector<Configuration>& configurations,
                                           const SortedShoot& shoot, const std::vector<ClipLook>& looks,
                                           const std::filesystem::path& file);

// Writes the project with its plan (null: none). Errors: it exists already; no place to write.
void writeProject(const std::vector<Configuration>& configurations, const nlohmann::json& recipe,
                  const std::filesystem::path& file);

}  // namespace edge
