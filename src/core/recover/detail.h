// How much fine detail of the base is left in a take (docs/method.md, "What is judged"): lightness of a
// textured area, high-passed, against the base's.
#pragma once
#include <optional>
#include <vector>

namespace edge {

// L* of an area, by frame.
struct LightnessFrames {
  int width = 0, height = 0;
  std::vector<std::vector<float>> frames;
};

struct Detail {
  double single = 0;  // correlation of one frame with the base as it is without noise, 0..1
  // Correlation without the noise of either, from halves of the frames; nothing of fewer than four.
  std::optional<double> noiseFree;
  double noiseFreeSigma = 0;
  double texture = 0;  // of the base without noise, standard deviation of L*
  double own = 0;      // contrast of the take's own detail, whatever it shows, against the base's
  double gain = 0;     // contrast of the base's detail in the take, 1: all of it
  // There is detail, but it is not that of the base: the object has moved.
  [[nodiscard]] bool elsewhere() const;
  // The texture is strong enough to be judged by `single`, whichever camera it was shot with: noise at its
  // own clean limit would leave about the clean limit of detail.
  [[nodiscard]] bool judged() const { return texture >= kJudgedTexture; }
  static constexpr double kJudgedTexture = 3;
};

inline constexpr double kHighPassSigma = 3;  // pixels: what is finer is detail

// nullopt: too few frames, or the base has no texture there that stands clear of its own noise.
// Shifts up to kDetailReach pixels are followed.
inline constexpr int kDetailReach = 2;
[[nodiscard]] std::optional<Detail> detailOf(const LightnessFrames& take, const LightnessFrames& base);
// Of the base against itself, one half of its frames against the other where there are eight.
[[nodiscard]] std::optional<Detail> detailOfBase(const LightnessFrames& base);

}  // namespace edge
