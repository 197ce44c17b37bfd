// Least squares of residuals that only a function knows: Levenberg and Marquardt with central differences
// (Eigen). Inside solvers of corrections and matches.
#pragma once
#include <Eigen/Dense>
#include <functional>

namespace edge {

struct Minimum {
  Eigen::VectorXd at;
  double cost = 0;  // sum of squares there
};
// `residuals` fills as many values as it is handed. The same numbers every time.
[[nodiscard]] Minimum leastSquares(
    Eigen::VectorXd start, int values,
    const std::function<void(const Eigen::VectorXd& at, Eigen::VectorXd& residuals)>& residuals);

}  // namespace edge
