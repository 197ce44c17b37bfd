// Measured offset of a take against the base, and bring-back by exposure alone (docs/method.md, "Latitude").
//   L_take = k L_base + q, weights 1/[se^2 + k^2 se_b^2 + (0.005 L)^2];  offset = log2 k;  brought back (L -
//   q)/k
#pragma once
#include <optional>
#include <vector>

#include "color/primaries.h"
#include "recover/channel_ends.h"

namespace edge {

struct BringBack {
  double k = 1, q = 0;
  double sigmaStops = 0;
  double scatterStops = 0;  // of log2 ratios after q; > 0.03: the curve is wrong
  int patchesUsed = 0;
  bool byMedian = false;  // fewer than three usable patches: median of ratios, less sure
  bool withheld = false;  // the patches disagree by more than kWrongCurveScatter: this is no measured offset

  [[nodiscard]] double offsetStops() const;
  [[nodiscard]] Vec3 apply(const Vec3& linear) const {
    return {(linear[0] - q) / k, (linear[1] - q) / k, (linear[2] - q) / k};
  }
};

inline constexpr double kWrongCurveScatter = 0.03;  // stops, of log2 ratios after q

// Patches taken for neutral: role grey, white or black, or with calibrated stops; all patches where none is.
[[nodiscard]] std::vector<size_t> neutralPatches(const Chart& chart);

// Errors of the standard kind: sampling, and what the patches scatter beyond it.
// nullopt when fewer than two patches are usable in both takes.
[[nodiscard]] std::optional<BringBack> solveOffset(const TakeStats& take, const TakeStats& base,
                                                   const std::vector<size_t>& neutrals,
                                                   const Plateau& plateau);

}  // namespace edge
