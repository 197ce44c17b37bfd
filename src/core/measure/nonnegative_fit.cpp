#include "measure/nonnegative_fit.h"

#include <Eigen/Dense>

namespace edge {

std::optional<std::vector<double>> nonNegativeFit(const std::vector<std::vector<double>>& rows,
                                                  const std::vector<double>& right) {
  if (rows.empty()) return std::nullopt;
  const size_t count = rows[0].size();
  const Eigen::VectorXd b =
      Eigen::Map<const Eigen::VectorXd>(right.data(), static_cast<Eigen::Index>(right.size()));
  std::optional<std::vector<double>> best;
  double bestError = 0;
  // All terms first: where none of them turns out negative, nothing else can fit better.
  const unsigned all = (1U << count) - 1;
  for (unsigned mask = all; mask > 0; --mask) {
    std::vector<size_t> terms;
    for (size_t t = 0; t < count; ++t)
      if (mask >> t & 1U) terms.push_back(t);
    if (rows.size() < terms.size()) continue;
    Eigen::MatrixXd a(rows.size(), terms.size());
    for (size_t i = 0; i < rows.size(); ++i)
      for (size_t t = 0; t < terms.size(); ++t) a(i, t) = rows[i][terms[t]];
    // Terms of very different size are brought to one before they are solved for.
    const Eigen::VectorXd scale = a.colwise().norm().transpose();
    for (size_t t = 0; t < terms.size(); ++t) a.col(t) /= scale[t];
    const Eigen::VectorXd fit = a.colPivHouseholderQr().solve(b);
    if (!(fit.minCoeff() >= 0)) continue;
    const double error = (a * fit - b).squaredNorm();
    if (best && error >= bestError) continue;
    bestError = error;
    best.emplace(count, 0.0);
    for (size_t t = 0; t < terms.size(); ++t) (*best)[terms[t]] = fit[t] / scale[t];
    if (mask == all) break;
  }
  return best;
}

}  // namespace edge
