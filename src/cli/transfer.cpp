#include "measure/transfer.h"

#include "base/error.h"
#include "series_command.h"

namespace edge::cli {
namespace {

nlohmann::json run(const std::string& file, const Progress& progress) {
  const Series s = readSeries(file);
  std::vector<TransferClip> clips;
  if (!s.base.empty()) clips.push_back({s.base, s.window, false});
  for (const auto& t : s.takes) clips.push_back({t.clip, t.window.value_or(s.window), t.role == "black"});
  std::optional<Quad> area;
  if (!s.regions.empty())
    area = s.regions.front().corners;
  else if (!s.chart.patches.empty())
    area = s.chart.patches.front().corners;
  if (area && !s.chartFile.empty()) {
    const PixelFormat f = openClip(clips.front().clip)->info().format;
    area = scaled(*area, f.width / s.chart.referenceWidth, f.height / s.chart.referenceHeight);
  }
  nlohmann::json j = transferToJson(measureTransfer(clips, area, progress));
  j["inputs"] = describeSeries(file, s);
  return j;
}

}  // namespace

void addTransfer(CLI::App& app, Common& common) {
  const auto series = std::make_shared<std::string>();
  CLI::App* c = addCommand(app, common, "transfer",
                           "photon transfer: gain, read noise, full well and PRNU of a raw bracket",
                           [series](const Progress& p) { return run(*series, p); });
  c->add_option("series", *series,
                "series file (.json) of kind transfer: raw takes of an even field, cap-on included")
      ->required();
}

}  // namespace edge::cli
