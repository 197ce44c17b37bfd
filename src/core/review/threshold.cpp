// Proportional odds by Newton's method, intervals by profile likelihood.
#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <limits>

#include "review/agreement.h"

namespace edge {
namespace {

constexpr double kZ = 1.959963984540054;  // of 95 %, normal
constexpr double kChi = kZ * kZ;          // chi-squared with one degree: of twice a log-likelihood
constexpr int kParameters = 3;
constexpr double kInfinity = std::numeric_limits<double>::infinity();
constexpr double kFlattest = 1e3;  // slope s, of the figures' spread

double logistic(double z) {
  return z >= 0 ? 1 / (1 + std::exp(-z)) : std::exp(z) / (1 + std::exp(z));
}

// Of few answers the likelihood is sure too soon: Student's t in place of the normal (Cornish and Fisher's
// expansion of its quantile), squared.
double criticalOf(size_t answers) {
  const double n = std::max<double>(1, static_cast<double>(answers) - kParameters);
  const double t = kZ + (std::pow(kZ, 3) + kZ) / (4 * n) +
                   (5 * std::pow(kZ, 5) + 16 * std::pow(kZ, 3) + 3 * kZ) / (96 * n * n);
  return t * t;
}

// A step between two neighbours can't be told from a slope as long as they are apart: the middle one of the
// gaps between different figures, sorted.
double steepestOf(const std::vector<Judged>& sorted) {
  std::vector<double> gaps;
  for (size_t i = 1; i < sorted.size(); ++i)
    if (sorted[i].figure > sorted[i - 1].figure) gaps.push_back(sorted[i].figure - sorted[i - 1].figure);
  std::nth_element(gaps.begin(), gaps.begin() + static_cast<std::ptrdiff_t>(gaps.size() / 2), gaps.end());
  return gaps[gaps.size() / 2];
}

struct Fit {
  double lost = 0, gap = 0, slope = 1;  // clean threshold = lost - gap
  double logLikelihood = -kInfinity;
};

// Of the answers, by thresholds; categories that were never given join their neighbour.
class Model {
 public:
  Model(const std::vector<Judged>& answers, bool hasMiddle, double spread)
      : answers_(answers), hasMiddle_(hasMiddle), spread_(spread), steepest_(steepestOf(answers)) {}

  [[nodiscard]] double logLikelihood(double clean, double lost, double s) const {
    double sum = 0;
    for (const auto& j : answers_) {
      const double accept = logistic((clean - j.figure) / s), some = logistic((lost - j.figure) / s);
      const double p = j.answer == 2 ? accept : j.answer == 1 ? some - accept : 1 - some;
      sum += std::log(std::max(p, 1e-300));
    }
    return sum;
  }

  // Best fit; `clean` or `lost` held where given. Nelder and Mead (1965) from several starts: three numbers.
  [[nodiscard]] Fit best(std::optional<double> clean, std::optional<double> lost, double from) const {
    Fit found;
    for (const double start : {0.05, 0.3}) {
      const Fit f = descend(clean, lost, {from, 0.3 * spread_, start * spread_});
      if (f.logLikelihood > found.logLikelihood) found = f;
    }
    // A simplex may stop on the way: begun again from there until it finds nothing better.
    for (int again = 0; again < 5; ++again) {
      const Fit f = descend(clean, lost, {found.lost, std::max(found.gap, 1e-3 * spread_), found.slope});
      const bool better = f.logLikelihood > found.logLikelihood + 1e-7;
      if (f.logLikelihood > found.logLikelihood) found = f;
      if (!better) break;
    }
    return found;
  }

 private:
  // Free numbers: lost, log gap, log slope, as far as they are not held.
  [[nodiscard]] Fit fitOf(const Eigen::VectorXd& u, std::optional<double> clean,
                          std::optional<double> lost) const {
    Fit f;
    Eigen::Index i = 0;
    const double slope = std::exp(std::clamp(u(i++), std::log(steepest_), std::log(kFlattest * spread_)));
    f.slope = slope;
    if (!hasMiddle_) {
      f.lost = lost ? *lost : clean ? *clean : u(i);
      f.gap = 0;
    } else if (clean) {
      f.gap = std::exp(std::clamp(u(i), -30.0, 30.0)), f.lost = *clean + f.gap;
    } else {
      f.lost = lost ? *lost : u(i++);
      f.gap = std::exp(std::clamp(u(i), -30.0, 30.0));
    }
    f.logLikelihood = logLikelihood(f.lost - f.gap, f.lost, f.slope);
    return f;
  }

