// What every command of edge-test-cli shares: result to standard output or a file, errors, progress, clip
// options.
#pragma once
#include <CLI/CLI.hpp>
#include <functional>
#include <nlohmann/json.hpp>
#include <string>

#include "base/error.h"
#include "base/progress.h"
#include "image/decode.h"
#include "media/clip.h"

namespace edge::cli {

struct Common {
  std::string out;
  bool quiet = false;
  int threads = 0;
};

// Options of all commands that read a clip. curve empty: the default of the clip's kind, or a usage error.
struct ClipOptions {
  std::string curve, range = "auto", matrix = "auto", primaries;
  std::int64_t first = 0, frames = 0;

  void addTo(CLI::App& command);
  void addDecodingTo(CLI::App& command);       // without --first and --frames
  [[nodiscard]] DecodeOptions decode() const;  // as given; the curve may be missing
  [[nodiscard]] DecodeOptions decodeFor(const ClipInfo& info) const;
  [[nodiscard]] FrameWindow window() const { return {first, frames}; }
  [[nodiscard]] nlohmann::json toJson(const Decoder& decoder) const;
};

// Registers --out, --quiet and --threads and runs `body`, whose result is written with schema
// "edge-test/NAME/1".
CLI::App* addCommand(CLI::App& app, Common& common, const std::string& name, const std::string& words,
                     std::function<nlohmann::json(const Progress&)> body);

// Path, hash and frames of an input clip.
[[nodiscard]] nlohmann::json describeClip(const ClipInfo& info);

void addStops(CLI::App& app, Common& common);
void addCurve(CLI::App& app, Common& common);
void addProbe(CLI::App& app, Common& common);
void addRange(CLI::App& app, Common& common);
void addLatitude(CLI::App& app, Common& common);
void addDemo(CLI::App& app, Common& common);
void addPlan(CLI::App& app, Common& common);
void addCurveFit(CLI::App& app, Common& common);
void addTransfer(CLI::App& app, Common& common);
void addMatch(CLI::App& app, Common& common);
void addReport(CLI::App& app, Common& common);
void addScene(CLI::App& app, Common& common);
void addLibrary(CLI::App& app, Common& common);  // library, retest, repeat, take-in
void addCheck(CLI::App& app, Common& common);
void addBodies(CLI::App& app, Common& common);
void addBegin(CLI::App& app, Common& common);
void addNoise(CLI::App& app, Common& common);  // iso-sweep, noise, infrared, readout

// "1920x1080"; empty: none. Throws UsageError.
[[nodiscard]] std::optional<Raster> rasterOf(const std::string& text);

}  // namespace edge::cli
