#include "recover/correction_files.h"
#include "recover/restate.h"
#include "series_command.h"

namespace edge::cli {
namespace {

struct Args {
  std::string series, rebase, cdl, clf, cube, stress, look;
  JudgedBy judged;
};

void exportCorrections(const Args& args, const LatitudeMeasure& measure, nlohmann::json& j) {
  j["corrections"] = nlohmann::json::array();
  for (const auto& [folder, format] :
       {std::pair(&args.cdl, CorrectionFormat::Cdl), std::pair(&args.clf, CorrectionFormat::Clf),
        std::pair(&args.cube, CorrectionFormat::Cube)}) {
    if (folder->empty()) continue;
    const CorrectionFiles files = writeCorrections(*folder, format, measure, measure.logEncoding);
    for (const auto& f : files.written) j["corrections"].push_back(f.string());
    for (const auto& w : toJson(files.warnings)) j["warnings"].push_back(w);
  }
}

nlohmann::json run(const Args& args, const Progress& progress) {
  const std::string& file = args.series;
  Series series = readSeries(file);
  if (!args.stress.empty()) series.stress = readStress(args.stress);
  series.look = args.look;
  const AskedDelivery asked = args.judged.applyTo(series, series.base);
  const CriteriaProfile& profile = asked.profile;
  series.wanted = profile;
  const LatitudeMeasure measure = measureLatitude(series, progress);
  LatitudeResult result = judgeLatitude(measure, profile);
  std::optional<NewBase> base;
  if (!args.rebase.empty()) {
    base = newBaseOf(args.rebase, measure);
    result = restated(std::move(result), base->stops);
  }
  nlohmann::json j = latitudeToJson(measure, result, profile);
  asked.warn(j);
  j["rebase"] = base ? nlohmann::json{{"name", base->name}, {"stops", base->stops}} : nlohmann::json();
  exportCorrections(args, measure, j);
  j["inputs"] = describeSeries(file, series);
  return j;
}

}  // namespace

void addLatitude(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "latitude", "the two edges of a bracket",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("series", args->series, "series description (.json)")->required();
  args->judged.addTo(*c);
  c->add_option("--rebase", args->rebase, "count edges from another base: a take, stops, grey or skin");
  c->add_option("--stress", args->stress, "steps of the stress grade (.json); default: eight of its own");
  c->add_option("--look", args->look,
                "also judge under this look: CDL or LUT, on log code, after the neutral bring-back");
  c->add_option("--cdl", args->cdl, "write the corrections as ASC CDL into this folder");
  c->add_option("--clf", args->clf, "write the corrections as CLF into this folder");
  c->add_option("--cube", args->cube, "write the corrections as .cube into this folder");
}

}  // namespace edge::cli
