#include "chart/find.h"

#include <algorithm>
#include <cmath>
#include <opencv2/calib3d.hpp>
#include <opencv2/imgproc.hpp>

#include "base/error.h"
#include "chart/areas.h"

namespace edge {
namespace {

constexpr double kNear = 0.25;        // of a patch's side: an area this near is the patch
constexpr double kInlier = 0.06;      // of a patch's side: an area further off was cut short by a threshold
constexpr double kSameSize = 0.35;    // relative difference of sides
constexpr double kUpright = 0.92;     // sine between rows and columns: sheared charts are other charts
constexpr int kSeeds = 40;            // areas tried as the first of three
constexpr double kLightMiss = 0.8;    // stops of residual that count as no agreement at all
constexpr double kLightEnough = 0.7;  // of the patches of known light must have it
constexpr double kApart = 0.2;        // stops between patches whose order is looked at
constexpr double kAlike = 0.02;       // of codes in stops: clipped, or both at the floor
constexpr double kKeeps = 0.95;       // of the score, or a refinement went astray
constexpr double kEnough = 0.5;       // of `sure`

class Finder {
 public:
  Finder(const LumaPicture& picture, const Chart& layout, bool linear)
      : stops_(stopsOf(picture)), layout_(layout), linear_(linear) {
    areas_ = areasOf(stops_);
    for (const auto& p : layout.patches) {
      const Point m = middleOf(p.corners);
      cells_.emplace_back(m.x, m.y);
      sides_.push_back(std::hypot(p.corners[1].x - p.corners[0].x, p.corners[1].y - p.corners[0].y));
    }
    double low = 0, high = 0;
    cv::minMaxLoc(stops_, &low, &high);
    floor_ = low, top_ = high;
  }

  // Best transform from layout to picture; empty: none.
  cv::Matx33d run(double* score) {
    cv::Matx33d best = cv::Matx33d::zeros();
    *score = 0;
    const int seeds = std::min<int>(kSeeds, static_cast<int>(areas_.size()));
    // Seeds spread over all sizes: the largest areas need not be patches.
    for (int s = 0; s < seeds; ++s) {
      const size_t i = static_cast<size_t>(s) * areas_.size() / static_cast<size_t>(seeds);
      for (const auto& [right, down] : neighbours(i)) tryTriple(i, right, down, &best, score);
    }
    for (int round = 0; round < 3 && *score > 0; ++round) {
      const cv::Matx33d refined = refine(best);
      const double s = scoreOf(refined);
      // A better fit may lose a pixel of light here or there; a worse chart loses patches.
      if (s < kKeeps * *score) break;
      best = refined, *score = s;
    }
    return best;
  }

  [[nodiscard]] std::pair<int, double> seen(const cv::Matx33d& h) const {
    int n = 0;
    double squares = 0;
    for (size_t k = 0; k < cells_.size(); ++k)
      if (const Area* a = areaAt(h, k)) {
        ++n;
        const double d = cv::norm(a->middle - at(h, cells_[k]));
        squares += d * d;
      }
    return {n, n > 0 ? std::sqrt(squares / n) : 0};
  }

 private:
  static cv::Point2d at(const cv::Matx33d& h, const cv::Point2d& p) {
    const cv::Vec3d v = h * cv::Vec3d(p.x, p.y, 1);
    return {v[0] / v[2], v[1] / v[2]};
  }

  // Pairs of areas of one size beside area i, in directions that make a clockwise pair.
  [[nodiscard]] std::vector<std::pair<size_t, size_t>> neighbours(size_t i) const {
    std::vector<std::pair<double, size_t>> near;
    for (size_t k = 0; k < areas_.size(); ++k) {
      if (k == i || std::abs(areas_[k].side / areas_[i].side - 1) > kSameSize) continue;
      const double d = cv::norm(areas_[k].middle - areas_[i].middle) / areas_[i].side;
      if (d < 2.5) near.emplace_back(d, k);
    }
    std::sort(near.begin(), near.end());
    if (near.size() > 8) near.resize(8);
    std::vector<std::pair<size_t, size_t>> out;
    for (const auto& a : near)
      for (const auto& b : near) {
        const cv::Point2d u = areas_[a.second].middle - areas_[i].middle,
                          v = areas_[b.second].middle - areas_[i].middle;
        if (u.cross(v) / (cv::norm(u) * cv::norm(v)) > kUpright) out.emplace_back(a.second, b.second);
      }
    return out;
  }

