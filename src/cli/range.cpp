#include "measure/range.h"

#include <fmt/format.h>

#include <cmath>

#include "base/error.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "chart/densities.h"
#include "command.h"
#include "match/steady.h"
#include "measure/evenness.h"
#include "measure/range_advice.h"

namespace edge::cli {
namespace {

constexpr double kUnevenStops = 0.1;

struct Args {
  std::string clip, chart, black, raster, densities, turned, turnedChart;
  bool explain = false;
  ClipOptions options;
};

void readBlack(const Args& args, const DecodeOptions& decode, const Chart& chart, const Progress& progress,
               RangeOptions& range, nlohmann::json& inputs) {
  const auto reader = openClip(args.black);
  setBlack(range, measureWedge(*reader, decode, chart, {}, progress, rasterOf(args.raster)));
  inputs["black"] = describeClip(reader->info());
}

// A second pass with the chart turned by 180 degrees: its steps' stops are corrected for uneven light.
std::optional<Evenness> readTurned(const Args& args, const DecodeOptions& decode, const Chart& chart,
                                   const Progress& progress, WedgeMeasure& wedge, nlohmann::json& inputs) {
  if (args.turned.empty()) return std::nullopt;
  const Chart other = args.turnedChart.empty() ? turned(chart) : readChart(args.turnedChart);
  const auto reader = openClip(args.turned);
  const WedgeMeasure second = measureWedge(*reader, decode, other, args.options.window(), progress);
  inputs["turned"] = describeClip(reader->info());
  try {
    const Evenness e = evennessOf(wedge, chart, second, other);
    correct(wedge, e);
    return e;
  } catch (const Error& e) {  // the arithmetic knows no files
    throw Error(e.problem(), args.turned, e.place(), e.remedy());
  }
}

nlohmann::json run(const Args& args, const Progress& progress) {
  const auto raster = rasterOf(args.raster);
  Chart chart = readChart(args.chart);
  if (!args.densities.empty()) calibrate(chart, readDensities(args.densities), args.densities);
  const auto reader = std::make_unique<WatchedClip>(openClip(args.clip));
  const DecodeOptions decode = args.options.decodeFor(reader->info());
  const Decoder decoder(reader->info().format, decode);
  nlohmann::json inputs = {{"chart", {{"path", args.chart}, {"hash", hashFile(args.chart)}}},
                           {"options", args.options.toJson(decoder)}};
  RangeOptions options;
  if (!args.black.empty()) readBlack(args, decode, chart, progress, options, inputs);
  // The hash reads the same bytes: done first, it warms the cache for the decoder.
  inputs["clip"] = describeClip(reader->info());
  WedgeMeasure wedge = measureWedge(*reader, decode, chart, args.options.window(), progress, raster);
  const auto evenness = readTurned(args, decode, chart, progress, wedge, inputs);
  const RangeResult result = analyseRange(wedge, options);
  nlohmann::json j = rangeToJson(wedge, result);
  j["exposure"] = toJson(adviseExposure(wedge, result));
  j["limitations"] = toJson(limitationsOf(wedge, result, !args.black.empty()));
  j["evenness"] = evenness ? toJson(*evenness) : nlohmann::json();
  // First: what else is said may come of it.
  if (const auto w = reader->unsteady()) j["warnings"].insert(j["warnings"].begin(), toJson({*w})[0]);
  if (evenness && evenness->acrossStops > kUnevenStops)
    j["warnings"].push_back(
        {{"code", "uneven"},
         {"message", fmt::format("light falls off by {:.2f} stops across the wedge: corrected "
                                 "by the turned pass",
                                 evenness->acrossStops)},
         {"where", ""}});
  if (raster) {
    const double f = static_cast<double>(wedge.rasterWidth) / raster->width;
    j["raster"] = {
        {"width", raster->width},
        {"height", raster->height},
        {"factor", f},
        {"formula",
         "white noise falls by the factor: read-limited limits move by log2(factor), photon-limited "
         "ones by twice that; measured, not computed"},
        {"formula_stops", std::log2(f)}};
  }
  if (args.explain) j["explain"] = explainRange(wedge, result, options);
  j["inputs"] = inputs;
  return j;
}

}  // namespace

void addRange(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "range", "dynamic range from a step wedge",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("clip", args->clip, "movie, folder of frames, one frame or pattern")->required();
  c->add_option("--chart", args->chart, "chart description (.json)")->required();
  c->add_option("--black", args->black, "cap-on clip: separates glare from a pedestal");
  c->add_option("--raster", args->raster, "measured at this delivery raster, WxH, by real resampling");
  c->add_option("--densities", args->densities, "calibrated densities of the patches: CSV, or a CGATS table");
  c->add_option("--turned", args->turned,
                "second pass, the chart turned by 180 degrees: corrects uneven light");
  c->add_option("--turned-chart", args->turnedChart,
                "chart of that pass; otherwise turned about the wedge's middle")
      ->needs("--turned");
  c->add_flag("--explain", args->explain,
              "says where each figure comes from and why each step is of its class");
  args->options.addTo(*c);
}

}  // namespace edge::cli
