// begin: a finished shoot without plan or slates.
#include <algorithm>

#include "begin/begin_join.h"
#include "command.h"
#include "project/analysis.h"
#include "project/match_project.h"

namespace fs = std::filesystem;

namespace edge::cli {
namespace {

struct Args {
  std::vector<std::string> folders;
  std::string project;
  ClipOptions options;
  double step = 0, iso = 0, wedgeStep = 0;
  bool add = false;
};

// To a project that stands: its bases are looked at as well, and what is new counts from them.
nlohmann::json join(const Args& args, const SortOptions& options, std::vector<fs::path> clips,
                    const Progress& progress) {
  const auto project = Project::open(args.project);
  const auto stood = project->configurations();
  const auto bases = keptBases(stood, project->folder());
  for (const auto& base : bases)
    if (std::find(clips.begin(), clips.end(), base) == clips.end()) clips.push_back(base);
  const auto looks = lookAtAll(clips, options.decode, progress);
  SortedShoot shoot = sortOut(looks, options);
  countFromKept(shoot, looks, stood, project->folder(), options.step);
  const auto recipe = project->decision(0, "", kRecipeKey);
  JoinedShoot joined = joinShoot(stood, recipe ? recipe->value : nlohmann::json(), shoot, looks,
                                 options.decode, project->folder());
  placeNew(joined, project->folder(), args.wedgeStep > 0 ? std::optional(args.wedgeStep) : std::nullopt,
           progress);
  storeConfigurations(*project, joined.configurations);
  if (recipe && joined.recipe != recipe->value)
    project->setDecision({0, "", kRecipeKey, joined.recipe, "with what was shot without a plan"});
  nlohmann::json j = toJson(shoot, looks);
  j["added"] = joined.added, j["left_out"] = joined.leftOut;
  return j;
}

nlohmann::json run(const Args& args, const Progress& progress) {
  if (!args.add && fs::exists(args.project))
    throw Error("the project exists already", args.project, "",
                "give another name, or --add to add to it; nothing was changed");
  SortOptions options;
  options.decode = args.options.decode();
  if (args.step > 0) options.step = args.step;
  if (args.iso > 0) options.iso = args.iso;
  if (!options.decode.curve.empty())
    (void)makeCurve(options.decode.curve);  // a wrong one is said before clips are read
  const auto clips = unplannedClips({args.folders.begin(), args.folders.end()});
  if (clips.empty())
    throw Error("no clips in there", args.folders.front(), "",
                "name the folder that the cards were copied to");
  if (args.add) {
    nlohmann::json j = join(args, options, clips, progress);
    j["project"] = args.project;
    j["inputs"] = {{"folders", args.folders}, {"curve", args.options.curve}, {"step", args.step}};
    return j;
  }
  const auto looks = lookAtAll(clips, options.decode, progress);
  const SortedShoot shoot = sortOut(looks, options);
  const fs::path folder = fs::absolute(args.project).lexically_normal().parent_path();
  auto configurations = configurationsOf(shoot, looks, options.decode, folder);
  const auto places = placeAll(configurations, folder,
                               args.wedgeStep > 0 ? std::optional(args.wedgeStep) : std::nullopt, progress);
  const auto recipe = planBackwards(configurations, shoot, looks, args.project);
  writeProject(configurations, recipe, args.project);
  nlohmann::json j = toJson(shoot, looks);
  addPlaces(j, configurations, places);
  j["project"] = args.project;
  j["inputs"] = {{"folders", args.folders},
                 {"curve", args.options.curve},
                 {"range", args.options.range},
                 {"step", args.step}};
  return j;
}

}  // namespace

void addBegin(CLI::App& app, Common& common) {
  auto args = std::make_shared<Args>();
  auto* c = addCommand(app, common, "begin", "Begin from clips: sort a finished shoot without plan or slates",
                       [args](const Progress& p) { return run(*args, p); });
  c->add_option("folders", args->folders, "Folders with clips")->required();
  c->add_option("--project", args->project, "Project file to write")->required();
  args->options.addDecodingTo(*c);
  c->add_flag("--add", args->add, "Add the clips to a project that stands; they count from its bases");
  c->add_option("--iso", args->iso, "ISO of clips whose files say none")->check(CLI::Range(1.0, 1e7));
  c->add_option("--wedge-step", args->wedgeStep, "Stops from patch to patch of the wedges")
      ->check(CLI::Range(0.05, 3.0));
  c->add_option("--step", args->step, "Size of the exposure steps in stops")->check(CLI::Range(0.05, 4.0));
}

}  // namespace edge::cli
