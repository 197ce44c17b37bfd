// Quadrilaterals on the picture, in pixels: x right, y down, (0,0) the outer corner of the top-left pixel.
#pragma once
#include <array>
#include <vector>

namespace edge {

struct Point {
  double x = 0, y = 0;
};
using Quad = std::array<Point, 4>;

struct Rect {
  int x = 0, y = 0, width = 0, height = 0;
  [[nodiscard]] long pixels() const { return static_cast<long>(width) * height; }
};

struct Span {  // pixels x0 <= x < x1 of row y
  int y, x0, x1;
};

[[nodiscard]] Quad scaled(const Quad& q, double sx, double sy);
[[nodiscard]] bool isConvex(const Quad& q);

// Largest upright rectangle about the centre of a convex quad, shrunk by `margin` (share of its side, at
// least `marginPixels`) so that no edge is inside, at most maxSide on a side, aligned to even pixels (chroma
// pairs, mosaic cells). Empty (0 pixels) when the quad is too small.
[[nodiscard]] Rect innerRect(const Quad& q, double margin, int marginPixels, int maxSide);

// Pixels whose centre lies in the convex quad.
[[nodiscard]] std::vector<Span> rasterise(const Quad& q, int width, int height);

}  // namespace edge
