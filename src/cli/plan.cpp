#include <filesystem>

#include "base/files.h"
#include "base/hash.h"
#include "command.h"
#include "paper/run_list_page.h"
#include "paper_application.h"
#include "plan/run_list.h"

namespace edge::cli {
namespace {

struct Args {
  std::string recipe, csv, json, pdf;
};

nlohmann::json run(const Args& args, const Progress& progress) {
  const std::filesystem::path file = args.recipe;
  const Recipe recipe = recipeFromJson(readRecipeJson(file), file);
  const Plan plan = makePlan(recipe, {}, progress);
  nlohmann::json result = planJson(recipe, plan);
  result["warnings"] = nlohmann::json::array();
  for (const auto& p : plan.problems)
    if (p.severity != Severity::Caution)
      result["warnings"].push_back({{"code", p.code}, {"message", p.words}, {"where", p.where}});
  result["inputs"] = {{"recipe", args.recipe}, {"hash", hashFile(file)}};
  result["written"] = nlohmann::json::array();
  const auto wrote = [&](const std::string& name) { result["written"].push_back(name); };
  if (!args.csv.empty()) writeFileAtomically(args.csv, runListCsv(recipe, plan)), wrote(args.csv);
  if (!args.pdf.empty()) {
    const PaperApplication application;
    app::writeRunListPdf(args.pdf, recipe, plan, {}), wrote(args.pdf);
  }
  if (!args.json.empty()) writeFileAtomically(args.json, result.dump(2) + "\n"), wrote(args.json);
  return result;
}

}  // namespace

void addPlan(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "plan", "takes, settings and run order from a recipe",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("recipe", args->recipe, "recipe file (.json)")->required();
  c->add_option("--csv", args->csv, "run list as CSV");
  c->add_option("--json", args->json, "the whole plan");
  c->add_option("--pdf", args->pdf, "run list to print");
}

}  // namespace edge::cli
