// iso-sweep, noise, infrared, readout.
#include "noise/infrared.h"
#include "noise/iso_sweep.h"
#include "noise/ladder.h"
#include "noise/readout.h"
#include "series_command.h"

namespace edge::cli {
namespace {

Series seriesOfKind(const std::string& file, const std::vector<std::string>& kinds) {
  Series s = readSeries(file);
  requireKind(s, file, kinds);
  return s;
}

nlohmann::json runSweep(const std::string& file, const Progress& progress) {
  const Series s = seriesOfKind(file, {"iso-sweep"});
  const SweepMeasure m = measureSweep(s, progress);
  nlohmann::json j = sweepJson(m, judgeSweep(m));
  j["inputs"] = describeSeries(file, s);
  return j;
}

nlohmann::json runNoise(const std::string& file, const JudgedBy& judged, const Progress& progress) {
  Series s = seriesOfKind(file, {"iso-ladder", "pair"});
  const AskedDelivery asked = judged.applyTo(s, s.takes.front().clip);
  nlohmann::json j = ladderJson(measureLadder(s, progress), asked.profile, s.kind == "pair");
  asked.warn(j);
  j["inputs"] = describeSeries(file, s);
  return j;
}

nlohmann::json runInfrared(const std::string& file, const JudgedBy& judged, const Progress& progress) {
  Series s = seriesOfKind(file, {"infrared"});
  const AskedDelivery asked = judged.applyTo(s, s.takes.front().clip);
  const InfraredMeasure m = measureInfrared(s, progress);
  nlohmann::json j = infraredJson(m, judgeInfrared(m, asked.profile));
  j["inputs"] = describeSeries(file, s);
  return j;
}

struct ReadoutArgs {
  std::string clip;
  double strobe = 0, fps = 0;
  ClipOptions options;
};

nlohmann::json runReadout(const ReadoutArgs& args, const Progress& progress) {
  const auto reader = openClip(args.clip);
  const DecodeOptions decode = args.options.decodeFor(reader->info());
  const Decoder decoder(reader->info().format, decode);
  RowTraces traces = measureRows(*reader, decode, args.options.window(), progress);
  if (args.fps > 0) traces.fps = args.fps;
  nlohmann::json j = readoutJson(traces, readoutOf(traces, args.strobe));
  j["inputs"] = {{"clip", describeClip(reader->info())},
                 {"options", args.options.toJson(decoder)},
                 {"strobe_hz", args.strobe}};
  return j;
}

}  // namespace

void addNoise(CLI::App& app, Common& common) {
  const auto sweep = std::make_shared<std::string>();
  addCommand(app, common, "iso-sweep", "gain circuits and native ISOs from a sweep in constant dim light",
             [sweep](const Progress& p) { return runSweep(*sweep, p); })
      ->add_option("series", *sweep, "series file (.json) of kind iso-sweep")
      ->required();

  const auto series = std::make_shared<std::string>();
  const auto judged = std::make_shared<JudgedBy>();
  CLI::App* noise = addCommand(app, common, "noise", "noise of zones over an ISO ladder, or of a push pair",
                               [series, judged](const Progress& p) { return runNoise(*series, *judged, p); });
  noise->add_option("series", *series, "series file (.json) of kind iso-ladder or pair")->required();
  judged->addTo(*noise);

  const auto leak = std::make_shared<std::string>();
  const auto leakJudged = std::make_shared<JudgedBy>();
  CLI::App* infrared =
      addCommand(app, common, "infrared", "black cloth against white over ND: where infrared shows",
                 [leak, leakJudged](const Progress& p) { return runInfrared(*leak, *leakJudged, p); });
  infrared->add_option("series", *leak, "series file (.json) of kind infrared")->required();
  leakJudged->addTo(*infrared);

  const auto args = std::make_shared<ReadoutArgs>();
  CLI::App* readout = addCommand(app, common, "readout", "readout time from the bars of a strobe",
                                 [args](const Progress& p) { return runReadout(*args, p); });
  readout->add_option("clip", args->clip, "movie, folder of frames, one frame or pattern")->required();
  readout->add_option("--strobe", args->strobe, "flashes of the strobe per second")
      ->required()
      ->check(CLI::Range(0.1, 1e6));
  readout->add_option("--fps", args->fps, "frame rate, where the clip does not say")
      ->check(CLI::Range(0.1, 1e5));
  args->options.addTo(*readout);
}

}  // namespace edge::cli
