#include "measure/temporal.h"

#include <algorithm>
#include <cmath>

namespace edge {
namespace {

constexpr double kLowestRho = -0.6, kHighestRho = 0.97;
constexpr double kMisfit = 0.02;        // relative, beyond sampling: what no filter of this kind leaves
constexpr double kRepeatBelow = 0.3;    // of the usual change
constexpr double kLevelScatter = 0.15;  // of ln factor between bright and dark patches

using Table = std::vector<std::vector<double>>;  // by lag, by first frame

Table meanOf(const std::vector<FrameChanges>& patches, const std::vector<size_t>& use) {
  Table m = patches[use[0]].byLag;
  std::erase_if(m, [](const auto& row) { return row.empty(); });  // fewer frames than the longest lag
  for (auto& row : m) std::fill(row.begin(), row.end(), 0.0);
  double weight = 0;
  for (size_t i : use) weight += patches[i].pixels;
  for (size_t i : use)
    for (size_t k = 0; k < m.size(); ++k)
      for (size_t t = 0; t < m[k].size(); ++t) m[k][t] += patches[i].pixels / weight * patches[i].byLag[k][t];
  return m;
}

// Least squares of relative residuals for S and v(0), a given; v(0) settled or free.
struct Ar1 {
  double input = 0, start = 0, misfit = 1e300;
};
Ar1 fitAt(const Table& d, double a, bool settled) {
  double s11 = 0, s12 = 0, s22 = 0, r1 = 0, r2 = 0, n = 0;
  const double b = (1 - a) * (1 - a), steady = (1 - a) / (1 + a);
  const auto terms = [&](size_t lag, size_t t) {
    const double k = static_cast<double>(lag + 1), at = std::pow(a * a, static_cast<double>(t)),
                 drop = std::pow(1 - std::pow(a, k), 2);
    // v(t) = at v0 + steady (1 - at) S
    const double ofInput = drop * steady * (1 - at) + b * (1 - std::pow(a * a, k)) / (1 - a * a);
    return settled ? std::pair(ofInput + drop * steady * at, 0.0) : std::pair(ofInput, drop * at);
  };
  for (size_t k = 0; k < d.size(); ++k)
    for (size_t t = 0; t < d[k].size(); ++t) {
      const auto [x1, x2] = terms(k, t);
      const double w = 1 / (d[k][t] * d[k][t]);
      s11 += w * x1 * x1, s12 += w * x1 * x2, s22 += w * x2 * x2;
      r1 += w * x1 * d[k][t], r2 += w * x2 * d[k][t], n += 1;
    }
  Ar1 f;
  if (settled) {
    f.input = r1 / s11, f.start = f.input * steady;
  } else {
    const double det = s11 * s22 - s12 * s12;
    if (!(det > 1e-12 * s11 * s22)) return f;
    f.input = (r1 * s22 - r2 * s12) / det, f.start = (r2 * s11 - r1 * s12) / det;
    if (!(f.input > 0) || f.start < 0) return f;
  }
  double squares = 0;
  for (size_t k = 0; k < d.size(); ++k)
    for (size_t t = 0; t < d[k].size(); ++t) {
      const auto [x1, x2] = terms(k, t);
      squares += std::pow((f.input * x1 + (settled ? 0 : f.start * x2)) / d[k][t] - 1, 2);
    }
  f.misfit = squares / n;
  return f;
}

struct Solved {
  double a = 0;
  Ar1 fit;
};
Solved search(const Table& d, bool settled) {
  Solved best;
  const auto consider = [&](double a) {
    const Ar1 f = a > -0.99 && a < 0.99 ? fitAt(d, a, settled) : Ar1();
    if (f.misfit < best.fit.misfit) best = {a, f};
  };
  constexpr double kCoarse = 0.1;
  for (double a = kLowestRho; a <= kHighestRho; a += kCoarse) consider(a + 1e-4);
  for (double step = kCoarse / 2; step > 1e-5; step /= 2) {
    const double at = best.a;
    consider(at - step), consider(at + step);
  }
  return best;
}

double average(const std::vector<double>& v) {
  double sum = 0;
  for (double x : v) sum += x;
  return sum / static_cast<double>(v.size());
}

struct Estimate {
  double rho = 0, factor = 1;
  double misfit = 0;  // rms, relative
};

// The plain means by lag: D(k) = g (1 - rho(k)).
Estimate solve(const Table& d) {
  const Solved settled = search(d, true);
  Solved s = settled;
  if (std::sqrt(settled.fit.misfit) > kMisfit) {
    const Solved open = search(d, false);
    if (open.fit.misfit < 0.25 * settled.fit.misfit) s = open;
  }
  Estimate e{s.a, s.fit.input, std::sqrt(s.fit.misfit)};
  if (d.size() < 4) return e;
  // A moving average of up to three frames: the changes at three and four frames' distance are the same.
  const double g = (average(d[2]) + average(d[3])) / 4, one = 1 - average(d[0]) / 2 / g,
               two = 1 - average(d[1]) / 2 / g;
  double squares = 0, n = 0;
  for (size_t k = 0; k < d.size(); ++k)
    for (double v : d[k])
      squares += std::pow((k == 0 ? average(d[0]) : k == 1 ? average(d[1]) : 2 * g) / v - 1, 2), n += 1;
  const double misfit = std::sqrt(squares / n);
  if (misfit < 0.7 * e.misfit && misfit + kMisfit / 2 < e.misfit)
    e = {one, g * (1 + 2 * one + 2 * two), misfit};
  return e;
}

}  // namespace

std::optional<TemporalFilter> temporalFilterOf(const std::vector<FrameChanges>& patches) {
  std::vector<size_t> all;
  for (size_t i = 0; i < patches.size(); ++i)
    if (patches[i].byLag.size() >= 2 && patches[i].byLag[0].size() >= 3) all.push_back(i);
  if (all.size() < 3) return std::nullopt;
  const Estimate e = solve(meanOf(patches, all));
  TemporalFilter f;
  f.rho = e.rho, f.factor = e.factor;
  double pixels = 0;
  for (size_t i : all) pixels += patches[i].pixels;
  // Jackknife over the patches: the error as they scatter, whatever its cause.
  double squares = 0, rhoSquares = 0, low = 0, high = 0;
  for (size_t leave = 0; leave < all.size(); ++leave) {
    std::vector<size_t> rest = all;
    rest.erase(rest.begin() + static_cast<std::ptrdiff_t>(leave));
    const Estimate other = solve(meanOf(patches, rest));
    squares += std::pow(std::log(std::max(1e-6, other.factor) / std::max(1e-6, e.factor)), 2);
    rhoSquares += std::pow(other.rho - e.rho, 2);
  }
  const double n = static_cast<double>(all.size());
  f.factorSigma = std::sqrt(squares * (n - 1) / n), f.rhoSigma = std::sqrt(rhoSquares * (n - 1) / n);
  // Brightest and darkest half apart: one filter for all levels, or none that can be taken off.
  const auto half = static_cast<std::ptrdiff_t>(all.size() / 2);
  if (half >= 2) {
    low = solve(meanOf(patches, {all.begin(), all.begin() + half})).factor;
    high = solve(meanOf(patches, {all.end() - half, all.end()})).factor;
    const double apart = std::abs(std::log(std::max(1e-6, low) / std::max(1e-6, high)));
    if (apart > std::max(kLevelScatter, 6 * f.factorSigma)) f.known = false;
  }
  const double sampling = 3 / std::sqrt(pixels);
  if (e.misfit > kMisfit + sampling) f.known = false;
  return f;
}

std::vector<size_t> nearRepeats(const std::vector<double>& changes) {
  if (changes.size() < 2) return {};
  std::vector<double> sorted = changes;
  std::sort(sorted.begin(), sorted.end());
  const double usual = sorted[sorted.size() * 3 / 4];
  std::vector<size_t> repeats;
  for (size_t t = 0; t < changes.size(); ++t)
    if (changes[t] < kRepeatBelow * usual) repeats.push_back(t);
  return repeats;
}

}  // namespace edge