  // The three areas taken for every patch of the layout with a neighbour to its right and one below.
  void tryTriple(size_t i, size_t right, size_t down, cv::Matx33d* best, double* score) {
    for (const auto& [k, r, d] : triples()) {
      const cv::Point2f from[3] = {cells_[k], cells_[r], cells_[d]};
      const cv::Point2f to[3] = {areas_[i].middle, areas_[right].middle, areas_[down].middle};
      const cv::Mat affine = cv::getAffineTransform(from, to);
      const cv::Matx33d h(affine.at<double>(0, 0), affine.at<double>(0, 1), affine.at<double>(0, 2),
                          affine.at<double>(1, 0), affine.at<double>(1, 1), affine.at<double>(1, 2), 0, 0, 1);
      const double s = scoreOf(h);
      if (s > *score) *score = s, *best = h;
    }
  }

  // Patch, its neighbour along a row and the one across: those nearest in the layout at right angles. All
  // turns of the layout come from the turns of the areas.
  const std::vector<std::array<size_t, 3>>& triples() {
    if (!triples_.empty()) return triples_;
    for (size_t k = 0; k < cells_.size(); ++k) {
      const auto nearest = [&](double dx, double dy) -> std::optional<size_t> {
        std::optional<size_t> found;
        double distance = 1e9;
        for (size_t j = 0; j < cells_.size(); ++j) {
          const cv::Point2d v = cells_[j] - cells_[k];
          const double along = v.x * dx + v.y * dy, across = std::abs(v.x * dy - v.y * dx);
          if (along > 0.5 * sides_[k] && across < 0.3 * along && along < distance)
            found = j, distance = along;
        }
        return found;
      };
      const auto r = nearest(1, 0), l = nearest(-1, 0), d = nearest(0, 1), u = nearest(0, -1);
      if (r && d) triples_.push_back({k, *r, *d});
      if (d && l) triples_.push_back({k, *d, *l});
      if (l && u) triples_.push_back({k, *l, *u});
      if (u && r) triples_.push_back({k, *u, *r});
    }
    return triples_;
  }

  [[nodiscard]] const Area* areaAt(const cv::Matx33d& h, size_t k) const {
    const cv::Point2d p = at(h, cells_[k]);
    const double side = cv::norm(at(h, cells_[k] + cv::Point2d(sides_[k], 0)) - p);
    const Area* found = nullptr;
    double nearest = kNear * side;
    for (const auto& a : areas_)
      if (const double d = cv::norm(a.middle - p); d < nearest && std::abs(a.side / side - 1) < 0.5)
        nearest = d, found = &a;
    return found;
  }

  // Share of patches seen where they should be, and of those of known light that have it. A patch out of the
  // picture rules the place out.
  [[nodiscard]] double scoreOf(const cv::Matx33d& h) const {
    const double n = static_cast<double>(cells_.size());
    std::vector<double> offsets;
    std::vector<std::pair<double, double>> lights;  // expected, measured
    for (size_t k = 0; k < cells_.size(); ++k) {
      const cv::Point2d p = at(h, cells_[k]);
      if (!(p.x >= 2 && p.y >= 2 && p.x < stops_.cols - 2 && p.y < stops_.rows - 2)) return 0;
      if (!layout_.patches[k].stops) continue;
      const double is = stops_.at<float>(static_cast<int>(p.y), static_cast<int>(p.x));
      lights.emplace_back(*layout_.patches[k].stops, is);
      if (is > floor_ + 1.5 && is < top_ - 0.3) offsets.push_back(is - *layout_.patches[k].stops);
    }
    double light = kLightEnough;  // nothing known of the light
    if (!lights.empty()) {
      if (offsets.size() < 3) return 0;
      light = linear_ ? agreementOf(lights, offsets) : orderOf(lights);
    }
    if (light < kLightEnough) return 0;
    int seen = 0;
    for (size_t k = 0; k < cells_.size(); ++k) seen += areaAt(h, k) != nullptr;
    if (seen < 4) return 0;
    return light * std::min(1.0, seen / (0.7 * n));
  }

