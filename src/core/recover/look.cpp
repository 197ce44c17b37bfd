#include "recover/look.h"

#include <fmt/format.h>

#include <cmath>
#include <nlohmann/json.hpp>
#include <numbers>

#include "base/error.h"
#include "base/files.h"
#include "base/json_file.h"
#include "base/units.h"
#include "color/ocio.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr const char* kFormat = "edge-test-stress";
constexpr int kVersion = 1;
constexpr size_t kMostSteps = 64;
constexpr double kMostFactor = 16;

// Rotation about the axis R = G = B (Rodrigues' formula): greys stay, colours turn.
Vec3 turned(const Vec3& v, double degrees) {
  const double angle = degrees * std::numbers::pi / 180, c = std::cos(angle), s = std::sin(angle);
  const double mean = (v[0] + v[1] + v[2]) / 3 * (1 - c), k = s / std::sqrt(3.0);
  return {c * v[0] + mean + k * (v[2] - v[1]), c * v[1] + mean + k * (v[0] - v[2]),
          c * v[2] + mean + k * (v[1] - v[0])};
}

double factorIn(const json& step, const char* key, double standard, double most, const std::string& file,
                const std::string& place) {
  if (!step.contains(key)) return standard;
  const json& v = step[key];
  if (!v.is_number() || !std::isfinite(v.get<double>()) || std::abs(v.get<double>()) > most)
    throw Error(fmt::format("a number up to {} was expected", most), file, place + "." + key,
                "correct the stress file; docs/formats.md describes it");
  return v;
}

}  // namespace

Vec3 Look::light(const Vec3& linear, const Curve& log) const {
  if (!code) return linear;
  const Vec3 graded = code({log.toCode(linear[0]), log.toCode(linear[1]), log.toCode(linear[2])});
  return {log.toLinear(graded[0]), log.toLinear(graded[1]), log.toLinear(graded[2])};
}

Look lookFrom(const std::filesystem::path& file) {
  return {file.filename().string(), [transform = openTransform(file)](const Vec3& code) {
            float rgb[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]),
                            static_cast<float>(code[2])};
            transform(rgb, 1);
            return Vec3{rgb[0], rgb[1], rgb[2]};
          }};
}

Look lookOf(const StressStep& step, const Curve& log) {
  const double pivot = log.toCode(kMiddleGrey);
  const Vec3 weights = lumaWeights(Primaries::Bt709);  // as the saturation of ASC CDL 1.2
  return {wordsOf(step), [step, pivot, weights](const Vec3& given) {
            Vec3 v{};
            double luma = 0;
            for (size_t c = 0; c < 3; ++c) {
              v[c] = pivot + step.contrast * (given[c] - pivot);
              luma += weights[c] * v[c];
            }
            for (double& x : v) x = luma + step.saturation * (x - luma);
            return step.hueDegrees == 0 ? v : turned(v, step.hueDegrees);
          }};
}

const std::vector<StressStep>& standardStress() {
  static const std::vector<StressStep> steps = [] {
    constexpr int kSteps = 8;
    constexpr StressStep kEach = {0.15, 0.25, 5};
    std::vector<StressStep> list;
    for (int i = 1; i <= kSteps; ++i)
      list.push_back({1 + i * kEach.contrast, 1 + i * kEach.saturation, i * kEach.hueDegrees});
    return list;
  }();
  return steps;
}

std::vector<StressStep> readStress(const std::filesystem::path& file) {
  const std::string name = file.string();
  const json j = readJsonFile(file, 1u << 20);
  if (!j.is_object() || j.value("format", json()) != kFormat || j.value("version", json()) != kVersion)
    throw Error("this is no stress grade", name, "format",
                R"(such a file starts with "format": "edge-test-stress", "version": 1)");
  const json steps = j.value("steps", json());
  if (!steps.is_array() || steps.empty() || steps.size() > kMostSteps)
    throw Error(fmt::format("1 to {} steps were expected", kMostSteps), name, "steps",
                R"(write [{"contrast": 1.2, "saturation": 1.5, "hue": 10}, ...])");
  std::vector<StressStep> list;
  for (size_t i = 0; i < steps.size(); ++i) {
    const std::string place = fmt::format("steps[{}]", i);
    if (!steps[i].is_object()) throw Error("an object was expected", name, place, "see docs/formats.md");
    StressStep s{factorIn(steps[i], "contrast", 1, kMostFactor, name, place),
                 factorIn(steps[i], "saturation", 1, kMostFactor, name, place),
                 factorIn(steps[i], "hue", 0, 180, name, place)};
    if (s.contrast <= 0 || s.saturation < 0)
      throw Error("a factor can't be negative, nor contrast nought", name, place, "1 leaves it as it is");
    list.push_back(s);
  }
  return list;
}

std::string wordsOf(const StressStep& s) {
  return fmt::format("contrast {:.2f}, saturation {:.2f}, hue {:.0f}°", s.contrast, s.saturation,
                     s.hueDegrees);
}

json toJson(const StressStep& s) {
  return {{"contrast", s.contrast}, {"saturation", s.saturation}, {"hue", s.hueDegrees}};
}

StressStep stressStepFrom(const json& j) {
  return {j.at("contrast"), j.at("saturation"), j.at("hue")};
}

}  // namespace edge
