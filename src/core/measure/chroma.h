// Colour-difference noise of a patch in code values, by which rebuilt highlights are told from true ones
// (docs/method.md, "Range").
#pragma once
#include <vector>

#include "color/primaries.h"

namespace edge {

// Of one patch while a clip streams by. Cb = (B' - Y')/(2(1 - Kb)), Cr = (R' - Y')/(2(1 - Kr)) on code 0..1.
class ChromaStream {
 public:
  explicit ChromaStream(const Vec3& weights) : weights_(weights) {}
  void add(const std::vector<float>& r, const std::vector<float>& g, const std::vector<float>& b);

  // Temporal variance of Cb plus that of Cr, unbiased; of one frame: spatial.
  [[nodiscard]] double variance() const;
  [[nodiscard]] double meanCb() const { return total_[0] / count(); }
  [[nodiscard]] double meanCr() const { return total_[1] / count(); }

 private:
  [[nodiscard]] double count() const;
  Vec3 weights_;
  int frames_ = 0;
  std::vector<double> sum_[2], squares_[2];  // by pixel
  double total_[2] = {};
};

}  // namespace edge
