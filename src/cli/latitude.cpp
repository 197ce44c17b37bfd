#include "base/hash.h"
#include "command.h"
#include "recover/correction_files.h"
#include "recover/restate.h"

namespace edge::cli {
namespace {

struct Args {
  std::string series, display, raster, chroma, profile, rebase, cdl, clf, cube;
};

struct Wanted {
  Delivery delivery;
  bool coarser = false;  // the clip has less than the profile's raster
};

// The profile's, unless the options say otherwise. A clip that is coarser than a profile's raster is judged
// as recorded; a raster that was asked for by itself is refused then, where it is measured.
Wanted deliveryOf(const Args& args, const CriteriaProfile& profile, const std::filesystem::path& clip) {
  Wanted w{profile.delivery.value_or(Delivery{})};
  if (const auto asked = w.delivery.raster) {
    const PixelFormat format = openClip(clip)->info().format;
    const int cell = format.layout == Layout::Cfa ? 2 : 1;  // raw is developed by cells
    w.delivery = servedBy(w.delivery, format.width / cell, format.height / cell);
    w.coarser = asked->width > format.width / cell || asked->height > format.height / cell;
  }
  if (!args.raster.empty()) w = {{rasterOf(args.raster), w.delivery.chroma}};
  if (args.chroma.empty()) return w;
  const auto chroma = parseChroma(args.chroma);
  if (!chroma)
    throw UsageError("not a chroma sampling: \"" + args.chroma + "\"", "--chroma", "", "444, 422 or 420");
  w.delivery.chroma = *chroma;
  return w;
}

void exportCorrections(const Args& args, const LatitudeMeasure& measure, nlohmann::json& j) {
  j["corrections"] = nlohmann::json::array();
  for (const auto& [folder, format] :
       {std::pair(&args.cdl, CorrectionFormat::Cdl), std::pair(&args.clf, CorrectionFormat::Clf),
        std::pair(&args.cube, CorrectionFormat::Cube)}) {
    if (folder->empty()) continue;
    const CorrectionFiles files = writeCorrections(*folder, format, measure, measure.logEncoding);
    for (const auto& f : files.written) j["corrections"].push_back(f.string());
    for (const auto& w : files.warnings)
      j["warnings"].push_back({{"code", w.code}, {"message", w.message}, {"where", w.where}});
  }
}

nlohmann::json run(const Args& args, const Progress& progress) {
  const std::string& file = args.series;
  Series series = readSeries(file);
  if (!args.display.empty()) series.display = args.display;
  CriteriaProfile profile = args.profile.empty() ? CriteriaProfile() : readProfile(args.profile);
  const Wanted wanted = deliveryOf(args, profile, series.base);
  series.delivery = wanted.delivery;
  profile.delivery.reset();  // measured there
  series.wanted = profile;
  const LatitudeMeasure measure = measureLatitude(series, progress);
  LatitudeResult result = judgeLatitude(measure, profile);
  std::optional<NewBase> base;
  if (!args.rebase.empty()) {
    base = newBaseOf(args.rebase, measure);
    result = restated(std::move(result), base->stops);
  }
  nlohmann::json j = latitudeToJson(measure, result, profile);
  if (wanted.coarser)
    j["warnings"].push_back({{"code", "coarser-than-profile"},
                             {"message", "the clips have less than the profile's raster: judged as recorded"},
                             {"where", "profile " + profile.name}});
  j["rebase"] = base ? nlohmann::json{{"name", base->name}, {"stops", base->stops}} : nlohmann::json();
  exportCorrections(args, measure, j);
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
  c->add_option("--profile", args->profile, "criteria profile: limits, delivery raster, chroma sampling");
  c->add_option("--rebase", args->rebase, "count edges from another base: a take, stops, grey or skin");
  c->add_option("--cdl", args->cdl, "write the corrections as ASC CDL into this folder");
  c->add_option("--clf", args->clf, "write the corrections as CLF into this folder");
  c->add_option("--cube", args->cube, "write the corrections as .cube into this folder");
}

}  // namespace edge::cli