  // Of scene-linear light: 1 where every patch has its own.
  [[nodiscard]] double agreementOf(const std::vector<std::pair<double, double>>& lights,
                                   std::vector<double> offsets) const {
    std::nth_element(offsets.begin(), offsets.begin() + static_cast<std::ptrdiff_t>(offsets.size() / 2),
                     offsets.end());
    const double offset = offsets[offsets.size() / 2];
    double light = 0;
    for (const auto& [expected, is] : lights) {
      const double should = std::clamp(expected + offset, floor_, top_);
      // Below what is left of the dark everything is alike.
      const double miss = should < floor_ + 2 && is < floor_ + 2.5 ? 0 : std::abs(is - should);
      light += 1 - std::min(1.0, miss / kLightMiss);
    }
    return light / static_cast<double>(lights.size());
  }

  // Of codes: 1 where all pairs stand in their order, 0 by chance.
  [[nodiscard]] static double orderOf(const std::vector<std::pair<double, double>>& lights) {
    int right = 0, pairs = 0;
    for (const auto& [a, isA] : lights)
      for (const auto& [b, isB] : lights)
        if (a > b + kApart) ++pairs, right += isA > isB - kAlike;
    return pairs == 0 ? 0 : 2.0 * right / pairs - 1;
  }

  [[nodiscard]] double sideOf(const cv::Matx33d& h, const cv::Point2d& p) const {
    return cv::norm(at(h, p + cv::Point2d(sides_[0], 0)) - at(h, p));
  }

  [[nodiscard]] cv::Matx33d refine(const cv::Matx33d& h) const {
    std::vector<cv::Point2d> from, to;
    for (size_t k = 0; k < cells_.size(); ++k)
      if (const Area* a = areaAt(h, k)) from.push_back(cells_[k]), to.push_back(a->middle);
    if (from.size() < 6) return h;
    const cv::Mat m = cv::findHomography(from, to, cv::RANSAC, kInlier * sideOf(h, from[0]));
    if (m.empty()) return h;
    return cv::Matx33d(m.ptr<double>());
  }

  cv::Mat stops_;
  const Chart& layout_;
  const bool linear_;
  std::vector<Area> areas_;
  std::vector<cv::Point2d> cells_;
  std::vector<double> sides_;
  std::vector<std::array<size_t, 3>> triples_;
  double floor_ = 0, top_ = 0;
};

}  // namespace

std::optional<FoundChart> findChart(const LumaPicture& picture, const Chart& layout, double reduction,
                                    bool linear) {
  if (picture.width < 32 || picture.height < 32 || layout.patches.size() < 4) return std::nullopt;
  Finder finder(picture, layout, linear);
  double score = 0;
  const cv::Matx33d h = finder.run(&score);
  if (score < kEnough) return std::nullopt;
  Quad outline = outlineOf(layout);
  for (auto& c : outline) {
    const cv::Vec3d v = h * cv::Vec3d(c.x, c.y, 1);
    c = {std::clamp(v[0] / v[2], 0.0, static_cast<double>(picture.width)) * reduction,
         std::clamp(v[1] / v[2], 0.0, static_cast<double>(picture.height)) * reduction};
  }
  FoundChart f;
  std::tie(f.patchesSeen, f.errorPixels) = finder.seen(h);
  f.sure = score;
  try {
    f.chart = placedOn(layout, outline, picture.width * reduction, picture.height * reduction);
  } catch (const Error&) {
    return std::nullopt;
  }
  return f;
}

}  // namespace edge
