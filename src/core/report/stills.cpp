#include "report/stills.h"

#include <algorithm>
#include <cmath>

#include "base/numbers.h"

namespace edge {
namespace {

constexpr double kSame = 1e-6;  // of measured stops, which edges quote as they are

std::vector<Point> faceOf(const Configuration& c) {
  std::vector<Point> corners;
  const auto face =
      std::find_if(c.regions.begin(), c.regions.end(), [](const Patch& r) { return r.role == "skin"; });
  if (face == c.regions.end() || c.bench.referenceWidth <= 0 || c.bench.referenceHeight <= 0) return corners;
  for (const auto& p : face->corners)
    corners.push_back({p.x / c.bench.referenceWidth, p.y / c.bench.referenceHeight});
  return corners;
}

class Picker {
 public:
  Picker(const Finding& f, const std::filesystem::path& folder)
      : finding_(f), face_(faceOf(f.configuration)), pool_(shownOf({f}, {}, folder)) {}

  std::vector<Still> pick() {
    for (const auto& s : pool_)
      if (s.kind == ShownKind::Base) add(s, "");
    if (!finding_.latitude) return std::move(out_);
    const Edges& e = finding_.latitude->edges;
    edge(e.over, "above"), edge(e.under, "below");
    return std::move(out_);
  }

 private:
  void edge(const EdgeLimit& e, const std::string& side) {
    if (e.lastGood) take(*e.lastGood, side, "last good take " + side, true);
    if (e.firstBad) take(*e.firstBad, side, "first bad take " + side, false);
  }
  void take(double measured, const std::string& side, const std::string& what, bool asShot) {
    for (const auto& t : finding_.latitudeMeasure->takes) {
      const double stops = t.measured.value_or(t.planned);
      if (std::abs(stops - measured) > kSame || (stops > 0) != (side == "above")) continue;
      for (const auto& s : pool_) {
        const bool wanted = s.kind == ShownKind::BroughtBack || (asShot && s.kind == ShownKind::AsShot);
        if (wanted && std::abs(s.stops - t.planned) < kSame) add(s, what);
      }
      return;
    }
  }
  void add(const Shown& s, const std::string& what) {
    out_.push_back(
        {finding_.configuration.id, s, s.group + " · " + s.name + (what.empty() ? "" : " · " + what), face_});
  }

  const Finding& finding_;
  std::vector<Point> face_;
  std::vector<Shown> pool_;
  std::vector<Still> out_;
};

}  // namespace

std::vector<Still> stillsOf(const Finding& f, const std::filesystem::path& folder) {
  return Picker(f, folder).pick();
}

std::vector<std::pair<double, double>> snrCurve(const Finding& f) {
  std::vector<std::pair<double, double>> points;
  if (!f.range || !f.range->greyStops || !f.wedge) return points;
  const auto& snr = f.range->channel[kY].snr;
  for (size_t i = 0; i < std::min(snr.size(), f.wedge->patches.size()); ++i)
    if (snr[i] > 0 && std::isfinite(snr[i]) && f.range->states[i] != PatchState::Clipped)
      points.emplace_back(f.wedge->patches[i].stops - *f.range->greyStops, std::log2(snr[i]));
  std::sort(points.begin(), points.end());
  return points;
}

}  // namespace edge
