#include "chart/lattice.h"

#include <algorithm>
#include <cmath>
#include <deque>
#include <map>
#include <opencv2/calib3d.hpp>
#include <set>

#include "chart/areas.h"
#include "chart/lattice_field.h"
#include "chart/place.h"

namespace edge {
namespace {

constexpr double kSameSize = 0.35;  // relative difference of sides within a chart
constexpr double kUpright = 0.92;   // sine between rows and columns
constexpr double kNear = 0.22;      // of the step from patch to patch: an area this near is the next patch
constexpr double kApart = 2.5;      // sides: patches further apart are no chart
constexpr double kPatch = 0.8;      // of an area's size that is taken as its patch
constexpr size_t kFewestFalling = 5;
constexpr size_t kFewest = 6;
constexpr double kLongest = 1.5;    // usual steps from a patch to one that was not seen as an area
constexpr int kMostAdded = 6;       // lines
constexpr size_t kCandidates = 24;  // sets of areas that are looked at more closely, the largest
constexpr double kFalls = 0.9;      // share of neighbours in falling order
constexpr double kLeastCell = 2;    // pixels of the reduced picture
constexpr double kMostUnlike = 12;  // sides of a chart's cells, wide or high, near or far
constexpr double kRise = 0.04;      // stops: less is noise, or both are clipped

using Cell = LatticeCell;
using Cells = std::map<Cell, size_t>;

double medianOf(std::vector<double> v) {
  std::nth_element(v.begin(), v.begin() + static_cast<std::ptrdiff_t>(v.size() / 2), v.end());
  return v[v.size() / 2];
}

// A plane seen from the edge, or turned over itself, is no chart: cells at its corners shrink to nothing,
// grow out of all proportion, or lie behind the eye.
bool collapses(const cv::Matx33d& h, int columns, int rows) {
  double least = 1e300, most = 0;
  const auto at = [&](double x, double y) -> std::optional<cv::Point2d> {
    const cv::Vec3d v = h * cv::Vec3d(x, y, 1);
    const double far = v[2] / h(2, 2);
    if (!(far > 0)) return std::nullopt;
    return cv::Point2d(v[0] / v[2], v[1] / v[2]);
  };
  for (const int x : {0, columns - 1})
    for (const int y : {0, rows - 1}) {
      const auto middle = at(x, y), right = at(x + 0.5, y), below = at(x, y + 0.5), left = at(x - 0.5, y),
                 above = at(x, y - 0.5);
      if (!middle || !right || !below || !left || !above) return true;
      for (const double side : {cv::norm(*right - *left), cv::norm(*below - *above)}) {
        if (!std::isfinite(side)) return true;
        least = std::min(least, side);
        most = std::max(most, side);
      }
    }
  return least < kLeastCell || most > kMostUnlike * least;
}

class Lattice {
 public:
  Lattice(const LumaPicture& picture, double reduction) : picture_(picture), reduction_(reduction) {
    areas_ = areasOf(stopsOf(picture));
    top_ = *std::max_element(picture.luma.begin(), picture.luma.end());
  }

  std::optional<FoundLattice> run() {
    std::map<std::set<size_t>, Cells> grown;  // each set of areas once
    for (size_t i = 0; i < areas_.size(); ++i)
      for (const size_t next : besides(i)) {
        Cells cells = grow(i, next);
        if (cells.size() < kFewestFalling) continue;
        std::set<size_t> members;
        for (const auto& [cell, area] : cells) members.insert(area);
        grown.emplace(std::move(members), std::move(cells));
      }
    std::vector<const Cells*> largest;
    for (const auto& [members, cells] : grown) largest.push_back(&cells);
    std::stable_sort(largest.begin(), largest.end(),
                     [](const Cells* a, const Cells* b) { return a->size() > b->size(); });
    if (largest.size() > kCandidates) largest.resize(kCandidates);
    std::optional<FoundLattice> best;
    for (const Cells* cells : largest)
      if (auto found = chartOf(*cells); found && (!best || rank(*found) > rank(*best)))
        best = std::move(found);
    return best;
  }

