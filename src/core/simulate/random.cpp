#include "simulate/random.h"

#include <numbers>

namespace edge {
namespace {

// Inverse of the normal distribution below its middle, by Newton's steps on erfc from a value near it.
double quantile(double p, double near) {
  constexpr int kMostSteps = 50;
  double z = near;
  for (int i = 0; i < kMostSteps; ++i) {
    const double density = std::exp(-z * z / 2) / std::sqrt(2 * std::numbers::pi);
    const double step = (0.5 * std::erfc(-z / std::numbers::sqrt2) - p) / density;
    z -= step;
    if (std::abs(step) < 1e-14) break;
  }
  return z;
}

std::vector<float> normalValues() {
  constexpr int kHalf = 32768;
  std::vector<float> values(2 * kHalf);
  double squares = 0, z = -4;
  for (int i = 0; i < kHalf; ++i) {
    z = quantile((i + 0.5) / (2 * kHalf), z);
    values[i] = static_cast<float>(z), values[2 * kHalf - 1 - i] = static_cast<float>(-z);
    squares += 2 * z * z;
  }
  const auto scale = static_cast<float>(1 / std::sqrt(squares / (2 * kHalf)));
  for (auto& v : values) v *= scale;
  return values;
}

}  // namespace

NormalTable::NormalTable() {
  static const std::vector<float> values = normalValues();
  values_ = values.data();
}

}  // namespace edge
