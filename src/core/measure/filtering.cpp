#include "measure/filtering.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kFiltered = 0.10;        // lag of neighbours
constexpr double kBothWays = 0.03;        // lag of neighbours, the smaller of the two directions
constexpr double kSharpened = -0.05;      // lowest lag
constexpr double kFilteredFactor = 0.10;  // of ln variance: 0.07 stop of range where read noise limits
constexpr double kTemporalFiltered = 0.05;

}  // namespace

bool isFilteredInSpace(const ChannelFiltering& f) {
  const double sigma = f.inflationSigma / f.inflation;
  return f.verticalLag > kFiltered || f.horizontalLag > kFiltered || f.lowestLag < kSharpened ||
         std::abs(std::log(f.inflation)) > std::max(kFilteredFactor, 5 * sigma);
}

bool isProcessed(const ChannelFiltering& f) {
  return isFilteredInSpace(f) &&
         (f.lowestLag < kSharpened || std::min(f.verticalLag, f.horizontalLag) > kBothWays);
}

bool isFilteredInTime(const ChannelFiltering& f) {
  return std::abs(f.temporalRho) > std::max(kTemporalFiltered, 5 * f.temporalSigma);
}

}  // namespace edge
