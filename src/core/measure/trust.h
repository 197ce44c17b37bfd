// Which patches' noise can be believed. Noise that is gone is unknown, not small (docs/method.md, "Noise that
// is gone").
#pragma once
#include "measure/response.h"

namespace edge {

// Judges the points of one channel. Removed, for a point and all darker ones:
//   noise below rounding in floating point, or none at all
//   changes from frame to frame far from Gaussian: excess kurtosis beyond that of photons
//   variance below what the brighter points lead to: a sum of read, photon and fixed terms is log-convex in
//   light, so that no point lies below the straight line through ln v of the brighter ones against ln E
// Coded, of lossy clips: correlated, not Gaussian, or under one code of noise.
void judgeNoise(const WedgeMeasure& wedge, int channel, const Response& response, bool clamped,
                ResponsePoints& points);

}  // namespace edge
