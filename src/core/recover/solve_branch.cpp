#include <Eigen/Dense>
#include <algorithm>
#include <cmath>

#include "color/lab.h"
#include "recover/correction.h"
#include "recover/least_squares.h"

namespace edge {
namespace {

constexpr double kAtBound = 0.98;      // of a bound
constexpr double kModelError = 0.005;  // of a level, as for the offset
constexpr double kRidge = 0.5;         // Delta E for a parameter at its bound: decides where colours don't

using Parameters = Eigen::VectorXd;

// Free numbers u to bounded parameters: size = bound * tanh(u), doing nothing at 0.
double sizeOf(double u) {
  return std::tanh(u);
}
double freeOf(double size) {
  return std::atanh(std::clamp(size, -0.95, 0.95));
}

struct FreeParameters {
  bool grade;
  [[nodiscard]] int count() const { return grade ? 10 : 1; }
};

Correction correctionOf(const FreeParameters& layout, const Parameters& u, const BringBack& exposure) {
  Correction c;
  c.back = exposure;
  if (!layout.grade) {
    c.branch = Branch::LogOffset;
    c.codeOffset = kMostOffset * sizeOf(u[0]);
    return c;
  }
  c.branch = Branch::Grade;
  for (int i = 0; i < 3; ++i) {
    const auto k = static_cast<size_t>(i);
    c.cdl.slope[k] = std::exp2(kMostDoubling * sizeOf(u[i]));
    c.cdl.offset[k] = kMostOffset * sizeOf(u[3 + i]);
    c.cdl.power[k] = std::exp2(kMostDoubling * sizeOf(u[6 + i]));
  }
  c.cdl.saturation = std::exp2(kMostDoubling * sizeOf(u[9]));
  return c;
}

std::string parameterName(const FreeParameters& layout, int i) {
  static constexpr const char* kChannels[] = {"R", "G", "B"};
  static constexpr const char* kKinds[] = {"slope", "offset", "power"};
  if (!layout.grade) return "offset";
  return i == 9 ? "saturation" : std::string(kKinds[i / 3]) + " " + kChannels[i % 3];
}

// Residuals: the three parts of CIEDE2000 of every pair, and the ridge.
class Residuals {
 public:
  Residuals(const BranchProblem& p, FreeParameters layout) : p_(p), layout_(layout) {
    for (const auto& pair : p.pairs) {
      takeCodes_.push_back(codeOf(pair.take));
      base_.push_back(labOf(pair.base));
    }
  }
  [[nodiscard]] int inputs() const { return layout_.count(); }
  [[nodiscard]] int values() const { return 3 * static_cast<int>(base_.size()) + inputs(); }

  void operator()(const Eigen::VectorXd& u, Eigen::VectorXd& r) const {
    const Correction c = correctionOf(layout_, u, p_.exposure);
    for (size_t i = 0; i < base_.size(); ++i) {
      Vec3 v = c.code(takeCodes_[i], p_.log);
      for (double& x : v) x = p_.log.toLinear(x);
      const Vec3 parts = deltaE2000Parts(base_[i], labOf(v));
      for (size_t k = 0; k < 3; ++k)
        r[static_cast<Eigen::Index>(3 * i + k)] = std::sqrt(p_.pairs[i].weight) * parts[k];
    }
    for (int i = 0; i < inputs(); ++i) r[values() - inputs() + i] = kRidge * sizeOf(u[i]);
  }

  [[nodiscard]] Vec3 codeOf(const Vec3& linear) const {
    return {p_.log.toCode(linear[0]), p_.log.toCode(linear[1]), p_.log.toCode(linear[2])};
  }
  [[nodiscard]] const std::vector<Vec3>& takeCodes() const { return takeCodes_; }

