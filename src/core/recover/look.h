// What is graded on after the neutral bring-back: a look of the film's own, or a step of the stress grade,
// which turns contrast, saturation and hue up alike on all takes and modes (docs/method.md, "Stress and
// look").
#pragma once
#include <filesystem>
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "color/curve.h"
#include "color/primaries.h"

namespace edge {

// Code of the log encoding in and out; nothing: the picture stays as it was brought back.
struct Look {
  std::string name;
  std::function<Vec3(const Vec3&)> code;

  // Scene-linear in and out.
  [[nodiscard]] Vec3 light(const Vec3& linear, const Curve& log) const;
};

// A CDL or LUT file, log code in and out. Errors name the file.
[[nodiscard]] Look lookFrom(const std::filesystem::path& file);

// On log code, in this order: contrast about grey, saturation about luma, hue about the grey axis. Nothing is
// clamped: noise below black stays noise.
struct StressStep {
  double contrast = 1, saturation = 1;  // factors
  double hueDegrees = 0;
};
[[nodiscard]] Look lookOf(const StressStep& step, const Curve& log);
// Eight steps, from a gentle grade to one nobody would leave standing. A convention, the same for all takes.
[[nodiscard]] const std::vector<StressStep>& standardStress();
// Of a file of format edge-test-stress (docs/formats.md). Errors name file and place.
[[nodiscard]] std::vector<StressStep> readStress(const std::filesystem::path& file);
[[nodiscard]] std::string wordsOf(const StressStep& step);  // "contrast 1.3, saturation 1.5, hue 10°"
[[nodiscard]] nlohmann::json toJson(const StressStep& step);
[[nodiscard]] StressStep stressStepFrom(const nlohmann::json& j);

}  // namespace edge
