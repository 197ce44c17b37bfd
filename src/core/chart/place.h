// Where a chart lies on a picture: its outline of four corners, and its patches carried along with it by the
// projective transform that takes one quad to the other.
#pragma once
#include "chart/chart.h"

namespace edge {

// The chart's own outline, else the smallest turned rectangle around its patches, whose upper edge
// runs as that of the first patch. Clockwise. Errors: no patches.
[[nodiscard]] Quad outlineOf(const Chart& chart);

// Patches and outline of `chart` with the outline put onto `to`, on a raster of this size. Errors: corners
// that make no convex area, or patches that would leave the picture.
[[nodiscard]] Chart placedOn(const Chart& chart, const Quad& to, double width, double height);

[[nodiscard]] Quad moved(const Quad& q, double dx, double dy);
[[nodiscard]] Quad turned(const Quad& q, double degrees);        // clockwise on the picture, about its middle
[[nodiscard]] Quad uprightFrom(const Point& a, const Point& b);  // from two opposite corners
[[nodiscard]] Point middleOf(const Quad& q);

// Charts without a place yet, filling a picture of their own.
enum class ChartKind { Wedge, GreyScale, Colour24 };
struct ChartShape {
  ChartKind kind = ChartKind::Wedge;
  int steps = 21, perRow = 7;  // wedge and grey scale: rows are filled from left to right
  double stopsPerStep = 1;     // each step darker than the one before
};
// Colour24: four rows of six, the last a grey row of 90, 59, 36, 19.8, 9 and 3.1 % (nominal, from memory; a
// calibrated chart file is better). Errors: fewer than 2 steps, more than 200, more in a row than there are.
[[nodiscard]] Chart chartOf(const ChartShape& shape);

// Parts of a face from two corners of a box around it, forehead to chin: named and with the role skin.
[[nodiscard]] std::vector<Patch> faceRegions(const Quad& face, const std::string& name);

}  // namespace edge
