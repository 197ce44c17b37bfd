// Least squares with coefficients that may not be negative, for a few terms: of all subsets of the terms the
// one with the least error whose coefficients are none of them negative.
#pragma once
#include <optional>
#include <vector>

namespace edge {

// rows: the terms of each equation, whose right side is `right`. Coefficients by term; 0 for those left out.
// nullopt: no subset will do. At most 6 terms.
[[nodiscard]] std::optional<std::vector<double>> nonNegativeFit(const std::vector<std::vector<double>>& rows,
                                                                const std::vector<double>& right);

}  // namespace edge
