#include "bodies/match_files.h"
#include "series_command.h"

namespace edge::cli {
namespace {

struct Args {
  std::string a, b, display, cdl, clf, cube;
  double limit = kIntercutLimit;
};

nlohmann::json run(const Args& args, const Progress& progress) {
  Series series[2] = {readSeries(args.a), readSeries(args.b)};
  LatitudeMeasure measured[2];
  for (size_t i = 0; i < 2; ++i) {
    requireKind(series[i], i == 0 ? args.a : args.b, {"bracket"});
    if (!args.display.empty()) series[i].display = args.display;
    const Progress half([&](double done, const std::string& what) {
      progress.report((static_cast<double>(i) + done) / 2, (i == 0 ? "A, " : "B, ") + what);
    });
    measured[i] = measureLatitude(series[i], half);
  }
  const TwoBodies t = compareBodies(measured[0], measured[1], args.limit);
  nlohmann::json j = toJson(t);
  j["corrections"] = nlohmann::json::array();
  for (const auto& [folder, format] :
       {std::pair(&args.cdl, CorrectionFormat::Cdl), std::pair(&args.clf, CorrectionFormat::Clf),
        std::pair(&args.cube, CorrectionFormat::Cube)})
    if (!folder->empty())
      for (const auto& f : writeMatch(*folder, format, t)) j["corrections"].push_back(f.string());
  j["words"] = wordsOf(t.intercut);
  j["drifts"] = driftWords(t, "A", "B");
  j["inputs"] = {{"a", describeSeries(args.a, series[0])}, {"b", describeSeries(args.b, series[1])}};
  return j;
}

}  // namespace

void addBodies(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "bodies", "two bodies under one grade: differences, drifts, a match",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("series_a", args->a, "bracket of the body that is the reference (.json)")->required();
  c->add_option("series_b", args->b, "bracket of the other (.json)")->required();
  c->add_option("--limit", args->limit, "mean CIEDE2000 of neutrals and skin up to which they cut together")
      ->check(CLI::Range(0.1, 100.0));
  c->add_option("--display", args->display, "soft-shoulder, bt709 or a LUT file; default: that of A");
  c->add_option("--cdl", args->cdl, "write the match as ASC CDL into this folder");
  c->add_option("--clf", args->clf, "write the match as CLF into this folder");
  c->add_option("--cube", args->cube, "write matrix and CDL as .cube into this folder");
}

}  // namespace edge::cli
