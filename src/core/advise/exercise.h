// A simple scene to guess at before it is worked out, for assistants: what does each tone do on this
// configuration, exposed as it was tested? A score, no more.
#pragma once
#include <cstdint>

#include "advise/readings.h"

namespace edge {

struct Exercise {
  SceneReadings scene;        // in stops
  std::vector<Placed> truth;  // of each tone; its state is known
};
// Tones near nothing but their own state: none lies within kFair, nor within two standard errors, of an edge
// that would change it. The same seed is the same scene. nullopt: too little is known of the configuration.
inline constexpr double kFair = 0.3;  // stops
inline constexpr size_t kExerciseTones = 4;
[[nodiscard]] std::optional<Exercise> exerciseFor(const Reach& reach, std::uint64_t seed);

struct Score {
  int right = 0, of = 0;
};
// Guesses beyond the tones, or left out, count as wrong.
[[nodiscard]] Score scoreOf(const Exercise& exercise, const std::vector<std::optional<Held>>& guesses);

}  // namespace edge
