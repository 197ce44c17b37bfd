// How far people agree, with themselves and with each other. Pure arithmetic.
#pragma once
#include <cstdint>
#include <optional>
#include <vector>

namespace edge {

struct Share {  // of n, with its 95 % interval (Wilson 1927)
  int of = 0, n = 0;
  double low = 0, high = 1;
  [[nodiscard]] double value() const { return n > 0 ? static_cast<double>(of) / n : 0; }
};
[[nodiscard]] Share shareOf(int of, int n);

// Probability of `of` or more in n at chance p each (binomial).
[[nodiscard]] double chanceOfAtLeast(int of, int n, double p);

struct Agreement {
  double value = 0, low = 0, high = 0;  // 95 %, by resampling units
  int units = 0, pairs = 0;             // units that two or more have judged; pairable answers
};
enum class Scale { Nominal, Ordinal };
// Krippendorff's alpha (2011, "Computing Krippendorff's Alpha-Reliability"). answers[unit][rater], -1: none.
// Categories 0..most. nullopt: fewer than two units with two answers, or all answers are one category.
[[nodiscard]] std::optional<Agreement> krippendorff(const std::vector<std::vector<int>>& answers, int most,
                                                    Scale scale, std::uint64_t seed = 1);
// Fleiss' kappa (1971): counts[unit][category], every unit judged by as many. nullopt: it is not, or all
// answers are one category.
[[nodiscard]] std::optional<double> fleissKappa(const std::vector<std::vector<int>>& counts);

struct Ranked {
  double score = 0;          // log of strength, mean of all 0
  double low = 0, high = 0;  // 95 %
  double wins = 0, losses = 0;
};
struct Ranking {
  std::vector<Ranked> items;
  bool separable = false;  // some items always win or lose against the rest: scores are held back by a prior
};
// Bradley and Terry (1952): P(i over j) = s_i / (s_i + s_j). wins[i][j]: of i over j. A weak prior (half a
// win and half a loss against the mean) where the data are separable, said so. nullopt: fewer than two items
// or no comparison.
[[nodiscard]] std::optional<Ranking> bradleyTerry(const std::vector<std::vector<double>>& wins);

// Where a person's answers change along a figure: P(answer >= k) = 1 / (1 + exp((x - t_k) / s)), falling with
// x: proportional odds (McCullagh 1980), t_2 <= t_1 (accept ends first). Intervals by profile likelihood.
struct Judged {
  double figure = 0;
  int answer = 0;  // 0 no, 1 with clean-up, 2 accept
};
struct Threshold {
  double at = 0, low = 0, high = 0;  // of the figure; infinite where the answers don't bound it
};
struct ThresholdFit {
  std::optional<Threshold> clean, lost;  // accept ends; with clean-up ends. nothing: one side was never given
  double slope = 0;                      // s
  bool separable = false;                // no answer contradicts another: thresholds lie anywhere in a gap
  bool contradictory = false;            // answers rise with the figure, or don't depend on it
  int answers = 0;
};
// rising: a larger figure is better (detail), which turns the sign. Fewer than kFewestAnswers: nullopt.
inline constexpr int kFewestAnswers = 5;
[[nodiscard]] std::optional<ThresholdFit> fitThreshold(std::vector<Judged> answers, bool rising = false);

}  // namespace edge
