// A linear matrix that takes one body's colours to another's. Inside bodies/ only.
#pragma once
#include "color/display.h"
#include "recover/correction.h"

namespace edge {

struct MatrixFit {
  Mat3 matrix{{{1, 0, 0}, {0, 1, 0}, {0, 0, 1}}};
  bool diagonal = false;  // the colours span no three directions: a gain of each channel
};

// `take` of each pair to its `base`: least relative squares, refined to the least CIEDE2000 under the display
// transform (Levenberg and Marquardt, Eigen).
[[nodiscard]] MatrixFit fitMatrix(const std::vector<ColourPair>& pairs, const DisplayTransform& display,
                                  Primaries primaries);

}  // namespace edge
