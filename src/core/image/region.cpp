#include "image/region.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

double cross(const Point& a, const Point& b, const Point& c) {
  return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
}

// Largest t with centre + t * direction still inside the convex quad.
double reach(const Quad& q, const Point& centre, const Point& direction) {
  double best = 1e9;
  for (int i = 0; i < 4; ++i) {
    const Point &a = q[i], &b = q[(i + 1) % 4];
    const Point e = {b.x - a.x, b.y - a.y};
    const double along = e.x * direction.y - e.y * direction.x;
    const double side = e.x * (centre.y - a.y) - e.y * (centre.x - a.x);
    if (along * side < 0) best = std::min(best, -side / along);
  }
  return best;
}

}  // namespace

Quad scaled(const Quad& q, double sx, double sy) {
  Quad r = q;
  for (auto& p : r) p = {p.x * sx, p.y * sy};
  return r;
}

bool isConvex(const Quad& q) {
  int positive = 0, negative = 0;
  for (int i = 0; i < 4; ++i) {
    const double c = cross(q[i], q[(i + 1) % 4], q[(i + 2) % 4]);
    positive += c > 1e-9;
    negative += c < -1e-9;
  }
  return positive == 4 || negative == 4;
}

Rect innerRect(const Quad& q, double margin, int marginPixels, int maxSide) {
  const Point c = {(q[0].x + q[1].x + q[2].x + q[3].x) / 4, (q[0].y + q[1].y + q[2].y + q[3].y) / 4};
  const auto [x0, x1] = std::minmax({q[0].x, q[1].x, q[2].x, q[3].x});
  const auto [y0, y1] = std::minmax({q[0].y, q[1].y, q[2].y, q[3].y});
  if (!(x1 > x0) || !(y1 > y0)) return {};
  double halfW = 0, halfH = 0;
  for (int i = -16; i <= 16; ++i) {  // shapes about that of the bounding box, a sixteenth octave apart
    const Point d = {(x1 - x0) / 2 * std::exp2(i / 16.0), (y1 - y0) / 2 * std::exp2(-i / 16.0)};
    double t = 1e9;
    for (const Point& s : {Point{d.x, d.y}, Point{-d.x, d.y}, Point{d.x, -d.y}, Point{-d.x, -d.y}})
      t = std::min(t, reach(q, c, s));
    if (t * t * d.x * d.y > halfW * halfH * 1.0001) halfW = t * d.x, halfH = t * d.y;
  }
  const auto shrink = [&](double half) {
    return std::min(half - std::max(half * 2 * margin, static_cast<double>(marginPixels)), maxSide / 2.0);
  };
  halfW = shrink(halfW), halfH = shrink(halfH);
  if (halfW < 1 || halfH < 1) return {};
  const auto evenUp = [](double v) { return static_cast<int>(std::ceil(v / 2 - 1e-9)) * 2; };
  const auto evenDown = [](double v) { return static_cast<int>(std::floor(v / 2 + 1e-9)) * 2; };
  Rect r;
  r.x = evenUp(c.x - halfW), r.y = evenUp(c.y - halfH);
  r.width = std::max(0, evenDown(c.x + halfW) - r.x), r.height = std::max(0, evenDown(c.y + halfH) - r.y);
  if (r.width == 0 || r.height == 0) return {};
  return r;
}

namespace {

// Of corners that may lie far outside any picture.
int within(double v, int least, int most) {
  return v > least ? v < most ? static_cast<int>(v) : most : least;
}

}  // namespace

std::vector<Span> rasterise(const Quad& q, int width, int height) {
  const auto [top, bottom] = std::minmax({q[0].y, q[1].y, q[2].y, q[3].y});
  std::vector<Span> spans;
  const int first = within(std::floor(top), 0, height);
  const int last = within(std::ceil(bottom), -1, height - 1);
  for (int y = first; y <= last; ++y) {
    const double at = y + 0.5;
    double left = 1e18, right = -1e18;
    for (int i = 0; i < 4; ++i) {
      const Point &a = q[i], &b = q[(i + 1) % 4];
      if ((a.y <= at) == (b.y <= at)) continue;
      const double x = a.x + (at - a.y) / (b.y - a.y) * (b.x - a.x);
      left = std::min(left, x), right = std::max(right, x);
    }
    const int x0 = within(std::ceil(left - 0.5), 0, width);
    const int x1 = within(std::floor(right - 0.5) + 1, 0, width);
    if (x1 > x0) spans.push_back({y, x0, x1});
  }
  return spans;
}

}  // namespace edge
