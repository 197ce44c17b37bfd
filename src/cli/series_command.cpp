#include "series_command.h"

#include "base/hash.h"

namespace edge::cli {

void AskedDelivery::warn(nlohmann::json& result) const {
  if (!coarser) return;
  result["warnings"].push_back(
      {{"code", "coarser-than-profile"},
       {"message", "the clips have less than the profile's raster: judged as recorded"},
       {"where", "profile " + profile.name}});
}

void JudgedBy::addTo(CLI::App& c) {
  c.add_option("--display", display, "soft-shoulder, bt709 or a LUT file; default: the series' own");
  c.add_option("--raster", raster, "noise is judged at this delivery raster, WxH, by real resampling");
  c.add_option("--chroma", chroma, "and at this chroma sampling: 444 (default), 422, 420");
  c.add_option("--profile", profile, "criteria profile: limits, delivery raster, chroma sampling");
}

// The profile's delivery, unless the options say otherwise. A clip that is coarser than a profile's raster is
// judged as recorded; a raster that was asked for by itself is refused then, where it is measured.
AskedDelivery JudgedBy::applyTo(Series& series, const std::filesystem::path& clip) const {
  if (!display.empty()) series.display = display;
  AskedDelivery asked;
  if (!profile.empty()) asked.profile = readProfile(profile);
  series.delivery = asked.profile.delivery.value_or(Delivery{});
  asked.profile.delivery.reset();  // measured there
  if (const auto wanted = series.delivery.raster) {
    const PixelFormat format = openClip(clip)->info().format;
    const int cell = format.layout == Layout::Cfa ? 2 : 1;  // raw is developed by cells
    series.delivery = servedBy(series.delivery, format.width / cell, format.height / cell);
    asked.coarser = wanted->width > format.width / cell || wanted->height > format.height / cell;
  }
  if (!raster.empty()) {
    series.delivery.raster = rasterOf(raster);
    asked.coarser = false;
  }
  if (chroma.empty()) return asked;
  const auto sampling = parseChroma(chroma);
  if (!sampling)
    throw UsageError("not a chroma sampling: \"" + chroma + "\"", "--chroma", "", "444, 422 or 420");
  series.delivery.chroma = *sampling;
  return asked;
}

nlohmann::json describeSeries(const std::string& file, const Series& s) {
  nlohmann::json clips = nlohmann::json::array();
  if (!s.base.empty()) clips.push_back(describeClip(openClip(s.base)->info()));
  for (const auto& t : s.takes) clips.push_back(describeClip(openClip(t.clip)->info()));
  nlohmann::json j = {{"series", {{"path", file}, {"hash", hashFile(file)}}},
                      {"clips", clips},
                      {"options", {{"curve", s.decode.curve}, {"display", s.display}}}};
  if (!s.chartFile.empty()) j["chart"] = {{"path", s.chartFile.string()}, {"hash", hashFile(s.chartFile)}};
  return j;
}

}  // namespace edge::cli
