#include "noise/circuits.h"

#include <algorithm>
#include <cmath>
#include <limits>

namespace edge {
namespace {

constexpr double kPenaltyPerSegment = 3;  // times ln n
constexpr size_t kShortest = 2;
constexpr double kLeastStep = 0.03, kLeastSigmas = 2.5;
constexpr double kBetter = 6;  // of chi square, by which steps of the gain must describe the sweep better
constexpr size_t kManyLevels = 4;
constexpr int kThirds = 3;  // a whole stop of gain may begin at any third of a stop

struct Mean {
  double value = 0, sigma = 0, chiSquare = 0;
};

// Weighted mean of y[from, to).
Mean meanOf(const std::vector<double>& y, const std::vector<double>& sigma, size_t from, size_t to) {
  double weight = 0, sum = 0;
  for (size_t i = from; i < to; ++i) {
    weight += 1 / (sigma[i] * sigma[i]);
    sum += y[i] / (sigma[i] * sigma[i]);
  }
  Mean m{sum / weight, 1 / std::sqrt(weight), 0};
  for (size_t i = from; i < to; ++i) m.chiSquare += std::pow((y[i] - m.value) / sigma[i], 2);
  return m;
}

bool isKept(const Mean& before, const Mean& after) {
  const double step = before.value - after.value;
  return step >= std::max(-std::log(1 - kLeastStep), kLeastSigmas * std::hypot(before.sigma, after.sigma));
}

// The weakest step between neighbours that is not kept, until all are.
std::vector<size_t> keepDrops(std::vector<size_t> ends, const std::vector<double>& y,
                              const std::vector<double>& sigma) {
  for (;;) {
    size_t weakest = ends.size();
    double least = std::numeric_limits<double>::infinity();
    for (size_t k = 0; k + 1 < ends.size(); ++k) {
      const Mean before = meanOf(y, sigma, k ? ends[k - 1] : 0, ends[k]);
      const Mean after = meanOf(y, sigma, ends[k], ends[k + 1]);
      if (!isKept(before, after) && before.value - after.value < least) {
        least = before.value - after.value;
        weakest = k;
      }
    }
    if (weakest == ends.size()) return ends;
    ends.erase(ends.begin() + static_cast<std::ptrdiff_t>(weakest));
  }
}

// chi square of var = A + B/g^2 with A, B >= 0, in ln of noise; no B worth the name: infinite.
double staircase(const std::vector<SweepNoise>& p, const std::vector<double>& gain) {
  // Linear in A and B; relative errors of the variance are twice those of the noise.
  double s[3] = {}, t[2] = {};
  for (size_t i = 0; i < p.size(); ++i) {
    const double variance = p[i].noise * p[i].noise, x = 1 / (gain[i] * gain[i]);
    const double weight = 1 / std::pow(2 * p[i].sigma * variance, 2);
    s[0] += weight;
    s[1] += weight * x;
    s[2] += weight * x * x;
    t[0] += weight * variance;
    t[1] += weight * variance * x;
  }
  const double det = s[0] * s[2] - s[1] * s[1];
  if (!(det > 0)) return std::numeric_limits<double>::infinity();
  double a = (t[0] * s[2] - t[1] * s[1]) / det, b = (s[0] * t[1] - s[1] * t[0]) / det;
  if (a < 0) {
    a = 0;
    b = t[1] / s[2];
  }
  const double first = a + b / (gain.front() * gain.front()), last = a + b / (gain.back() * gain.back());
  if (!(b > 0) || std::sqrt(last / first) > 1 - kLeastStep) return std::numeric_limits<double>::infinity();
  double chi = 0;
  for (size_t i = 0; i < p.size(); ++i)
    chi += std::pow((std::log(p[i].noise) - 0.5 * std::log(a + b / (gain[i] * gain[i]))) / p[i].sigma, 2);
  return chi;
}

// The best of a gain that follows every ISO, and of whole stops of gain with digital thirds between them.
double bestStaircase(const std::vector<SweepNoise>& p) {
  std::vector<double> gain;
  for (const auto& point : p) gain.push_back(point.iso / p.front().iso);
  double best = staircase(p, gain);
  for (int phase = 0; phase < kThirds; ++phase) {
    std::vector<double> whole;
    for (double g : gain)
      whole.push_back(std::exp2(std::floor(std::log2(g) + static_cast<double>(phase) / kThirds + 0.01)));
    best = std::min(best, staircase(p, whole));
  }
  return best;
}

}  // namespace

const char* wordOf(CircuitFamily family) {
  return family == CircuitFamily::AllDigital    ? "all-digital"
         : family == CircuitFamily::TwoCircuits ? "two-circuits"
                                                : "many-steps";
}

std::vector<size_t> leastSegments(const std::vector<double>& y, const std::vector<double>& sigma,
                                  double penalty, size_t shortest) {
  const size_t n = y.size();
  std::vector<double> cost(n + 1, std::numeric_limits<double>::infinity());
  std::vector<size_t> from(n + 1, 0);
  cost[0] = 0;
  for (size_t to = shortest; to <= n; ++to)
    for (size_t start = 0; start + shortest <= to; ++start) {
      if (!std::isfinite(cost[start])) continue;
      const double c = cost[start] + meanOf(y, sigma, start, to).chiSquare + penalty;
      if (c < cost[to]) {
        cost[to] = c;
        from[to] = start;
      }
    }
  std::vector<size_t> ends;
  for (size_t at = n; at > 0; at = from[at]) ends.push_back(at);
  std::reverse(ends.begin(), ends.end());
  return ends;
}

std::optional<CircuitsFound> findCircuits(std::vector<SweepNoise> p) {
  if (p.size() < kFewestSweepPoints) return std::nullopt;
  std::sort(p.begin(), p.end(), [](const auto& a, const auto& b) { return a.iso < b.iso; });
  std::vector<double> y, sigma;
  for (const auto& point : p) {
    y.push_back(std::log(point.noise));
    sigma.push_back(point.sigma);
  }
  const double penalty = kPenaltyPerSegment * std::log(static_cast<double>(p.size()));
  const auto ends = keepDrops(leastSegments(y, sigma, penalty, kShortest), y, sigma);
  CircuitsFound found;
  double chi = 0;
  std::vector<Mean> levels;
  for (size_t k = 0; k < ends.size(); ++k) {
    const size_t from = k ? ends[k - 1] : 0;
    levels.push_back(meanOf(y, sigma, from, ends[k]));
    chi += levels.back().chiSquare;
    found.bands.push_back({p[from].iso, p[from].iso, p[ends[k] - 1].iso, std::exp(levels[k].value)});
    if (k > 0)
      found.steps.push_back({p[from].iso, (levels[k - 1].value - levels[k].value) / std::log(2.0),
                             std::hypot(levels[k - 1].sigma, levels[k].sigma) / std::log(2.0)});
  }
  const double stairs = bestStaircase(p);
  const double segmentsCost = chi + penalty * static_cast<double>(ends.size()), stairsCost = stairs + penalty;
  const bool many = ends.size() >= kManyLevels || stairsCost < segmentsCost - kBetter;
  found.family = many               ? CircuitFamily::ManySteps
                 : ends.size() == 1 ? CircuitFamily::AllDigital
                                    : CircuitFamily::TwoCircuits;
  const double parameters = many ? 2 : 2.0 * static_cast<double>(ends.size()) - 1;
  found.chiSquare =
      (many ? std::min(stairs, chi) : chi) / std::max(1.0, static_cast<double>(p.size()) - parameters);
  if (many) found.bands.clear();
  return found;
}

}  // namespace edge
