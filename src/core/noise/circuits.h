// Gain circuits from noise over ISO in constant dim light (docs/method.md, "ISO sweep"): noise referred to
// the light is level within a circuit and drops where a circuit of less read noise takes over.
//   segments: exact least of sum((y - mean)^2 / sigma^2) + 3 ln n per segment, y = ln noise, length >= 2
//   kept: steps downward of at least max(3 %, 2.5 sigma sqrt(1/n1 + 1/n2))
//   many steps: var = A + B/g^2 describes the sweep better by more than 6, or four levels and more
#pragma once
#include <optional>
#include <string>
#include <vector>

namespace edge {

struct SweepNoise {
  double iso = 0;
  double noise = 0;  // scene-linear, at equal brightness
  double sigma = 0;  // relative, 1 standard error
};

enum class CircuitFamily { AllDigital, TwoCircuits, ManySteps };
[[nodiscard]] const char* wordOf(CircuitFamily family);  // in files: "two-circuits"

struct CircuitStep {
  double iso = 0;               // first ISO of the quieter circuit
  double stops = 0, sigma = 0;  // by which it is quieter
};

struct CircuitBand {
  double nativeIso = 0, fromIso = 0, toIso = 0;
  double noise = 0;  // mean of the band
};

struct CircuitsFound {
  CircuitFamily family = CircuitFamily::AllDigital;
  std::vector<CircuitBand> bands;  // none of a camera of many steps
  std::vector<CircuitStep> steps;  // between the bands
  double chiSquare = 0;            // of the description chosen, over its degrees of freedom
};

inline constexpr size_t kFewestSweepPoints = 4;

// Points in any order, each ISO once. nullopt: fewer than kFewestSweepPoints.
[[nodiscard]] std::optional<CircuitsFound> findCircuits(std::vector<SweepNoise> points);

// Ends (one past the last point) of the segments of least cost: exact dynamic programming.
[[nodiscard]] std::vector<size_t> leastSegments(const std::vector<double>& y,
                                                const std::vector<double>& sigma, double penalty,
                                                size_t shortest);

}  // namespace edge
