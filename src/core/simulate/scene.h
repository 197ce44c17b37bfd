// What stands before the simulated camera: scene-linear R, G, B (BT.709), 18 % grey = 0.18 at base exposure.
#pragma once
#include <vector>

#include "chart/chart.h"
#include "shoot/slate_code.h"

namespace edge {

struct SceneImage {
  int width = 0, height = 0;
  std::vector<float> rgb;  // interleaved

  [[nodiscard]] const float* at(int x, int y) const {
    return rgb.data() + 3 * (static_cast<size_t>(y) * width + x);
  }
  float* at(int x, int y) { return rgb.data() + 3 * (static_cast<size_t>(y) * width + x); }
};

// A back-lit transmission wedge in a dark room. `stops` by step, brightest first; level 1.0 at stops 0.
[[nodiscard]] Chart wedgeChart(const std::vector<double>& stops, int width, int height);
[[nodiscard]] SceneImage renderWedge(const Chart& chart, int width, int height);

// A wall at grey, out of focus, its lamp a little to one side.
[[nodiscard]] SceneImage renderField(int width, int height);

// The bench: two mannequin heads, twelve greys, eighteen colours, white and black cloth, a gradient wall.
[[nodiscard]] Chart benchChart(int width, int height);
[[nodiscard]] std::vector<Patch> benchRegions(int width, int height);
[[nodiscard]] SceneImage renderBench(int width, int height);

// The bench through ND of this density, its light raised by as much: infrared passes the filter. leak: of it
// in the light without a filter, as red sees it, scene-linear.
[[nodiscard]] SceneImage withInfrared(SceneImage scene, double density, double leak);

// A wall before a flashing lamp, as rows see it that are read one after the other, the uppermost first.
struct StrobeLight {
  double hz = 0, duty = 0.3;
  double shutterSeconds = 0, readoutSeconds = 0;
};
[[nodiscard]] SceneImage renderStrobe(int width, int height, const StrobeLight& light,
                                      double frameStartSeconds);

// A slate held before the scene: a white card with this symbol, `height` of the picture high, turned.
[[nodiscard]] SceneImage withSlate(SceneImage scene, const QrSymbol& symbol, double height = 0.62,
                                   double turnDegrees = 0);

}  // namespace edge