 private:
  // A wedge before anything else; then what has most patches.
  static double rank(const FoundLattice& f) {
    return (f.falling ? 2 : 1) * f.patchesSeen + 0.01 * static_cast<double>(f.chart.patches.size());
  }

  [[nodiscard]] bool alike(size_t a, size_t b) const {
    return std::abs(areas_[a].side / areas_[b].side - 1) < kSameSize;
  }

  // The nearest areas of its size.
  [[nodiscard]] std::vector<size_t> besides(size_t i) const {
    std::vector<std::pair<double, size_t>> near;
    for (size_t k = 0; k < areas_.size(); ++k) {
      const double d = cv::norm(areas_[k].middle - areas_[i].middle);
      if (k != i && alike(i, k) && d < kApart * areas_[i].side) near.emplace_back(d, k);
    }
    std::sort(near.begin(), near.end());
    std::vector<size_t> out;
    for (const auto& [d, k] : near)
      if (out.size() < 4) out.push_back(k);
    return out;
  }

  [[nodiscard]] std::optional<size_t> areaNear(const cv::Point2d& p, double radius, size_t like,
                                               const std::set<size_t>& taken) const {
    std::optional<size_t> found;
    for (size_t k = 0; k < areas_.size(); ++k)
      if (const double d = cv::norm(areas_[k].middle - p); d < radius && alike(like, k) && !taken.count(k))
        radius = d, found = k;
    return found;
  }

  // All areas that lie on the rows and columns that these two begin. Steps are carried on from patch to
  // patch, so a chart seen at an angle is followed.
  [[nodiscard]] Cells grow(size_t first, size_t second) const {
    struct Open {
      Cell cell;
      size_t area;
      cv::Point2d u, v;
    };
    const cv::Point2d u = areas_[second].middle - areas_[first].middle;
    cv::Point2d v(-u.y, u.x);
    // The nearest one across gives the step across; without one, rows are not known yet.
    double nearest = kApart * areas_[first].side;
    for (size_t k = 0; k < areas_.size(); ++k) {
      const cv::Point2d w = areas_[k].middle - areas_[first].middle;
      const double d = cv::norm(w);
      if (k != first && alike(first, k) && d < nearest && std::abs(u.cross(w)) / (cv::norm(u) * d) > kUpright)
        nearest = d, v = u.cross(w) > 0 ? w : -w;
    }
    Cells cells{{{0, 0}, first}};
    std::set<size_t> taken{first};
    std::deque<Open> open{{{0, 0}, first, u, v}};
    while (!open.empty()) {
      const Open o = open.front();
      open.pop_front();
      for (const auto& [du, dv] : {Cell{1, 0}, {-1, 0}, {0, 1}, {0, -1}}) {
        const Cell cell{o.cell.first + du, o.cell.second + dv};
        if (cells.count(cell)) continue;
        const cv::Point2d step = du * o.u + dv * o.v;
        const auto k = areaNear(areas_[o.area].middle + step, kNear * std::min(cv::norm(o.u), cv::norm(o.v)),
                                o.area, taken);
        if (!k) continue;
        cells[cell] = *k, taken.insert(*k);
        const cv::Point2d is = areas_[*k].middle - areas_[o.area].middle;
        open.push_back({cell, *k, du != 0 ? is * du : o.u, dv != 0 ? is * dv : o.v});
      }
    }
    return cells;
  }

