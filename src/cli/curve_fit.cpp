#include "recover/curve_fit.h"

#include "base/error.h"
#include "base/files.h"
#include "base/numbers.h"
#include "command.h"

namespace edge::cli {
namespace {

// A patch of the chart by its name, or stops on the chart's scale.
std::optional<double> greyOf(const Series& series, const std::string& text) {
  if (text.empty()) return std::nullopt;
  if (const Patch* p = series.chart.find(text); p && p->stops) return p->stops;
  if (const auto number = parseNumber(text)) return number;
  throw UsageError("\"" + text + "\" is no patch of the chart and no number", "--grey", "",
                   "name the patch that is 18 % grey, or its stops on the chart's scale");
}

}  // namespace

void addCurveFit(CLI::App& app, Common& common) {
  struct Args {
    std::string series, csv, grey;
  };
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "curve-fit", "measures an unknown transfer curve from a bracket",
                           [args](const Progress& p) {
                             const Series series = readSeries(args->series);
                             const CurveFit fit =
                                 fitCurve(gatherCurve(series, p, greyOf(series, args->grey)));
                             if (!args->csv.empty()) writeFileAtomically(args->csv, curveCsv(fit));
                             nlohmann::json j = toJson(fit);
                             j["inputs"] = {{"series", args->series}};
                             return j;
                           });
  c->add_option("series", args->series, "series file (.json) of a bracket")->required();
  c->add_option("--grey", args->grey, "the patch that is 18 % grey, or its stops on the chart's scale");
  c->add_option("--csv", args->csv, "the curve as a file that --curve reads");
}

}  // namespace edge::cli
