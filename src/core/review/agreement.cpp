#include "review/agreement.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <random>

namespace edge {
namespace {

constexpr double kZ = 1.959963984540054;  // of 95 %, normal
constexpr int kResampled = 1000;

using Units = std::vector<std::vector<int>>;

// nullopt: nothing varies.
std::optional<double> alphaOf(const Units& units, int categories, Scale scale, int* pairs) {
  Eigen::MatrixXd coincidence = Eigen::MatrixXd::Zero(categories, categories);
  int pairable = 0;
  for (const auto& unit : units) {
    std::vector<int> counts(static_cast<size_t>(categories));
    int m = 0;
    for (int a : unit)
      if (a >= 0) ++counts[static_cast<size_t>(a)], ++m;
    if (m < 2) continue;
    pairable += m;
    for (int c = 0; c < categories; ++c)
      for (int k = 0; k < categories; ++k) {
        const int n = counts[static_cast<size_t>(c)] * (counts[static_cast<size_t>(k)] - (c == k ? 1 : 0));
        coincidence(c, k) += static_cast<double>(n) / (m - 1);
      }
  }
  if (pairs) *pairs = pairable;
  const Eigen::VectorXd n = coincidence.rowwise().sum();
  const double total = n.sum();
  const auto distance = [&](int c, int k) {
    if (c == k) return 0.0;
    if (scale == Scale::Nominal) return 1.0;
    double between = -(n(c) + n(k)) / 2;
    for (int g = std::min(c, k); g <= std::max(c, k); ++g) between += n(g);
    return between * between;
  };
  double observed = 0, expected = 0;
  for (int c = 0; c < categories; ++c)
    for (int k = 0; k < categories; ++k) {
      observed += coincidence(c, k) * distance(c, k);
      expected += n(c) * n(k) * distance(c, k);
    }
  if (total < 2 || expected <= 0) return std::nullopt;
  return 1 - (total - 1) * observed / expected;
}

}  // namespace

Share shareOf(int of, int n) {
  Share s{of, n, 0, 1};
  if (n == 0) return s;
  const double p = static_cast<double>(of) / n, z2 = kZ * kZ / n;
  const double middle = (p + z2 / 2) / (1 + z2),
               half = kZ * std::sqrt(p * (1 - p) / n + z2 / (4 * n)) / (1 + z2);
  s.low = std::max(0.0, middle - half), s.high = std::min(1.0, middle + half);
  return s;
}

double chanceOfAtLeast(int of, int n, double p) {
  double sum = 0;
  for (int k = of; k <= n; ++k)
    sum += std::exp(std::lgamma(n + 1) - std::lgamma(k + 1) - std::lgamma(n - k + 1) +
                    (k > 0 ? k * std::log(p) : 0) + (n > k ? (n - k) * std::log1p(-p) : 0));
  return std::min(1.0, sum);
}

std::optional<Agreement> krippendorff(const Units& answers, int most, Scale scale, std::uint64_t seed) {
  Units units;
  for (const auto& u : answers)
    if (std::count_if(u.begin(), u.end(), [](int a) { return a >= 0; }) >= 2) units.push_back(u);
  if (units.size() < 2) return std::nullopt;
  Agreement out;
  const auto value = alphaOf(units, most + 1, scale, &out.pairs);
  if (!value) return std::nullopt;
  out.value = *value, out.units = static_cast<int>(units.size());
  std::mt19937_64 random(seed);
  std::vector<double> drawn;
  for (int i = 0; i < kResampled; ++i) {
    Units again;
    for (size_t k = 0; k < units.size(); ++k) again.push_back(units[random() % units.size()]);
    // All of one category: nothing contradicts, and nothing could.
    drawn.push_back(alphaOf(again, most + 1, scale, nullptr).value_or(1));
  }
  std::sort(drawn.begin(), drawn.end());
  out.low = drawn[static_cast<size_t>(0.025 * kResampled)];
  out.high = drawn[static_cast<size_t>(0.975 * kResampled)];
  return out;
}

std::optional<double> fleissKappa(const std::vector<std::vector<int>>& counts) {
  if (counts.empty()) return std::nullopt;
  const auto sumOf = [](const std::vector<int>& v) {
    int s = 0;
    for (int x : v) s += x;
    return s;
  };
  const int raters = sumOf(counts[0]);
  std::vector<double> share(counts[0].size());
  double agreed = 0;
  for (const auto& unit : counts) {
    if (sumOf(unit) != raters || raters < 2 || unit.size() != share.size()) return std::nullopt;
    double p = 0;
    for (size_t k = 0; k < unit.size(); ++k) p += unit[k] * (unit[k] - 1.0), share[k] += unit[k];
    agreed += p / (raters * (raters - 1.0));
  }
  const auto n = static_cast<double>(counts.size());
  double expected = 0;
  for (double s : share) expected += std::pow(s / (n * raters), 2);
  return expected < 1 ? std::optional((agreed / n - expected) / (1 - expected)) : std::nullopt;
}

namespace {

// Every item reaches every other by a chain of wins (Ford 1957): only then is there a finite best fit.
bool connected(const std::vector<std::vector<double>>& wins) {
  const size_t n = wins.size();
  const auto reaches = [&](bool forward) {
    std::vector<bool> seen(n);
    std::vector<size_t> open = {0};
    seen[0] = true;
    while (!open.empty()) {
      const size_t i = open.back();
      open.pop_back();
      for (size_t j = 0; j < n; ++j)
        if (!seen[j] && (forward ? wins[i][j] : wins[j][i]) > 0) seen[j] = true, open.push_back(j);
    }
    return std::all_of(seen.begin(), seen.end(), [](bool s) { return s; });
  };
  return reaches(true) && reaches(false);
}

}  // namespace

std::optional<Ranking> bradleyTerry(const std::vector<std::vector<double>>& wins) {
  const auto n = static_cast<Eigen::Index>(wins.size());
  double all = 0;
  for (const auto& row : wins)
    for (double w : row) all += w;
  if (n < 2 || all <= 0) return std::nullopt;
  Ranking out;
  out.separable = !connected(wins);
  const double prior = out.separable ? 0.5 : 0;
  const auto at = [&](Eigen::Index i, Eigen::Index j) {
    return wins[static_cast<size_t>(i)][static_cast<size_t>(j)];
  };
  Eigen::VectorXd score = Eigen::VectorXd::Zero(n);
  Eigen::MatrixXd information(n, n);
  for (int round = 0; round < 100; ++round) {
    Eigen::VectorXd gradient = Eigen::VectorXd::Zero(n);
    information.setZero();
    for (Eigen::Index i = 0; i < n; ++i) {
      const double own = 1 / (1 + std::exp(-score(i)));  // against the mean, of the prior
      gradient(i) += prior * (1 - 2 * own), information(i, i) += 2 * prior * own * (1 - own);
      for (Eigen::Index j = 0; j < n; ++j) {
        const double games = at(i, j) + at(j, i);
        if (i == j || games <= 0) continue;
        const double p = 1 / (1 + std::exp(score(j) - score(i)));
        gradient(i) += at(i, j) - games * p;
        information(i, i) += games * p * (1 - p);
        information(i, j) -= games * p * (1 - p);
      }
    }
    // The mean is free: held at 0 by adding its direction, which changes nothing else.
    const Eigen::MatrixXd held = information + Eigen::MatrixXd::Ones(n, n) / static_cast<double>(n);
    Eigen::VectorXd step = held.ldlt().solve(gradient);
    const double longest = step.cwiseAbs().maxCoeff();
    if (longest > 1) step /= longest;
    score += step;
    score.array() -= score.mean();
    if (longest < 1e-10) break;
  }
  const Eigen::MatrixXd ones = Eigen::MatrixXd::Ones(n, n) / static_cast<double>(n);
  // Of scores whose mean is 0: the pseudo-inverse of the information across that direction.
  const Eigen::MatrixXd across = Eigen::MatrixXd::Identity(n, n) - ones;
  const Eigen::MatrixXd covariance = (across * information * across + ones).inverse() - ones;
  for (Eigen::Index i = 0; i < n; ++i) {
    const double half = kZ * std::sqrt(std::max(0.0, covariance(i, i)));
    Ranked r{score(i), score(i) - half, score(i) + half, 0, 0};
    for (Eigen::Index j = 0; j < n; ++j) r.wins += at(i, j), r.losses += at(j, i);
    out.items.push_back(r);
  }
  return out;
}

}  // namespace edge
