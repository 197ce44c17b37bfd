// What a curve and chroma subsampling add to luma's noise in the second order. Three channels go through the
// curve one by one, are mixed into one luma code, and their chroma is shared by neighbours: the light decoded
// from that is not the light that went in where noise is not small against the curve's bend. No formula is
// short enough to be trusted: the chain is run on a fixed set of Gaussian samples, and its luma variance is
// compared with that of the same samples before it.
#pragma once
#include "color/curve.h"
#include "color/primaries.h"

namespace edge {

struct SecondOrder {
  double level = 0;                    // scene-linear, neutral
  double lumaVariance = 0;             // scene-linear, as decoded
  double chromaVariance = 0;           // Cb plus Cr in code, as decoded and interpolated
  int chromaWide = 2, chromaHigh = 1;  // pixels that share a chroma sample
};

// ln of decoded luma variance over that of the light; 0 where noise is under a twentieth of the level or
// nothing is shared. The channels' noise is taken from luma and chroma, red and blue alike.
[[nodiscard]] double secondOrderOf(const SecondOrder& patch, const Curve& curve, const Vec3& weights);

}  // namespace edge
