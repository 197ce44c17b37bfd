#include "project/place_charts.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "chart/find.h"
#include "chart/place.h"
#include "project/analysis.h"
#include "project/setup.h"
#include "recover/clip_decode.h"
#include "recover/follow.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

// Steps that wedges are made with: parts of a stop, and densities of 0.05, 0.10, 0.15, 0.20 and 0.30 (common
// practice; a density of 0.30 is 0.997 stops).
constexpr double kUsualSteps[] = {1.0 / 6, 0.25, 1.0 / 3, 0.5, 2.0 / 3, 0.75, 1, 1.5, 2};
constexpr double kStepFits = 0.04;  // relative
constexpr double kNeutral = 0.12;   // stops of red and of blue against green that neutral patches share
constexpr size_t kFewestNeutrals = 3;

LumaPicture pictureOf(const Configuration& c, const ClipRecord& clip, const fs::path& folder,
                      const Progress& progress) {
  return firstPicture(folder / clip.path, lookingDecode(c, folder), {clip.first, clip.frames}, progress);
}

double reductionOf(const ClipRecord& clip, const fs::path& folder, const LumaPicture& picture) {
  return static_cast<double>(openClip(folder / clip.path)->info().format.width) / picture.width;
}

std::optional<FoundLattice> asLattice(std::optional<FoundChart> found, int rows, int perRow) {
  if (!found) return std::nullopt;
  FoundLattice f;
  f.chart = std::move(found->chart), f.patchesSeen = found->patchesSeen;
  f.rows = rows, f.perRow = perRow;
  return f;
}

// Which patches are neutral: most of those that share one colour, whatever the white balance. Their light is
// not known by that.
void markNeutrals(Chart& chart, const fs::path& clip, const DecodeOptions& options, FrameWindow window,
                  const Progress& progress) {
  TakeStats seen;
  try {
    const auto reader = openClip(clip);
    seen = measureTake(*reader, resolved(options, reader->info()), chart, {}, window, progress);
  } catch (const Error&) {  // patches too small to be measured: the page of charts will say so
    return;
  }
  std::vector<std::pair<double, double>> colours;
  for (const auto& p : seen.patches)
    colours.emplace_back(std::log2(std::max(1e-9, p.mean[0]) / std::max(1e-9, p.mean[1])),
                         std::log2(std::max(1e-9, p.mean[2]) / std::max(1e-9, p.mean[1])));
  std::vector<size_t> most;
  for (const auto& [r, b] : colours) {
    std::vector<size_t> alike;
    for (size_t k = 0; k < colours.size(); ++k)
      if (std::hypot(colours[k].first - r, colours[k].second - b) < kNeutral) alike.push_back(k);
    if (alike.size() > most.size()) most = std::move(alike);
  }
  if (most.size() < kFewestNeutrals) return;
  for (const size_t k : most) chart.patches[k].role = "grey";
}

}  // namespace

std::optional<FoundLattice> lookForWedge(const Configuration& c, const fs::path& folder,
                                         const Progress& progress) {
  const ClipRecord* clip = clipFor(c, Placing::Wedge);
  if (!clip) return std::nullopt;
  const LumaPicture picture = pictureOf(c, *clip, folder, progress);
  auto found = findLattice(picture, reductionOf(*clip, folder, picture));
  if (!found || !found->falling) return std::nullopt;
  if (std::find(c.ask.begin(), c.ask.end(), "curve") != c.ask.end()) found->step.reset();  // in no stops
  return found;
}

std::optional<FoundLattice> lookForChart(const Configuration& c, const fs::path& folder,
                                         const Progress& progress) {
  const ClipRecord* clip = clipFor(c, Placing::Chart);
  if (!clip) return std::nullopt;
  const LumaPicture picture = pictureOf(c, *clip, folder, progress);
  const double reduction = reductionOf(*clip, folder, picture);
  const bool linear = isDecoded(c);
  auto found =
      asLattice(findChart(picture, chartOf({ChartKind::Colour24, 0, 0, 0}), reduction, linear), 4, 6);
  if (!found) found = findLattice(picture, reduction);
  if (!found) return std::nullopt;
  found->chart.kind = found->falling ? "grey-scale" : "colour";
  // A chart that looks like a known one need not be it: neither its light nor its grey is taken for granted.
  found->chart.grey.reset();
  for (auto& p : found->chart.patches) p.stops.reset(), p.role.clear();
  markNeutrals(found->chart, folder / clip->path, lookingDecode(c, folder), {clip->first, 1}, progress);
  return found;
}

void setSteps(Chart& wedge, double step) {
  for (size_t k = 0; k < wedge.patches.size(); ++k) wedge.patches[k].stops = -step * static_cast<double>(k);
}

bool isEvenlyStepped(const Chart& wedge) {
  const auto& p = wedge.patches;
  if (p.size() < 2 || !p[0].stops || !p[1].stops) return true;
  const double step = *p[0].stops - *p[1].stops;
  for (size_t k = 0; k < p.size(); ++k)
    if (p[k].stops && std::abs(*p[k].stops + step * static_cast<double>(k)) > 1e-6) return false;
  return true;
}

std::optional<double> usualStep(const FoundLattice& wedge) {
  if (!wedge.step) return std::nullopt;
  for (const double usual : kUsualSteps)
    if (std::abs(wedge.step->stops / usual - 1) < kStepFits) return usual;
  return std::nullopt;
}

LookedFor placeByLooking(Configuration& c, const fs::path& folder, std::optional<double> step,
                         const Progress& progress) {
  LookedFor out;
  if (c.wedge.patches.empty() && (out.wedge = lookForWedge(c, folder, progress))) {
    c.wedge = out.wedge->chart;
    if (step) setSteps(c.wedge, *step);
  }
  if (c.bench.patches.empty() && (out.chart = lookForChart(c, folder, progress))) c.bench = out.chart->chart;
  return out;
}

}  // namespace edge