  [[nodiscard]] std::optional<LatticeField> place(const Cells& cells, int rows, int columns) const {
    std::vector<cv::Point2d> from, to;
    std::vector<double> wide, high;
    for (const auto& entry : cells) {
      const auto& cell = entry.first;
      const Area& a = areas_[entry.second];
      from.emplace_back(cell.first, cell.second), to.push_back(a.middle);
      // The step here, along and across; a single row has its patches' own height instead.
      const auto stepTo = [&](int dx, int dy) -> std::optional<cv::Point2d> {
        for (const int s : {1, -1})
          if (const auto n = cells.find({cell.first + s * dx, cell.second + s * dy}); n != cells.end())
            return s * (areas_[n->second].middle - a.middle);
        return std::nullopt;
      };
      const auto u = columns > 1 ? stepTo(1, 0) : std::nullopt, v = rows > 1 ? stepTo(0, 1) : std::nullopt;
      const cv::Point2d across(-a.along.y, a.along.x);
      const auto extent = [&](const cv::Point2d& d) {
        return std::abs(d.dot(a.along)) > std::abs(d.dot(across)) ? a.width : a.height;
      };
      if (u) wide.push_back(extent(*u) / cv::norm(*u));
      if (v) high.push_back(extent(*v) / cv::norm(*v));
      if (rows > 1 || !u) continue;
      const cv::Point2d n(-u->y / cv::norm(*u), u->x / cv::norm(*u));
      const double h = extent(n);
      high.push_back(1);
      for (const double s : {-0.5, 0.5}) from.emplace_back(cell.first, s), to.push_back(a.middle + s * h * n);
    }
    if (wide.empty() || high.empty()) return std::nullopt;
    const cv::Mat h = cv::findHomography(from, to, 0);
    if (h.empty() || collapses(cv::Matx33d(h.ptr<double>()), columns, rows)) return std::nullopt;
    return LatticeField(picture_, cv::Matx33d(h.ptr<double>()), medianOf(wide), medianOf(high));
  }

  struct Reading {
    std::vector<Cell> order;
    int lines = 0;     // it runs through
    double falls = 0;  // share of neighbours
    int rises = 0;
  };
  // Every way to read rows and columns: from each corner, along rows or columns, each line the same way or to
  // and fro. The one with most falls of light.
  [[nodiscard]] Reading read(const LatticeField& p, int columns, int rows) const {
    Reading best;
    best.falls = -1;
    for (const bool alongRows : {true, false})
      for (const bool turning : {false, true})
        for (const bool mirrored : {false, true})
          for (const bool upward : {false, true}) {
            Reading r;
            const int lines = alongRows ? rows : columns, length = alongRows ? columns : rows;
            r.lines = lines;
            for (int l = 0; l < lines; ++l)
              for (int i = 0; i < length; ++i) {
                const bool back = mirrored != (turning && l % 2 == 1);
                const int a = back ? length - 1 - i : i, b = upward ? lines - 1 - l : l;
                r.order.push_back(alongRows ? Cell{a, b} : Cell{b, a});
              }
            while (r.order.size() > 1 && !p.shows(r.order.back(), columns, rows)) r.order.pop_back();
            countFalls(p, &r);
            // Of those that fall, the one that leaves least out; then the plainer one.
            if (std::make_pair(r.falls >= kFalls ? r.order.size() : 0, r.falls) >
                std::make_pair(best.falls >= kFalls ? best.order.size() : 0, best.falls))
              best = std::move(r);
          }
    return best;
  }
  void countFalls(const LatticeField& p, Reading* r) const {
    int falls = 0;
    double last = 0, first = 0;
    for (size_t k = 0; k < r->order.size(); ++k) {
      if (!p.levelAt(r->order[k].first, r->order[k].second).inside) return;
      const double light = p.lightAt(r->order[k]);
      if (k == 0) first = light;
      if (k > 0) ++(light < last + kRise ? falls : r->rises);
      last = light;
    }
    // Clipped from end to end, or all alike, falls nowhere.
    if (last < first - 1) r->falls = static_cast<double>(falls) / (falls + r->rises);
  }

