// Measured offset of a take against the base, and bring-back by exposure alone (2-measurement, section 6).
//   L_take = k L_base + q, weights 1/[se^2 + k^2 se_b^2 + (0.005 L)^2];  offset = log2 k;  brought back (L -
//   q)/k
#pragma once
#include <optional>
#include <vector>

#include "color/primaries.h"
#include "recover/take.h"

namespace edge {

struct BringBack {
  double k = 1, q = 0;
  double sigmaStops = 0;
  double scatterStops = 0;  // of log2 ratios after q; > 0.03: the curve is wrong
  int patchesUsed = 0;
  bool byMedian = false;  // fewer than three usable patches: median of ratios, less sure

  [[nodiscard]] double offsetStops() const;
  [[nodiscard]] Vec3 apply(const Vec3& linear) const {
    return {(linear[0] - q) / k, (linear[1] - q) / k, (linear[2] - q) / k};
  }
};

using Plateau =
    std::array<std::optional<double>, 3>;  // code value at which each channel ends; nullopt: not reached

// Where each channel ends: the top code that neutral areas share although their light differs, within a take
// or between takes. takes[0] is the base.
[[nodiscard]] Plateau findPlateau(const std::vector<const TakeStats*>& takes,
                                  const std::vector<size_t>& neutrals);

// Patches taken for neutral: role grey, white or black, or with calibrated stops; all patches where none is.
[[nodiscard]] std::vector<size_t> neutralPatches(const Chart& chart);

// nullopt when no patch is usable in both takes.
[[nodiscard]] std::optional<BringBack> solveOffset(const TakeStats& take, const TakeStats& base,
                                                   const std::vector<size_t>& neutrals,
                                                   const Plateau& plateau);

}  // namespace edge
