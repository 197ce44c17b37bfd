#include "recover/curve_fit.h"

#include "base/files.h"
#include "command.h"

namespace edge::cli {

void addCurveFit(CLI::App& app, Common& common) {
  struct Args {
    std::string series, csv;
  };
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "curve-fit", "measures an unknown transfer curve from a bracket",
                           [args](const Progress& p) {
                             const CurveFit fit = fitCurve(gatherCurve(readSeries(args->series), p));
                             if (!args->csv.empty()) writeFileAtomically(args->csv, curveCsv(fit));
                             nlohmann::json j = toJson(fit);
                             j["inputs"] = {{"series", args->series}};
                             return j;
                           });
  c->add_option("series", args->series, "series file (.json) of a bracket")->required();
  c->add_option("--csv", args->csv, "the curve as a file that --curve reads");
}

}  // namespace edge::cli
