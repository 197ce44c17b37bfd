#include "measure/range.h"

#include <future>

#include "base/hash.h"
#include "command.h"

namespace edge::cli {
namespace {

struct Args {
  std::string clip, chart, black;
  ClipOptions options;
};

// Cap-on: the statistics at the place of each patch, the darkest place taken (light leaks only add).
void readBlack(const Args& args, const DecodeOptions& decode, const Chart& chart, const Progress& progress,
               RangeOptions& range, nlohmann::json& inputs) {
  const auto reader = openClip(args.black);
  const WedgeMeasure w = measureWedge(*reader, decode, chart, {}, progress);
  for (int c = 0; c < kMeasured; ++c) {
    const PatchMeasure* darkest = &w.patches[0];
    for (const auto& p : w.patches)
      if (p.channel[c].mean < darkest->channel[c].mean) darkest = &p;
    range.black[c] = darkest->channel[c];
  }
  inputs["black"] = describeClip(reader->info());
}

nlohmann::json run(const Args& args, const Progress& progress) {
  const Chart chart = readChart(args.chart);
  const auto reader = openClip(args.clip);
  const DecodeOptions decode = args.options.decodeFor(reader->info());
  const Decoder decoder(reader->info().format, decode);
  nlohmann::json inputs = {{"chart", {{"path", args.chart}, {"hash", hashFile(args.chart)}}},
                           {"options", args.options.toJson(decoder)}};
  RangeOptions options;
  if (!args.black.empty()) readBlack(args, decode, chart, progress, options, inputs);
  // The hash reads the same bytes: done first, it warms the cache for the decoder.
  inputs["clip"] = describeClip(reader->info());
  const WedgeMeasure wedge = measureWedge(*reader, decode, chart, args.options.window(), progress);
  nlohmann::json j = rangeToJson(wedge, analyseRange(wedge, options));
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
  args->options.addTo(*c);
}

}  // namespace edge::cli
