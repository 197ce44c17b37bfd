// The display transform for many pixels: by table where each channel stands by itself.
// Agrees with DisplayTransform to 2e-4 of code (a fifth of a ten-bit step; most at the corner where BT.709
// clips) up to 64 times scene-linear 1; what is brighter is shown as 64.
#pragma once
#include <algorithm>
#include <cmath>
#include <vector>

#include "color/display.h"
#include "color/lab.h"

namespace edge {

class DisplayTable {
 public:
  explicit DisplayTable(const DisplayTransform& transform);

  // Display code 0..1 of one pixel of scene-linear R, G, B.
  void code(const float* linear, float* code) const {
    if (table_.empty()) return byTransform(linear, code);
    for (int c = 0; c < 3; ++c) code[c] = interpolated(table_, std::sqrt(std::max(0.0F, linear[c]) / kTop));
  }
  // CIE L*, a*, b* of one pixel of display code.
  void lab(const float* code, Primaries primaries, float* lab) const;

 private:
  static constexpr float kTop = 64;  // scene-linear
  static constexpr int kSteps = 16384;
  static float interpolated(const std::vector<float>& table, float share) {
    const float at = std::min(share, 1.0F) * kSteps;
    const int i = std::min(static_cast<int>(at), kSteps - 1);
    const auto k = static_cast<size_t>(i);
    return table[k] + (at - static_cast<float>(i)) * (table[k + 1] - table[k]);
  }
  void byTransform(const float* linear, float* code) const;

  const DisplayTransform& transform_;
  std::vector<float> table_;  // over the square root of light, empty: channels depend on each other
  std::vector<float> light_;  // of code
};

}  // namespace edge