 private:
  [[nodiscard]] Lab labOf(const Vec3& linear) const {
    return labOfDisplayLight(p_.display.light(linear), p_.primaries);
  }
  const BranchProblem& p_;
  FreeParameters layout_;
  std::vector<Vec3> takeCodes_;
  std::vector<Lab> base_;
};

// Three starts: one offset for all, one a channel, a straight line a channel.
std::vector<Parameters> startsOf(const BranchProblem& p, const Residuals& residuals,
                                 const FreeParameters& layout) {
  Vec3 shift{}, slope{1, 1, 1}, lineOffset{};
  const auto n = static_cast<double>(p.pairs.size());
  for (size_t c = 0; c < 3; ++c) {
    double sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (size_t i = 0; i < p.pairs.size(); ++i) {
      const double x = residuals.takeCodes()[i][c], y = residuals.codeOf(p.pairs[i].base)[c];
      sx += x / n;
      sy += y / n;
      sxx += x * x / n;
      sxy += x * y / n;
    }
    shift[c] = sy - sx;
    const double spread = sxx - sx * sx;
    slope[c] = spread > 1e-8 ? std::clamp((sxy - sx * sy) / spread, 0.5, 2.0) : 1;
    lineOffset[c] = sy - slope[c] * sx;
  }
  const double common = (shift[0] + shift[1] + shift[2]) / 3;
  if (!layout.grade) return {Parameters::Constant(1, freeOf(common / kMostOffset))};
  std::vector<Parameters> starts(3, Parameters::Zero(layout.count()));
  for (int c = 0; c < 3; ++c) {
    const auto k = static_cast<size_t>(c);
    starts[0][3 + c] = freeOf(common / kMostOffset);
    starts[1][3 + c] = freeOf(shift[k] / kMostOffset);
    starts[2][c] = freeOf(std::log2(slope[k]) / kMostDoubling);
    starts[2][3 + c] = freeOf(lineOffset[k] / kMostOffset);
  }
  return starts;
}

SolvedBranch solveOnLog(const BranchProblem& p, const FreeParameters& layout) {
  const Residuals residuals(p, layout);
  Parameters best;
  double least = 0;
  auto starts = startsOf(p, residuals, layout);
  for (Parameters& start : starts) {
    Minimum m = leastSquares(std::move(start), residuals.values(), residuals);
    if (best.size() == 0 || m.cost < least) least = m.cost, best = std::move(m.at);
  }
  SolvedBranch s;
  s.correction = correctionOf(layout, best, p.exposure);
  for (int i = 0; i < layout.count(); ++i) {
    const double size = std::abs(sizeOf(best[i]));
    s.effort = std::max(s.effort, size);
    if (size > kAtBound) s.atBound.push_back(parameterName(layout, i));
  }
  return s;
}

// The factor of one channel over the neutral pairs: weighted least squares through the common pedestal.
std::optional<double> channelFactor(const BranchProblem& p, size_t c) {
  double top = 0, bottom = 0;
  int used = 0;
  for (const auto& pair : p.pairs) {
    if (!pair.neutral) continue;
    const double take = pair.take[c] - p.exposure.q, base = pair.base[c];
    const double error = std::hypot(pair.takeError[c], p.exposure.k * pair.baseError[c], kModelError * take);
    if (!(base > 0) || !(error > 0)) continue;
    top += take * base / (error * error);
    bottom += base * base / (error * error);
    ++used;
  }
  return used >= 2 && top > 0 ? std::optional(top / bottom) : std::nullopt;
}

std::optional<SolvedBranch> solveBalance(const BranchProblem& p, SolvedBranch s) {
  for (size_t c = 0; c < 3; ++c) {
    const auto factor = channelFactor(p, c);
    if (!factor) return std::nullopt;
    const double gain = p.exposure.k / *factor;
    const double size = std::abs(std::log2(gain)) / kMostGainStops;
    s.correction.gains[c] = gain;
    s.effort = std::max(s.effort, std::min(1.0, size));
    if (size > kAtBound) s.atBound.push_back(std::string("gain ") + "RGB"[c]);
  }
  return s;
}

}  // namespace

std::optional<SolvedBranch> solveBranch(Branch branch, const BranchProblem& p) {
  if (branch == Branch::Grade || branch == Branch::LogOffset) {
    if (p.pairs.size() < 3) return std::nullopt;
    return solveOnLog(p, FreeParameters{branch == Branch::Grade});
  }
  SolvedBranch s;
  s.correction.branch = branch;
  s.correction.back = p.exposure;
  s.effort = std::min(1.0, std::abs(p.exposure.offsetStops()) / kMostStops);
  if (s.effort > kAtBound) s.atBound.emplace_back("stops");
  return branch == Branch::Exposure ? std::optional(s) : solveBalance(p, s);
}

}  // namespace edge
