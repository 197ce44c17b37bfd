#include "bodies/match_matrix.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "color/lab.h"
#include "recover/least_squares.h"

namespace edge {
namespace {

constexpr double kSpan = 0.02;    // of the largest: smaller singular values are no direction of colour
constexpr double kFloor = 0.004;  // scene-linear added to a level: relative errors end there
constexpr double kRidge = 0.05;   // Delta E for a change of one: decides where colours don't

double weightOf(const ColourPair& p) {
  const double level = std::max({p.base[0], p.base[1], p.base[2], 0.0}) + kFloor;
  return std::sqrt(p.weight) / level;
}

// Rows of relative colours; how many directions they span.
bool spansColours(const std::vector<ColourPair>& pairs) {
  Eigen::MatrixXd m(static_cast<Eigen::Index>(pairs.size()), 3);
  for (size_t i = 0; i < pairs.size(); ++i) {
    const Vec3& v = pairs[i].take;
    const double n = std::max(1e-9, std::sqrt(v[0] * v[0] + v[1] * v[1] + v[2] * v[2]));
    for (int c = 0; c < 3; ++c) m(static_cast<Eigen::Index>(i), c) = v[static_cast<size_t>(c)] / n;
  }
  const Eigen::VectorXd s = Eigen::JacobiSVD<Eigen::MatrixXd>(m).singularValues();
  return s.size() == 3 && s(2) > kSpan * s(0);
}

Mat3 leastSquares(const std::vector<ColourPair>& pairs, bool diagonal) {
  Mat3 out{};
  for (size_t r = 0; r < 3; ++r) {
    const int n = diagonal ? 1 : 3;
    Eigen::MatrixXd A(static_cast<Eigen::Index>(pairs.size()), n);
    Eigen::VectorXd y(static_cast<Eigen::Index>(pairs.size()));
    for (size_t i = 0; i < pairs.size(); ++i) {
      const double w = weightOf(pairs[i]);
      const auto row = static_cast<Eigen::Index>(i);
      for (int c = 0; c < n; ++c) A(row, c) = w * pairs[i].take[diagonal ? r : static_cast<size_t>(c)];
      y(row) = w * pairs[i].base[r];
    }
    const Eigen::VectorXd x = A.colPivHouseholderQr().solve(y);
    for (int c = 0; c < n; ++c) out[r][diagonal ? r : static_cast<size_t>(c)] = x(c);
  }
  return out;
}

// Residuals: the three parts of CIEDE2000 of every pair, and the ridge towards the start.
class Residuals {
 public:
  Residuals(const std::vector<ColourPair>& pairs, const DisplayTransform& display, Primaries primaries,
            const Mat3& start, bool diagonal)
      : pairs_(pairs), display_(display), primaries_(primaries), start_(start), diagonal_(diagonal) {
    for (const auto& p : pairs) base_.push_back(labOf(p.base));
  }
  [[nodiscard]] int inputs() const { return diagonal_ ? 3 : 9; }
  [[nodiscard]] int values() const { return 3 * static_cast<int>(pairs_.size()) + inputs(); }
  [[nodiscard]] Mat3 matrixOf(const Eigen::VectorXd& u) const {
    Mat3 m = start_;
    for (int i = 0; i < inputs(); ++i) {
      const auto r = static_cast<size_t>(diagonal_ ? i : i / 3),
                 c = static_cast<size_t>(diagonal_ ? i : i % 3);
      m[r][c] += u[i];
    }
    return m;
  }
  void operator()(const Eigen::VectorXd& u, Eigen::VectorXd& r) const {
    const Mat3 m = matrixOf(u);
    for (size_t i = 0; i < pairs_.size(); ++i) {
      const Vec3 parts = deltaE2000Parts(base_[i], labOf(multiply(m, pairs_[i].take)));
      for (size_t k = 0; k < 3; ++k)
        r[static_cast<Eigen::Index>(3 * i + k)] = std::sqrt(pairs_[i].weight) * parts[k];
    }
    for (int i = 0; i < inputs(); ++i) r[values() - inputs() + i] = kRidge * u[i];
  }

 private:
  [[nodiscard]] Lab labOf(const Vec3& light) const {
    return labOfDisplayLight(display_.light(light), primaries_);
  }
  const std::vector<ColourPair>& pairs_;
  const DisplayTransform& display_;
  Primaries primaries_;
  Mat3 start_;
  bool diagonal_;
  std::vector<Lab> base_;
};

}  // namespace

MatrixFit fitMatrix(const std::vector<ColourPair>& pairs, const DisplayTransform& display,
                    Primaries primaries) {
  MatrixFit fit;
  if (pairs.size() < 3) return fit;
  fit.diagonal = !spansColours(pairs);
  fit.matrix = leastSquares(pairs, fit.diagonal);
  const Residuals residuals(pairs, display, primaries, fit.matrix, fit.diagonal);
  const Eigen::VectorXd start = Eigen::VectorXd::Zero(residuals.inputs());
  Eigen::VectorXd before(residuals.values());
  residuals(start, before);
  const Minimum m = leastSquares(start, residuals.values(), residuals);
  if (std::isfinite(m.cost) && m.cost < before.squaredNorm()) fit.matrix = residuals.matrixOf(m.at);
  return fit;
}

}  // namespace edge
