#include "chart/place.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <numbers>
#include <opencv2/imgproc.hpp>

#include "base/error.h"
#include "base/units.h"

namespace edge {
namespace {

cv::Point2f cvPoint(const Point& p) {
  return {static_cast<float>(p.x), static_cast<float>(p.y)};
}

// In doubles, by the eight equations of the projective transform.
cv::Matx33d projective(const Quad& from, const Quad& to) {
  cv::Mat a(8, 8, CV_64F), b(8, 1, CV_64F), h;
  for (int i = 0; i < 4; ++i) {
    const auto [x, y] = from[static_cast<size_t>(i)];
    const auto [u, v] = to[static_cast<size_t>(i)];
    const double rows[2][8] = {{x, y, 1, 0, 0, 0, -u * x, -u * y}, {0, 0, 0, x, y, 1, -v * x, -v * y}};
    for (int r = 0; r < 2; ++r)
      for (int c = 0; c < 8; ++c) a.at<double>(2 * i + r, c) = rows[r][c];
    b.at<double>(2 * i) = u, b.at<double>(2 * i + 1) = v;
  }
  if (!cv::solve(a, b, h)) throw Error("the corners make no area", "", "outline", "drag them apart");
  const auto* p = h.ptr<double>();
  return {p[0], p[1], p[2], p[3], p[4], p[5], p[6], p[7], 1};
}

Point carried(const cv::Matx33d& h, const Point& p) {
  const cv::Vec3d v = h * cv::Vec3d(p.x, p.y, 1);
  return {v[0] / v[2], v[1] / v[2]};
}

double signedArea(const Quad& q) {
  double sum = 0;
  for (size_t i = 0; i < 4; ++i) {
    const Point &a = q[i], &b = q[(i + 1) % 4];
    sum += a.x * b.y - b.x * a.y;
  }
  return sum / 2;
}

Patch cell(int row, int column) {
  constexpr double kSide = 100, kGap = 0.06;
  Patch p;
  const double x = (column + kGap) * kSide, y = (row + kGap) * kSide, s = (1 - 2 * kGap) * kSide;
  p.corners = uprightFrom({x, y}, {x + s, y + s});
  return p;
}

}  // namespace

Point middleOf(const Quad& q) {
  Point m;
  for (const auto& c : q) m.x += c.x / 4, m.y += c.y / 4;
  return m;
}

Quad moved(const Quad& q, double dx, double dy) {
  Quad out = q;
  for (auto& c : out) c.x += dx, c.y += dy;
  return out;
}

Quad turned(const Quad& q, double degrees) {
  const Point m = middleOf(q);
  const double a = degrees / kDegrees, c = std::cos(a), s = std::sin(a);
  Quad out;
  for (size_t i = 0; i < 4; ++i) {
    const double x = q[i].x - m.x, y = q[i].y - m.y;
    out[i] = {m.x + c * x - s * y, m.y + s * x + c * y};
  }
  return out;
}

Quad uprightFrom(const Point& a, const Point& b) {
  const double x0 = std::min(a.x, b.x), x1 = std::max(a.x, b.x), y0 = std::min(a.y, b.y),
               y1 = std::max(a.y, b.y);
  return {{{x0, y0}, {x1, y0}, {x1, y1}, {x0, y1}}};
}

Quad outlineOf(const Chart& chart) {
  if (chart.outline) return *chart.outline;
  if (chart.patches.empty()) throw Error("the chart has no patches", "", "outline", "load or choose a chart");
  std::vector<cv::Point2f> corners;
  for (const auto& p : chart.patches)
    for (const auto& c : p.corners) corners.push_back(cvPoint(c));
  cv::Point2f box[4];
  cv::minAreaRect(corners).points(box);
  Quad q;
  for (size_t i = 0; i < 4; ++i) q[i] = {box[i].x, box[i].y};
  if (signedArea(q) < 0) std::reverse(q.begin(), q.end());
  // Turned so that its upper edge runs as that of the first patch.
  const Quad& first = chart.patches.front().corners;
  const auto along = [&](size_t i) {
    const Point &a = q[i], &b = q[(i + 1) % 4];
    return ((b.x - a.x) * (first[1].x - first[0].x) + (b.y - a.y) * (first[1].y - first[0].y)) /
           std::hypot(b.x - a.x, b.y - a.y);
  };
  size_t best = 0;
  for (size_t i = 1; i < 4; ++i)
    if (along(i) > along(best)) best = i;
  std::rotate(q.begin(), q.begin() + static_cast<std::ptrdiff_t>(best), q.end());
  return q;
}

Chart placedOn(const Chart& chart, const Quad& to, double width, double height) {
  if (!isConvex(to)) throw Error("the corners make no convex area", "", "outline", "drag them apart");
  const auto h = projective(outlineOf(chart), to);
  Chart out = chart;
  out.referenceWidth = width, out.referenceHeight = height, out.outline = to;
  for (auto& p : out.patches) {
    for (auto& c : p.corners) {
      c = carried(h, c);
      if (!(c.x >= 0 && c.y >= 0 && c.x <= width && c.y <= height))
        throw Error("the chart would leave the picture", "", "patch " + p.name, "keep it inside");
    }
    if (!isConvex(p.corners))
      throw Error("the corners make no area for a patch", "", "patch " + p.name, "drag them apart");
  }
  return out;
}

Chart chartOf(const ChartShape& shape) {
  Chart c;
  if (shape.kind == ChartKind::Colour24) {
    c.kind = "colour";
    constexpr double kGreys[6] = {0.90, 0.59, 0.36, 0.198, 0.09, 0.031};
    for (int i = 0; i < 24; ++i) {
      Patch p = cell(i / 6, i % 6);
      if (i < 18) {
        p.name = fmt::format("colour {}", i + 1);
      } else {
        p.name = fmt::format("grey {}", i - 17);
        p.stops = std::log2(kGreys[i - 18] / kMiddleGrey), p.stopsSigma = 0.05;
        p.role = i == 18 ? "white" : i == 23 ? "black" : "grey";
      }
      c.patches.push_back(p);
    }
    c.grey = "grey 4";
    c.referenceWidth = 600, c.referenceHeight = 400;
    c.outline = uprightFrom({0, 0}, {600, 400});
    return c;
  }
  if (shape.steps < 2 || shape.steps > 200 || shape.perRow < 1 || shape.perRow > shape.steps ||
      !(shape.stopsPerStep > 0 && shape.stopsPerStep <= 3))
    throw Error(fmt::format("{} steps of {:g} stops, {} a row, make no chart", shape.steps,
                            shape.stopsPerStep, shape.perRow),
                "", "chart", "2 to 200 steps of at most 3 stops, not more a row than there are");
  c.kind = shape.kind == ChartKind::Wedge ? "wedge" : "grey-scale";
  const int columns = shape.perRow, rows = (shape.steps + columns - 1) / columns;
  for (int i = 0; i < shape.steps; ++i) {
    Patch p = cell(i / columns, i % columns);
    p.name = std::to_string(i + 1), p.stops = -i * shape.stopsPerStep, p.stopsSigma = 0.05;
    // The first step of a reflective scale is a white of 90 % (common practice): its stops count from grey.
    if (shape.kind == ChartKind::GreyScale) p.role = "grey", *p.stops += std::log2(0.9 / kMiddleGrey);
    c.patches.push_back(p);
  }
  c.referenceWidth = 100.0 * columns, c.referenceHeight = 100.0 * rows;
  c.outline = uprightFrom({0, 0}, {c.referenceWidth, c.referenceHeight});
  return c;
}

std::vector<Patch> faceRegions(const Quad& face, const std::string& name) {
  struct Part {
    const char* name;
    double x0, y0, x1, y1;  // of the box: hairline to chin, ear to ear
  };
  // Proportions of a face from the front: common practice of figure drawing.
  constexpr Part kParts[] = {{"forehead", 0.30, 0.06, 0.70, 0.22},
                             {"left cheek", 0.16, 0.48, 0.34, 0.68},
                             {"right cheek", 0.66, 0.48, 0.84, 0.68}};
  const Quad unit = uprightFrom({0, 0}, {1, 1});
  const auto h = projective(unit, face);
  std::vector<Patch> out;
  for (const auto& part : kParts) {
    Patch p;
    p.name = name.empty() ? part.name : name + " " + part.name;
    p.role = "skin";
    p.corners = uprightFrom({part.x0, part.y0}, {part.x1, part.y1});
    for (auto& c : p.corners) c = carried(h, c);
    out.push_back(p);
  }
  return out;
}

}  // namespace edge
