#include "color/cdl.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

double clamped(double v) {
  return std::clamp(v, 0.0, 1.0);
}

}  // namespace

Vec3 Cdl::apply(const Vec3& code) const {
  const Vec3 weights = lumaWeights(Primaries::Bt709);  // ASC CDL 1.2 names BT.709 for every picture
  Vec3 v{};
  double luma = 0;
  for (size_t c = 0; c < 3; ++c) {
    const double sop = clamped(code[c] * slope[c] + offset[c]);
    v[c] = power[c] == 1 ? sop : std::pow(sop, power[c]);
    luma += weights[c] * v[c];
  }
  if (saturation == 1) return v;
  for (double& x : v) x = clamped(luma + saturation * (x - luma));
  return v;
}

}  // namespace edge
