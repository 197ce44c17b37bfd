// Where between two takes a figure meets its limit, by the law it grows by (docs/method.md, "Edges").
#pragma once
#include <optional>
#include <vector>

#include "measure/range.h"
#include "recover/criteria.h"

namespace edge {

// A figure of one take. distance: stops from the base outwards, not negative. Sigmas: standard errors.
struct EdgePoint {
  double distance = 0, distanceSigma = 0;
  double value = 0, sigma = 0;
};

enum class Side { Over, Under };  // of the base

// points: from the base outwards; those at `good` and `good + 1` lie on either side of the limit. The limit's
// `stops` is a distance. Its sigma: sampling of both figures, both distances, and what is left of the law.
// nullopt: the law says nothing here.
[[nodiscard]] std::optional<Limit> crossingBy(EdgeLaw law, Side side, const std::vector<EdgePoint>& points,
                                              size_t good, double limit);

}  // namespace edge
