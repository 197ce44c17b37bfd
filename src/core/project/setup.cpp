#include "project/setup.h"

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "base/numbers.h"
#include "project/analysis.h"
#include "project/decode_json.h"
#include "recover/follow.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

Chart onRaster(Chart chart, double width, double height) {
  const double sx = width / chart.referenceWidth, sy = height / chart.referenceHeight;
  for (auto& p : chart.patches) p.corners = scaled(p.corners, sx, sy);
  if (chart.outline) chart.outline = scaled(*chart.outline, sx, sy);
  chart.referenceWidth = width, chart.referenceHeight = height;
  return chart;
}

}  // namespace

std::vector<std::string> questionsOf(const DecodeOptions& d, const PixelFormat& f) {
  std::vector<std::string> out;
  if (d.curve.empty() && !f.isFloat() && f.layout != Layout::Cfa) out.emplace_back("curve");
  if (f.layout == Layout::Yuv && !d.range && !f.range) out.emplace_back("range");
  if (f.layout == Layout::Yuv && !d.matrix && !f.matrix) out.emplace_back("matrix");
  return out;
}

std::string questionWords(const std::string& question) {
  if (question == "curve") return "which curve its codes were made with";
  if (question == "range") return "whether its codes are full or legal range";
  return "which matrix its colour was made with";
}

void takeOver(const Configuration& from, Configuration& to) {
  const auto sizeOf = [](const Configuration& c, const Chart& chart) {
    return std::make_pair(chart.patches.empty() ? c.bench.referenceWidth : chart.referenceWidth,
                          chart.patches.empty() ? c.bench.referenceHeight : chart.referenceHeight);
  };
  const auto [ww, wh] = sizeOf(to, to.wedge);
  to.wedge = to.wedge.patches.empty() ? from.wedge : onRaster(from.wedge, ww, wh);
  const auto [bw, bh] = sizeOf(to, to.bench);
  const bool fresh = to.bench.patches.empty();
  to.regions = from.regions;
  if (!fresh)
    for (auto& r : to.regions)
      r.corners = scaled(r.corners, bw / from.bench.referenceWidth, bh / from.bench.referenceHeight);
  to.bench = fresh ? from.bench : onRaster(from.bench, bw, bh);
}

const ClipRecord* clipFor(const Configuration& c, Placing what) {
  return c.clipOfKind(what == Placing::Wedge ? ClipKind::Wedge : ClipKind::Base);
}

DecodeOptions lookingDecode(const Configuration& c, const fs::path& folder) {
  DecodeOptions d = decodeOf(c, folder);
  if (std::find(c.ask.begin(), c.ask.end(), "curve") != c.ask.end()) d.curve = "bt709";
  return d;
}

std::optional<FoundChart> findChartOf(const Configuration& c, const fs::path& folder, Placing what,
                                      const Chart& layout, const Progress& progress) {
  const ClipRecord* clip = clipFor(c, what);
  if (!clip)
    throw Error(what == Placing::Wedge ? "there is no wedge clip" : "there is no base clip", c.label(), "",
                "link clips first, then keep the links");
  const DecodeOptions decode = lookingDecode(c, folder);
  const LumaPicture picture =
      firstPicture(folder / clip->path, decode, {clip->first, clip->frames}, progress);
  const auto info = openClip(folder / clip->path)->info();
  return findChart(picture, layout, static_cast<double>(info.format.width) / picture.width, isDecoded(c));
}

std::string curveInputHash(const Configuration& c, const fs::path& folder) {
  Configuration bare = c;  // the curve in use says nothing about the one that is measured
  bare.decode.curve = "linear";
  return latitudeInputHash(bare, folder);
}

std::optional<CurveFit> storedCurve(const Project& p, const Configuration& c) {
  return p.resultAs(c.id, kCurveResult, curveInputHash(c, p.folder()), curveFitFromJson);
}

std::string writeMeasuredCurve(const Configuration& c, const fs::path& folder, const CurveFit& fit) {
  std::string name;
  for (const char ch : lower(c.body + "-" + c.mode + "-" + formatNumber(c.iso, 0)))
    name += std::isalnum(static_cast<unsigned char>(ch)) || ch == '-' ? ch : '-';
  const std::string text = curveCsv(fit);
  // Another measurement is another file: results of before keep theirs.
  const std::string file = "curves/measured-" + name + "-" + hashBytes(text).substr(0, 6) + ".csv";
  fs::create_directories(folder / "curves");
  writeFileAtomically(folder / file, text);
  return file;
}

}  // namespace edge