  [[nodiscard]] Fit descend(std::optional<double> clean, std::optional<double> lost, const Fit& from) const {
    const bool free = !clean && !lost;
    const Eigen::Index n = 1 + (hasMiddle_ ? (free ? 2 : 1) : (free ? 1 : 0));
    Eigen::VectorXd start(n);
    Eigen::Index i = 0;
    start(i++) = std::log(from.slope);
    if (free) start(i++) = from.lost;
    if (hasMiddle_) start(i) = std::log(from.gap);
    std::vector<std::pair<double, Eigen::VectorXd>> simplex;
    const auto rate = [&](const Eigen::VectorXd& u) { return -fitOf(u, clean, lost).logLikelihood; };
    simplex.emplace_back(rate(start), start);
    for (Eigen::Index k = 0; k < n; ++k) {
      Eigen::VectorXd u = start;
      u(k) += k == 1 && free ? 0.2 * spread_ : 0.7;
      simplex.emplace_back(rate(u), u);
    }
    const auto byRate = [](const auto& a, const auto& b) { return a.first < b.first; };
    for (int round = 0; round < 600; ++round) {
      std::sort(simplex.begin(), simplex.end(), byRate);
      if (simplex.back().first - simplex.front().first < 1e-9) break;
      Eigen::VectorXd middle = Eigen::VectorXd::Zero(n);
      for (size_t k = 0; k + 1 < simplex.size(); ++k) middle += simplex[k].second / static_cast<double>(n);
      const auto tried = [&](double far) {
        const Eigen::VectorXd u = middle + far * (middle - simplex.back().second);
        return std::pair(rate(u), u);
      };
      auto next = tried(1);
      if (next.first < simplex.front().first) {
        const auto further = tried(2);
        if (further.first < next.first) next = further;
      } else if (next.first >= simplex[simplex.size() - 2].first) {
        next = tried(next.first < simplex.back().first ? 0.5 : -0.5);
      }
      if (next.first < simplex.back().first) {
        simplex.back() = next;
      } else {
        for (size_t k = 1; k < simplex.size(); ++k) {
          simplex[k].second = (simplex[k].second + simplex[0].second) / 2;
          simplex[k].first = rate(simplex[k].second);
        }
      }
    }
    std::sort(simplex.begin(), simplex.end(), byRate);
    return fitOf(simplex.front().second, clean, lost);
  }

  const std::vector<Judged>& answers_;
  bool hasMiddle_;
  double spread_, steepest_;
};

// How far a threshold can be moved until the answers speak against it.
Threshold bounded(const Model& model, const Fit& best, bool clean, double spread, double critical) {
  const double at = clean ? best.lost - best.gap : best.lost;
  const auto cost = [&](double t) {
    const Fit f = clean ? model.best(t, {}, t + best.gap) : model.best({}, t, t);
    return 2 * (best.logLikelihood - f.logLikelihood);
  };
  const auto end = [&](double way) {
    double near = at, far = at;
    for (double step = 0.05 * spread; step < 20 * spread; step *= 1.6) {
      far = at + way * step;
      if (cost(far) > critical) break;
      near = far;
      if (step * 1.6 >= 20 * spread) return way * kInfinity;
    }
    for (int i = 0; i < 30; ++i) {
      const double middle = (near + far) / 2;
      (cost(middle) > critical ? far : near) = middle;
    }
    return near;
  };
  return {at, end(-1), end(1)};
}

// Answers that fall with the figure, without one that contradicts another.
bool isSeparable(const std::vector<Judged>& sorted) {
  for (size_t i = 1; i < sorted.size(); ++i)
    if (sorted[i].answer > sorted[i - 1].answer) return false;
  return true;
}

}  // namespace

std::optional<ThresholdFit> fitThreshold(std::vector<Judged> answers, bool rising) {
  std::erase_if(answers, [](const Judged& j) { return !std::isfinite(j.figure); });
  if (static_cast<int>(answers.size()) < kFewestAnswers) return std::nullopt;
  for (auto& j : answers)
    if (rising) j.figure = -j.figure;
  std::sort(answers.begin(), answers.end(), [](const Judged& a, const Judged& b) {
    return a.figure != b.figure ? a.figure < b.figure : a.answer > b.answer;
  });
  const auto given = [&](int a) {
    return std::any_of(answers.begin(), answers.end(), [&](const Judged& j) { return j.answer == a; });
  };
  ThresholdFit out;
  out.answers = static_cast<int>(answers.size());
  const double spread = answers.back().figure - answers.front().figure;
  const bool accept = given(2), middle = given(1), no = given(0);
  if (accept + middle + no < 2 || !(spread > 0)) {
    out.separable = true;  // one answer alone: it bounds nothing
    return out;
  }
  out.separable = isSeparable(answers);
  // Two answers alone: one threshold; a clean-up that was never asked for splits nothing.
  const bool both = accept && middle && no;
  std::vector<Judged> used = answers;
  if (!both)
    for (auto& j : used) j.answer = j.answer == 2 || (!accept && j.answer == 1) ? 2 : 0;
  const Model model(used, both, spread);
  double from = 0;
  for (const auto& j : used) from += j.figure / static_cast<double>(used.size());
  const Fit best = model.best({}, {}, from);
  out.slope = best.slope;
  // Without any dependence: one rate for all.
  const double level = [&] {
    double sum = 0;
    for (int a = 0; a < 3; ++a) {
      const auto n = static_cast<double>(
          std::count_if(used.begin(), used.end(), [&](const Judged& j) { return j.answer == a; }));
      if (n > 0) sum += n * std::log(n / static_cast<double>(used.size()));
    }
    return sum;
  }();
  out.contradictory = 2 * (best.logLikelihood - level) < kChi;
  const auto asGiven = [&](Threshold t) {
    if (rising) t = {-t.at, -t.high, -t.low};
    return t;
  };
  const double critical = criticalOf(used.size());
  if (accept) out.clean = asGiven(bounded(model, best, true, spread, critical));
  if (no && (both || !accept)) out.lost = asGiven(bounded(model, best, false, spread, critical));
  if (no && accept && !middle) out.lost = out.clean;  // from acceptable to lost in one
  return out;
}

}  // namespace edge
