// A small scene-linear picture of a clip: luma, means over blocks of pixels and over frames. For finding,
// registering and comparing, not for noise.
#pragma once
#include <filesystem>
#include <vector>

#include "base/progress.h"
#include "image/decode.h"

namespace edge {

struct LumaPicture {
  int width = 0, height = 0;
  std::vector<float> luma;  // scene-linear

  [[nodiscard]] float at(int x, int y) const { return luma[static_cast<size_t>(y) * width + x]; }
};

inline constexpr int kPictureSide = 960;  // pixels, at most

// Sums frames as they stream by; means of even and odd frames apart, so that their noise is independent.
class LumaMean {
 public:
  explicit LumaMean(const Decoder& decoder, int maxSide = kPictureSide);
  void add(const Frame& frame);
  // Pixels of the clip to one of the picture.
  [[nodiscard]] double reduction() const { return reduction_; }
  [[nodiscard]] LumaPicture mean() const;
  [[nodiscard]] LumaPicture half(int which) const;  // empty where no such frame came

 private:
  [[nodiscard]] LumaPicture scaledBy(double f0, double f1) const;
  const Decoder& decoder_;
  Vec3 weights_;
  int block_ = 1, width_ = 0, height_ = 0;
  double reduction_ = 1;
  std::vector<float> sum_[2];
  int count_[2] = {};
};

}  // namespace edge
