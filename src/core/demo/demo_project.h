// The demo project of *Saltpan Road*: clips from the simulated cameras, charts, series files, truth, project
// file.
#pragma once
#include <filesystem>

#include "base/progress.h"

namespace edge {

struct DemoFiles {
  std::filesystem::path project, clips, truth;
};

// Writes everything below `folder` (created). Deterministic. Errors: no room; the folder holds a demo of
// another kind.
DemoFiles makeDemo(const std::filesystem::path& folder, bool small, const Progress& progress);

// True when a finished demo of this version stands there.
[[nodiscard]] bool demoStands(const std::filesystem::path& folder, bool small);
[[nodiscard]] DemoFiles demoFilesIn(const std::filesystem::path& folder);

}  // namespace edge
