#include "command.h"

namespace edge::cli {

void addProbe(CLI::App& app, Common& common) {
  const auto clip = std::make_shared<std::string>();
  CLI::App* c = addCommand(app, common, "probe", "what a clip is", [clip](const Progress& progress) {
    const auto reader = openClip(*clip);
    const ClipInfo info = reader->info();
    std::int64_t frames = info.frames;
    // Some containers don't say how many frames they hold: count them.
    if (frames == 0) frames = forEachFrame(*reader, {}, progress, [](const Frame&) {}).frames;
    const PixelFormat& f = info.format;
    const bool cfa = f.layout == Layout::Cfa;
    nlohmann::json j = {
        {"kind", info.kind},
        {"width", f.width},
        {"height", f.height},
        {"frames", frames},
        {"fps", info.fps > 0 ? nlohmann::json(info.fps) : nlohmann::json()},
        {"bit_depth", f.bitDepth},
        {"pixel_format", info.pixelFormatName},
        {"range", !f.range                   ? "unknown"
                  : *f.range == Range::Legal ? "legal"
                                             : "full"},
        {"matrix", f.matrix ? nlohmann::json(nameOf(*f.matrix)) : nlohmann::json()},
        {"cfa", cfa ? nlohmann::json(std::string(f.cfa.begin(), f.cfa.end())) : nlohmann::json()},
        {"metadata", info.metadata},
        {"inputs", {{"clip", describeClip(info)}}}};
    if (cfa)
      j["raw"] = {{"black", f.black},
                  {"white", f.white},
                  {"white_balance", f.whiteBalance},
                  {"baseline_exposure_stops", f.baselineExposureStops}};
    return j;
  });
  c->add_option("clip", *clip, "movie, folder of frames, one frame or pattern")->required();
}

}  // namespace edge::cli