  [[nodiscard]] std::optional<FoundLattice> chartOf(const Cells& cells) const {
    int x0 = 0, x1 = 0, y0 = 0, y1 = 0;
    for (const auto& [c, k] : cells) {
      x0 = std::min(x0, c.first), x1 = std::max(x1, c.first);
      y0 = std::min(y0, c.second), y1 = std::max(y1, c.second);
    }
    Cells moved;
    for (const auto& [c, k] : cells) moved[{c.first - x0, c.second - y0}] = k;
    int columns = x1 - x0 + 1, rows = y1 - y0 + 1;
    // Few of the places filled: areas that happen to lie so.
    if (static_cast<double>(moved.size()) < 0.5 * columns * rows) return std::nullopt;
    if (columns == 1) {  // a single row runs along its own direction
      Cells turned;
      for (const auto& [c, k] : moved) turned[{c.second, 0}] = k;
      moved = turned;
      std::swap(columns, rows);
    }
    auto placed = place(moved, rows, columns);
    if (!placed) return std::nullopt;
    return described(*placed, moved.size(), columns, rows);
  }

  [[nodiscard]] std::optional<FoundLattice> described(LatticeField p, size_t seen, int columns,
                                                      int rows) const {
    Reading r = read(p, columns, rows);
    for (int n = 0; n < kMostAdded && rows > 1 && r.falls >= kFalls && addLine(&p, &columns, &rows, &r);
         ++n) {
    }
    FoundLattice f;
    f.falling = r.falls >= kFalls && r.order.size() >= kFewestFalling;
    f.patchesSeen = static_cast<int>(seen);
    if (f.falling) {
      carryOn(p, &r.order, columns, rows);
    } else {
      if (rows < 2 || columns < 2 || seen < kFewest) return std::nullopt;
      r.order = upright(p, columns, rows, &r.lines);
    }
    f.rows = r.lines;
    f.perRow = rows == 1 ? static_cast<int>(r.order.size()) : rows * columns / r.lines;
    for (size_t k = 0; k < r.order.size(); ++k) {
      Patch patch;
      patch.name = std::to_string(k + 1);
      patch.corners = scaled(p.cornersOf(r.order[k], kPatch), reduction_, reduction_);
      for (auto& c : patch.corners)
        if (!(c.x >= 0 && c.y >= 0 && c.x <= picture_.width * reduction_ &&
              c.y <= picture_.height * reduction_))
          return std::nullopt;
      f.chart.patches.push_back(patch);
      f.light.push_back(p.lightAt(r.order[k]));
    }
    f.chart.kind = f.falling ? "wedge" : "colour";
    f.chart.referenceWidth = picture_.width * reduction_,
    f.chart.referenceHeight = picture_.height * reduction_;
    f.chart.outline = outlineOf(f.chart);
    f.step = stepOf(f.light);
    return f;
  }

  [[nodiscard]] std::vector<double> fallsOf(const LatticeField& p, const std::vector<Cell>& order) const {
    std::vector<double> falls;
    for (size_t k = 1; k < order.size(); ++k) falls.push_back(p.lightAt(order[k - 1]) - p.lightAt(order[k]));
    return falls;
  }
  [[nodiscard]] double longestFall(const LatticeField& p, const std::vector<Cell>& order) const {
    const auto falls = fallsOf(p, order);
    return *std::max_element(falls.begin(), falls.end());
  }
  // Upper quartile: clipped patches and those at the floor fall less.
  [[nodiscard]] double usualFall(const LatticeField& p, const std::vector<Cell>& order) const {
    auto falls = fallsOf(p, order);
    std::sort(falls.begin(), falls.end());
    return falls[falls.size() * 3 / 4];
  }

