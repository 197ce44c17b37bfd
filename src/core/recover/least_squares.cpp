#include "recover/least_squares.h"

#include <unsupported/Eigen/NonLinearOptimization>

namespace edge {
namespace {

constexpr int kMostEvaluations = 4000;
constexpr double kTolerance = 1e-10;  // relative, of cost and parameters

struct Functor {
  using Scalar = double;
  enum { InputsAtCompileTime = Eigen::Dynamic, ValuesAtCompileTime = Eigen::Dynamic };
  using InputType = Eigen::VectorXd;
  using ValueType = Eigen::VectorXd;
  using JacobianType = Eigen::MatrixXd;

  const std::function<void(const Eigen::VectorXd&, Eigen::VectorXd&)>& residuals;
  int in, out;

  [[nodiscard]] int inputs() const { return in; }
  [[nodiscard]] int values() const { return out; }
  int operator()(const Eigen::VectorXd& at, Eigen::VectorXd& r) const {
    residuals(at, r);
    return 0;
  }
};

}  // namespace

Minimum leastSquares(Eigen::VectorXd start, int values,
                     const std::function<void(const Eigen::VectorXd&, Eigen::VectorXd&)>& residuals) {
  const Functor functor{residuals, static_cast<int>(start.size()), values};
  Eigen::NumericalDiff<Functor, Eigen::Central> derived(functor);
  Eigen::LevenbergMarquardt<decltype(derived)> solver(derived);
  solver.parameters.maxfev = kMostEvaluations;
  solver.parameters.ftol = solver.parameters.xtol = kTolerance;
  Minimum m;
  m.at = std::move(start);
  solver.minimize(m.at);
  Eigen::VectorXd r(values);
  residuals(m.at, r);
  m.cost = r.squaredNorm();
  return m;
}

}  // namespace edge
