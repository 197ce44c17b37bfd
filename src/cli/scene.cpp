#include "advise/scene_check.h"
#include "base/hash.h"
#include "command.h"
#include "project/analysis.h"

namespace edge::cli {
namespace {

struct Args {
  std::string project, readings, exposure;
};

nlohmann::json run(const Args& args, const Progress& progress) {
  const auto exposure = args.exposure.empty() ? std::nullopt : std::optional(sceneExposure(args.exposure));
  const SceneReadings scene = readReadings(args.readings, exposure);  // before anything long is begun
  const auto project = Project::open(args.project);
  std::vector<Warning> unmeasured;
  for (const auto& f : analyseAll(*project, progress))
    unmeasured.push_back({"not-measured", f.error.what(), f.words});
  const auto reaches = reachesOf(collectFindings(*project));
  nlohmann::json j = toJson(scene, checkScene(scene, reaches));
  for (const auto& w : unmeasured)
    j["warnings"].push_back({{"code", w.code}, {"message", w.message}, {"where", w.where}});
  j["inputs"] = {{"project", args.project},
                 {"readings", args.readings},
                 {"readings_hash", hashFile(args.readings)},
                 {"options", {{"exposure", args.exposure}}}};
  return j;
}

}  // namespace

void addScene(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "scene",
                           "will a scene hold? its spot readings on what every configuration holds",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("project", args->project, "project file (.edgetest)")->required();
  c->add_option("--readings", args->readings, "readings of the scene (.json or .csv)")->required();
  c->add_option("--exposure", args->exposure, "exposure the scene was metered for: \"T2.8 1/48 ISO800\"");
}

}  // namespace edge::cli
