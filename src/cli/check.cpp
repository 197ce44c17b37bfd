#include "project/check.h"

#include "command.h"
#include "project/analysis.h"
#include "project/copy.h"
#include "project/match_project.h"

namespace edge::cli {

namespace {

// Of every take of the brackets; what was checked before and still fits is not looked at again.
nlohmann::json takeChecks(Project& project, const Progress& progress) {
  nlohmann::json all = nlohmann::json::array();
  const auto stored = project.decision(0, "", kRecipeKey);
  if (!stored) return all;
  const Recipe recipe = recipeFromJson(stored->value, project.folder() / "recipe.json");
  const Plan plan = makePlan(recipe);
  for (const auto& c : project.configurations()) {
    const std::string hash = checksInputHash(project, c);
    std::optional<nlohmann::json> checks;
    if (const auto stored = storedChecks(project, c, hash)) checks = toJson(*stored);
    if (!checks) {
      try {
        checks = toJson(checkConfiguration(c, project.folder(), recipe, plan, progress));
        project.storeResult(c.id, kChecksResult, hash, *checks);
      } catch (const Error& e) {
        // A missing or broken clip stands among the media problems already.
        checks = nlohmann::json::array({{{"slate", c.label()},
                                         {"clip", e.subject()},
                                         {"checks", nlohmann::json::array()},
                                         {"problem", e.problem()}}});
      }
    }
    for (const auto& t : *checks) all.push_back(t);
  }
  return all;
}

}  // namespace

void addCheck(CLI::App& app, Common& common) {
  const auto file = std::make_shared<std::string>();
  CLI::App* c =
      addCommand(app, common, "check", "integrity of a project and its media", [file](const Progress& p) {
        const auto project = Project::open(*file);
        const ProjectCheck check = checkProject(*project, p);
        nlohmann::json j = {
            {"sound", check.fileProblems.empty() && check.mediaProblems.empty()},
            {"file_problems", check.fileProblems},
            {"set_apart", project->setApart()},
            {"media_problems", nlohmann::json::array()},
            {"outside_paths", outsidePaths(*project)},
            {"clips", check.clips},
            {"results", {{"current", check.resultsCurrent}, {"missing", check.resultsMissing}}},
            {"inputs", {{"project", *file}}}};
        for (const auto& m : check.mediaProblems)
          j["media_problems"].push_back({{"clip", m.clip}, {"problem", m.problem}, {"remedy", m.remedy}});
        j["checks"] = takeChecks(*project, p);
        return j;
      });
  c->add_option("project", *file, "project file (.edgetest)")->required();
}

}  // namespace edge::cli
