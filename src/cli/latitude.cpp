#include "recover/latitude.h"

#include "base/hash.h"
#include "command.h"

namespace edge::cli {
namespace {

nlohmann::json run(const std::string& file, const std::string& display, const Progress& progress) {
  Series series = readSeries(file);
  if (!display.empty()) series.display = display;
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
  struct Args {
    std::string series, display;
  };
  const auto args = std::make_shared<Args>();
  CLI::App* c = addCommand(app, common, "latitude", "the two edges of a bracket",
                           [args](const Progress& p) { return run(args->series, args->display, p); });
  c->add_option("series", args->series, "series description (.json)")->required();
  c->add_option("--display", args->display, "soft-shoulder, bt709 or a LUT file; default: the series' own");
}

}  // namespace edge::cli
