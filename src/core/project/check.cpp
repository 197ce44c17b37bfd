#include "project/check.h"

#include "media/clip.h"
#include "project/analysis.h"

namespace edge {

ProjectCheck checkProject(const Project& project, const Progress& progress) {
  ProjectCheck check;
  check.fileProblems = project.integrityProblems();
  const auto configurations = project.configurations();
  double total = 0, done = 0;
  for (const auto& c : configurations) total += static_cast<double>(c.clips.size());
  for (const auto& c : configurations) {
    for (const auto& clip : c.clips) {
      progress.report(done++ / std::max(1.0, total), clip.path);
      ++check.clips;
      try {
        const auto path = project.folder() / clip.path;
        if (hashClip(openClip(path)->info()) != clip.hash)
          check.mediaProblems.push_back({clip.path,
                                         "the clip is not the one that was added: its content changed",
                                         "restore the original, or add the clip again"});
      } catch (const Error& e) {
        check.mediaProblems.push_back({clip.path, e.problem(), e.remedy()});
      }
    }
  }
  for (const auto& a : allAnalyses(project, configurations))
    ++(project.hasResult(a.configuration, a.result, a.inputHash) ? check.resultsCurrent
                                                                 : check.resultsMissing);
  progress.report(1, "checked");
  return check;
}

}  // namespace edge
