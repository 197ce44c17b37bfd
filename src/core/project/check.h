// Integrity of a project and of the media it refers to.
#pragma once
#include <string>
#include <vector>

#include "base/progress.h"
#include "project/project.h"

namespace edge {

struct MediaProblem {
  std::string clip, problem, remedy;
};

struct ProjectCheck {
  std::vector<std::string> fileProblems;
  std::vector<MediaProblem> mediaProblems;
  int clips = 0, resultsCurrent = 0, resultsMissing = 0;
};

// Re-hashes every clip.
[[nodiscard]] ProjectCheck checkProject(const Project& project, const Progress& progress);

}  // namespace edge
