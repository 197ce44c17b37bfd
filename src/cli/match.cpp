#include "project/match_project.h"

#include <filesystem>

#include "base/files.h"
#include "command.h"
#include "project/analysis.h"

namespace fs = std::filesystem;

namespace edge::cli {
namespace {

struct Args {
  std::string project, clips, manifest;
  bool keep = false;
};

nlohmann::json run(const Args& args, const Progress& progress) {
  const auto project = Project::open(args.project);
  const auto planned = project->decision(0, "", kRecipeKey);
  if (!planned)
    throw Error("this project has no plan to match with", args.project, "recipe",
                "plan it first, or import a recipe in the window");
  const Recipe recipe = recipeFromJson(planned->value, project->folder() / "recipe.json");
  const Plan plan = makePlan(recipe);
  const fs::path folder = fs::absolute(args.clips).lexically_normal();
  auto facts = readAllFacts(folder, progress);
  const auto stood = project->configurations();
  std::vector<const Configuration*> kept;
  for (const auto& c : stood) kept.push_back(&c);
  joinKept(facts, kept, project->folder());
  Match match =
      matchClips(recipe, plan, foldLog(project->log()), project->id(), facts, linksByHand(*project));
  auto configurations = linkedConfigurations(*project, recipe, plan, facts, match);
  nlohmann::json checks = nlohmann::json::array();
  std::vector<std::vector<CheckedTake>> checked;
  for (const auto& c : configurations) {
    // What was checked before and still fits is not looked at again.
    const auto stored = storedChecks(*project, c);
    checked.push_back(stored ? *stored : checkConfiguration(c, project->folder(), recipe, plan, progress));
    noteExposures(plan, match, project->folder(), checked.back(), facts);
    for (const auto& t : toJson(checked.back())) checks.push_back(t);
  }
  checkExposures(plan, facts, match);
  nlohmann::json j = matchJson(plan, facts, match);
  j["checks"] = checks;
  j["inputs"] = {{"project", args.project}, {"clips", args.clips}};
  j["warnings"] = nlohmann::json::array();
  for (const auto& l : match.links)
    if (!l.trouble.empty())
      j["warnings"].push_back(
          {{"code", "link"}, {"message", l.trouble}, {"clip", facts[l.clip].path.generic_string()}});
  if (args.keep) {
    std::vector<std::shared_ptr<const Checked>> stored;
    for (size_t i = 0; i < checked.size(); ++i)
      stored.push_back(checked[i].empty()
                           ? nullptr
                           : writtenOut(checksInputHash(*project, configurations[i]), std::move(checked[i])));
    storeLinks(*project, configurations, stored);
  }
  if (!args.manifest.empty()) {
    std::vector<fs::path> clips;
    for (const auto& f : facts)
      if (f.problem.empty() && !f.elsewhere) clips.push_back(f.path);
    writeFileAtomically(args.manifest, manifestOf(clips, folder, progress));
  }
  return j;
}

}  // namespace

void addMatch(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c =
      addCommand(app, common, "match", "links copied clips to the takes of a project's plan, and checks them",
                 [args](const Progress& p) { return run(*args, p); });
  c->add_option("project", args->project, "project file (.edgetest)")->required();
  c->add_option("--clips", args->clips, "folder of the copied cards")->required();
  c->add_flag("--keep", args->keep, "store the links and checks in the project");
  c->add_option("--manifest", args->manifest, "hashes of all files, verified by xxhsum -c");
}

}  // namespace edge::cli