  // A whole line too dark to be seen as areas, on whichever side light goes on falling.
  [[nodiscard]] bool addLine(LatticeField* p, int* columns, int* rows, Reading* r) const {
    for (const auto& [dx, dy] : {Cell{0, 1}, {0, -1}, {1, 0}, {-1, 0}}) {
      LatticeField more = p->from({std::min(dx, 0), std::min(dy, 0)});
      const int c = *columns + std::abs(dx), l = *rows + std::abs(dy);
      int shown = 0;
      const int length = dx != 0 ? l : c;
      for (int i = 0; i < length; ++i) {
        const int x = dx > 0 ? c - 1 : dx < 0 ? 0 : i, y = dy > 0 ? l - 1 : dy < 0 ? 0 : i;
        shown += more.shows({x, y}, c, l);
      }
      if (shown < std::max(1, length / 3)) continue;
      Reading longer = read(more, c, l);
      if (longer.falls < kFalls || longer.rises > r->rises || longer.order.size() <= r->order.size() ||
          longestFall(more, longer.order) > kLongest * usualFall(*p, r->order))
        continue;
      *p = more, *columns = c, *rows = l, *r = std::move(longer);
      return true;
    }
    return false;
  }

  // At its ends a wedge goes on beyond what was seen as areas: patches too dark for it, or clipped into one.
  void carryOn(const LatticeField& p, std::vector<Cell>* order, int columns, int rows) const {
    const double usual = usualFall(p, *order);
    for (const bool darker : {true, false}) {
      const Cell last = (*order)[order->size() - 1], before = (*order)[order->size() - 2];
      const Cell step{last.first - before.first, last.second - before.second};
      if (std::abs(step.first) + std::abs(step.second) == 1)
        for (Cell next{last.first + step.first, last.second + step.second};
             rows == 1 || (next.first >= 0 && next.first < columns && next.second >= 0 && next.second < rows);
             next = {next.first + step.first, next.second + step.second}) {
          const double rise = p.lightAt(next) - p.lightAt(order->back());
          if (!p.shows(next, columns, rows) || (darker ? rise : -rise) > kRise ||
              std::abs(rise) > kLongest * usual)
            break;
          order->push_back(next);
        }
      std::reverse(order->begin(), order->end());
    }
  }

  // Rows from the picture's top left, whichever way the chart was found.
  [[nodiscard]] std::vector<Cell> upright(const LatticeField& p, int columns, int rows, int* lines) const {
    std::vector<Cell> out;
    const cv::Point2d u = p.at(columns - 1, 0) - p.at(0, 0), v = p.at(0, rows - 1) - p.at(0, 0);
    const bool swap = std::abs(u.x) < std::abs(u.y);
    *lines = swap ? columns : rows;
    const bool mirrorX = (swap ? u.y : u.x) < 0, mirrorY = (swap ? v.x : v.y) < 0;
    for (int j = 0; j < (swap ? columns : rows); ++j)
      for (int i = 0; i < (swap ? rows : columns); ++i) {
        const int x = swap ? j : i, y = swap ? i : j;
        out.push_back({mirrorX ? columns - 1 - x : x, mirrorY ? rows - 1 - y : y});
      }
    return out;
  }

  [[nodiscard]] std::optional<FoundLattice::Step> stepOf(const std::vector<double>& light) const {
    const double top = std::log2(top_), floor = light.back() + 2;
    std::vector<double> falls;
    for (size_t k = 1; k < light.size(); ++k)
      if (light[k - 1] < top - 0.3 && light[k] > floor) falls.push_back(light[k - 1] - light[k]);
    if (falls.size() < 4) return std::nullopt;
    FoundLattice::Step s;
    s.stops = medianOf(falls);
    for (auto& d : falls) d = std::abs(d - s.stops);
    s.spread = medianOf(falls);
    return s;
  }

  const LumaPicture& picture_;
  double reduction_, top_ = 0;
  std::vector<Area> areas_;
};

}  // namespace

std::optional<FoundLattice> findLattice(const LumaPicture& picture, double reduction) {
  if (picture.width < 32 || picture.height < 32) return std::nullopt;
  return Lattice(picture, reduction).run();
}

}  // namespace edge
