#include "chart/lattice_field.h"

#include <algorithm>
#include <cmath>

#include "chart/place.h"

namespace edge {
namespace {

constexpr double kShows = 4;          // standard errors against what lies beside the chart
constexpr double kShowsShare = 0.03;  // and of its light
constexpr double kEvenShare = 0.3;    // of that difference, between its quarters: else it is no patch

}  // namespace

cv::Point2d LatticeField::at(double x, double y) const {
  const cv::Vec3d v = h_ * cv::Vec3d(x, y, 1);
  return {v[0] / v[2], v[1] / v[2]};
}

double LatticeField::lightAt(const LatticeCell& c) const {
  return std::log2(std::max(1e-9, levelAt(c.first, c.second).mean));
}

const LatticeField::Level& LatticeField::levelAt(double x, double y) const {
  const auto [at, fresh] = levels_.try_emplace({x, y});
  if (fresh) at->second = measured(x, y);
  return at->second;
}

LatticeField::Level LatticeField::measured(double x, double y) const {
  const cv::Point2d middle = at(x, y), right = at(x + width_ / 2, y), down = at(x, y + height_ / 2);
  const double half = 0.5 * std::min(cv::norm(right - middle), cv::norm(down - middle));
  const int x0 = static_cast<int>(std::floor(middle.x - half)),
            x1 = static_cast<int>(std::ceil(middle.x + half));
  const int y0 = static_cast<int>(std::floor(middle.y - half)),
            y1 = static_cast<int>(std::ceil(middle.y + half));
  Level l;
  if (!(x0 >= 0 && y0 >= 0 && x1 <= picture_->width && y1 <= picture_->height) || x1 <= x0 || y1 <= y0)
    return l;
  double quarter[4] = {}, n[4] = {}, sum = 0, squares = 0;
  for (int j = y0; j < y1; ++j)
    for (int i = x0; i < x1; ++i) {
      const int q = (2 * (j - y0) >= y1 - y0 ? 2 : 0) + (2 * (i - x0) >= x1 - x0 ? 1 : 0);
      const double v = picture_->at(i, j);
      quarter[q] += v, ++n[q], sum += v, squares += v * v;
    }
  const double all = n[0] + n[1] + n[2] + n[3];
  l.mean = sum / all, l.inside = true;
  l.error = std::sqrt(std::max(0.0, squares / all - l.mean * l.mean) / std::max(1.0, all - 1));
  for (int q = 0; q < 4; ++q) quarter[q] = n[q] > 0 ? quarter[q] / n[q] : l.mean;
  const auto [low, high] = std::minmax_element(std::begin(quarter), std::end(quarter));
  l.uneven = std::max(0.0, *high - *low - kShows * 2 * l.error);
  return l;
}

bool LatticeField::shows(const LatticeCell& c, int columns, int rows) const {
  const Level& l = levelAt(c.first, c.second);
  if (!l.inside) return false;
  const double clear = rows == 1 ? 0.1 : 0;
  const std::pair<double, double> beside[2][2] = {{{c.first, -1 - clear}, {c.first, rows + clear}},
                                                  {{-1, c.second}, {columns, c.second}}};
  for (const auto& ends : beside) {
    int inside = 0;
    for (const auto& [bx, by] : ends) {
      const Level& b = levelAt(bx, by);
      if (!b.inside) continue;
      ++inside;
      if (std::abs(l.mean - b.mean) <
              kShows * std::hypot(l.error, b.error) + kShowsShare * std::abs(b.mean) ||
          l.uneven > kEvenShare * std::abs(l.mean - b.mean))
        return false;
    }
    if (inside > 0 || rows == 1) return inside > 0;
  }
  return true;  // the chart fills the picture
}

Quad LatticeField::cornersOf(const LatticeCell& c, double share) const {
  const double w = share * width_ / 2, h = share * height_ / 2;
  Quad q;
  int i = 0;
  for (const auto& [sx, sy] : {LatticeCell{-1, -1}, {1, -1}, {1, 1}, {-1, 1}}) {
    const cv::Point2d m = at(c.first + sx * w, c.second + sy * h);
    q[static_cast<size_t>(i++)] = {m.x, m.y};
  }
  const auto middle = middleOf(q);
  std::sort(q.begin(), q.end(), [&](const Point& a, const Point& b) {
    return std::atan2(a.y - middle.y, a.x - middle.x) < std::atan2(b.y - middle.y, b.x - middle.x);
  });
  return q;
}

}  // namespace edge
