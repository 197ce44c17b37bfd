#include "command.h"

#include <fmt/format.h>
#include <unistd.h>

#include <cstdio>
#include <iostream>
#include <memory>

#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "base/parallel.h"
#include "media/formats.h"

namespace edge::cli {
namespace {

// A bar on a terminal, silence otherwise.
Progress::Sink progressSink(const Common& common) {
  if (common.quiet || !::isatty(STDERR_FILENO)) return {};
  return [last = -1](double fraction, const std::string& what) mutable {
    const int percent = static_cast<int>(fraction * 100);
    if (percent == last) return;
    last = percent;
    fmt::print(stderr, "\r[{:<40}] {:3d} %  {:.40}\x1b[K",
               std::string(static_cast<size_t>(percent * 2 / 5), '='), percent, what);
    if (percent >= 100) fmt::print(stderr, "\n");
  };
}

void writeResult(const Common& common, const nlohmann::json& result) {
  const std::string text = result.dump(2, ' ', false, nlohmann::json::error_handler_t::replace) + "\n";
  if (!common.out.empty()) {
    writeFileAtomically(common.out, text);
    return;
  }
  std::cout << text << std::flush;
  if (!std::cout) throw Error("can't write the result", "standard output", "", "use --out FILE");
}

}  // namespace

void ClipOptions::addDecodingTo(CLI::App& c) {
  c.add_option("--curve", curve, "transfer curve: " + curveNames() + ", or a curve file");
  c.add_option("--range", range, "full, legal or auto")->check(CLI::IsMember({"full", "legal", "auto"}));
  c.add_option("--matrix", matrix, "Y'CbCr matrix: auto, bt601, bt709, bt2020")
      ->check(CLI::IsMember({"auto", "bt601", "bt709", "bt2020"}));
  c.add_option("--primaries", primaries, "luma weights, where not those of the matrix")
      ->check(CLI::IsMember({"bt601", "bt709", "bt2020"}));
}

void ClipOptions::addTo(CLI::App& c) {
  addDecodingTo(c);
  c.add_option("--first", first, "frames passed over at the start")->check(CLI::NonNegativeNumber);
  c.add_option("--frames", frames, "frames used (0: all)")->check(CLI::NonNegativeNumber);
}

DecodeOptions ClipOptions::decode() const {
  DecodeOptions d;
  d.curve = curve;
  if (range != "auto") d.range = range == "legal" ? Range::Legal : Range::Full;
  d.matrix = parsePrimaries(matrix);
  d.primaries = parsePrimaries(primaries);
  return d;
}

DecodeOptions ClipOptions::decodeFor(const ClipInfo& info) const {
  DecodeOptions d = decode();
  if (d.curve.empty()) d.curve = curveByFormat(info).value_or("");
  if (d.curve.empty())
    throw UsageError("--curve is needed for this kind of clip", info.path.string(), "",
                     "say how its codes were made, for instance --curve acescct");
  return d;
}

nlohmann::json ClipOptions::toJson(const Decoder& d) const {
  return {{"curve", d.curveName()},
          {"range", d.range() == Range::Legal ? "legal" : "full"},
          {"matrix", nameOf(d.matrix())},
          {"primaries", nameOf(d.primaries())},
          {"first", first},
          {"frames", frames}};
}

nlohmann::json describeClip(const ClipInfo& info) {
  return {{"path", info.path.string()}, {"hash", hashClip(info)}, {"files", info.files.size()}};
}

CLI::App* addCommand(CLI::App& app, Common& common, const std::string& name, const std::string& words,
                     std::function<nlohmann::json(const Progress&)> body) {
  CLI::App* command = app.add_subcommand(name, words);
  command->add_option("--out", common.out, "write the JSON result to this file");
  command->add_flag("--quiet", common.quiet, "no progress");
  command->add_option("--threads", common.threads, "number of threads (0: all cores)")
      ->check(CLI::Range(0, 256));
  command->callback([&common, name, body = std::move(body)] {
    setThreads(common.threads);
    const Progress progress(progressSink(common));
    nlohmann::json result = body(progress);
    result["schema"] = "edge-test/" + name + "/1";
    if (!result.contains("warnings")) result["warnings"] = nlohmann::json::array();
    writeResult(common, result);
  });
  return command;
}

std::optional<Raster> rasterOf(const std::string& text) {
  if (text.empty()) return std::nullopt;
  const auto words = split(lower(text), 'x');
  const auto w = words.size() == 2 ? parseNumber(words[0]) : std::nullopt,
             h = words.size() == 2 ? parseNumber(words[1]) : std::nullopt;
  if (!w || !h || *w < 16 || *h < 16 || *w > 100000 || *h > 100000)
    throw UsageError("not a raster: \"" + text + "\"", "--raster", "", "say for instance 1920x1080");
  return Raster{static_cast<int>(*w), static_cast<int>(*h)};
}

}  // namespace edge::cli
