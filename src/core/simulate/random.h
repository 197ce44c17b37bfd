// Seeded random numbers that depend on (seed, frame, row) only: the same picture on any number of threads.
#pragma once
#include <array>
#include <cmath>
#include <cstdint>
#include <vector>

namespace edge {

// SplitMix64 (Steele, Lea, Flood 2014).
class RandomStream {
 public:
  explicit RandomStream(std::uint64_t seed) : state_(seed) {}
  RandomStream(std::uint64_t seed, std::uint64_t frame, std::uint64_t row)
      : state_(mix(seed ^ mix(frame * 0x9e3779b97f4a7c15ULL ^ mix(row + 0x632be59bd9b4e019ULL)))) {}

  std::uint64_t next() { return mix(state_ += 0x9e3779b97f4a7c15ULL); }
  double uniform() { return (static_cast<double>(next() >> 11) + 0.5) * 0x1p-53; }

 private:
  static std::uint64_t mix(std::uint64_t z) {
    z = (z ^ (z >> 30)) * 0xbf58476d1ce4e5b9ULL;
    z = (z ^ (z >> 27)) * 0x94d049bb133111ebULL;
    return z ^ (z >> 31);
  }
  std::uint64_t state_;
};

// Standard normal values from sixteen random bits: quantiles of the distribution, scaled to unit variance.
class NormalTable {
 public:
  NormalTable();
  [[nodiscard]] float operator()(std::uint32_t bits16) const { return values_[bits16 & 0xffff]; }

 private:
  const float* values_;  // the same for all
};

// Poisson counts: inversion below 12, above it a normal with the Cornish-Fisher term for the skewness.
[[nodiscard]] inline float poisson(float mean, float z, double uniform) {
  if (mean >= 12) {
    const float r = std::sqrt(mean);
    return std::max(0.0F, std::floor(mean + r * z + (z * z - 1) / 6 + 0.5F));
  }
  double term = std::exp(-static_cast<double>(mean)), sum = term;
  int k = 0;
  while (uniform > sum && k < 100) sum += term *= mean / ++k;
  return static_cast<float>(k);
}

}  // namespace edge
