#include "recover/latitude.h"

#include "base/hash.h"
#include "command.h"

namespace edge::cli {
namespace {

struct Args {
  std::string series, display, raster, chroma = wordOf(Chroma::Full444);
};

nlohmann::json run(const Args& args, const Progress& progress) {
  const std::string& file = args.series;
  Series series = readSeries(file);
  if (!args.display.empty()) series.display = args.display;
  series.delivery.raster = rasterOf(args.raster);
  const auto chroma = parseChroma(args.chroma);
  if (!chroma)
    throw UsageError("not a chroma sampling: \"" + args.chroma + "\"", "--chroma", "", "444, 422 or 420");
  series.delivery.chroma = *chroma;
  const LatitudeMeasure measure = measureLatitude(series, progress);
  nlohmann::json j = latitudeToJson(measure, judgeLatitude(measure, CriteriaProfile{}));
  nlohmann::json clips = nlohmann::json::array();
  clips.push_back(describeClip(openClip(series.base)->info()));
  for (const auto& t : series.takes) clips.push_back(describeClip(openClip(t.clip)->info()));
  j["inputs"] = {{"series", {{"path", file}, {"hash", hashFile(file)}}},
                 {"chart", {{"path", series.chartFile.string()}, {"hash", hashFile(series.chartFile)}}},
                 {"clips", clips},
                 {"options", {{"curve", series.decode.curve}, {"display", series.display}}}};
  return j;
}

}  // namespace

void addLatitude(CLI::App& app, Common& common) {
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "latitude", "the two edges of a bracket",
                           [args](const Progress& p) { return run(*args, p); });
  c->add_option("series", args->series, "series description (.json)")->required();
  c->add_option("--display", args->display, "soft-shoulder, bt709 or a LUT file; default: the series' own");
  c->add_option("--raster", args->raster, "noise is judged at this delivery raster, WxH, by real resampling");
  c->add_option("--chroma", args->chroma, "and at this chroma sampling: 444 (default), 422, 420");
}

}  // namespace edge::cli
