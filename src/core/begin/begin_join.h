// A day without a plan added to a project that stands: its new clips count from the bases that are kept
// there.
#pragma once
#include <set>

#include "begin/begin_project.h"

namespace edge {

// Bases of the project, to be looked at beside the new clips: what shows their scene counts from them.
[[nodiscard]] std::vector<std::filesystem::path> keptBases(const std::vector<Configuration>& stood,
                                                           const std::filesystem::path& folder);
// Groups that hold a kept base count from it, and are of its body, mode and ISO. Where several fit: the one that was
// said (`said`), or lies in the folder of most of the new clips; else the group's clips are unknown until it is said.
void countFromKept(SortedShoot& shoot, const std::vector<ClipLook>& looks,
                   const std::vector<Configuration>& stood, const std::filesystem::path& folder,
                   std::optional<double> step, const std::set<std::filesystem::path>& said = {});

struct JoinedShoot {
  std::vector<Configuration> configurations;  // all of the project, with what is new; id 0: new ones
  nlohmann::json recipe;             // with takes that were not planned; null: the project has no plan
  std::vector<std::string> leftOut;  // clip, and why it was not taken
  size_t added = 0;
};
// `looks` hold the kept bases too, `shoot` is counted from them. A step that stands is not shot again here:
// the clip is left out, and said. Clips that stand already are passed over.
[[nodiscard]] JoinedShoot joinShoot(const std::vector<Configuration>& stood, const nlohmann::json& recipe,
                                    const SortedShoot& shoot, const std::vector<ClipLook>& looks,
                                    const DecodeOptions& decode, const std::filesystem::path& folder);

// Charts of the new configurations, as placeAll().
void placeNew(JoinedShoot& joined, const std::filesystem::path& folder, std::optional<double> wedgeStep,
              const Progress& progress);

}  // namespace edge
