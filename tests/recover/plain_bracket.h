// Brackets of closed form: eight greys and a face, shot by a camera whose noise is arithmetic
// (tests/support/spoiled.h), recorded by a real encoder.
#pragma once
#include <fmt/format.h>

#include <cmath>

#include "recover/latitude.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge::test {

namespace fs = std::filesystem;

inline constexpr int kSide = 32, kGreys = 8, kWide = kSide * kGreys, kFaceRows = 64;

// Eight greys in a row, half a stop to a stop apart, and a face below them, lit from the side.
struct PlainScene {
  PlainCamera camera;
  double brightest = 0.2, step = 0.7, face = 0.15;  // of the clip of green, at base
  double drop = 0.6;                                // of the face's light from edge to edge

  [[nodiscard]] double light(int x, int y) const {
    if (y < kSide) return brightest * std::exp2(-step * (x / kSide));
    return face * (1 - drop * x / kWide);
  }
  // Of the face, in per cent: within three ten-bit codes of the channel's end, as clipping is defined
  // (docs/method.md, "Latitude"); the test's curve has 77 codes a stop.
  [[nodiscard]] double clipped(double stops) const {
    int n = 0;
    for (int x = 0; x < kWide; ++x) n += light(x, kSide) * std::exp2(stops) >= std::exp2(-3.0 / 77);
    return 100.0 * n / kWide;
  }
};

inline Footage take(const PlainScene& s, double stops, std::uint64_t seed) {
  Footage f;
  f.camera = s.camera, f.width = kWide, f.height = kSide + kFaceRows;
  std::mt19937_64 random(seed);
  photograph(f, random, [&](int x, int y) { return s.light(x, y) * std::exp2(stops); });
  return f;
}

inline Patch box(const char* name, const char* role, double x, double y, double w, double h) {
  Patch p;
  p.name = name, p.role = role, p.corners = {{{x, y}, {x + w, y}, {x + w, y + h}, {x, y + h}}};
  return p;
}

struct Judged {
  LatitudeMeasure measure;
  LatitudeResult result;
  [[nodiscard]] bool warns(const std::string& code) const {
    return std::any_of(result.warnings.begin(), result.warnings.end(),
                       [&](const Warning& w) { return w.code == code; });
  }
};

// spoil: what is done to the footage of every take before it is recorded.
inline Judged shoot(const PlainScene& s, const std::vector<double>& stops, const Encoder& encoder,
                    const fs::path& folder, const std::function<void(Footage&)>& spoil,
                    const std::vector<StressStep>& stress = {}) {
  writeLogCurve(folder / "log.json");
  Series series;
  series.stress = stress;
  series.decode.curve = (folder / "log.json").string();
  series.chart.referenceWidth = kWide, series.chart.referenceHeight = kSide + kFaceRows;
  for (int i = 0; i < kGreys; ++i)
    series.chart.patches.push_back(
        box(fmt::format("grey {}", i + 1).c_str(), "grey", i * kSide, 0, kSide, kSide));
  series.regions.push_back(box("face", "skin", 0, kSide, kWide, kFaceRows));
  const auto clip = [&](const std::string& name, double exposure) {
    Footage f = take(s, exposure, s.camera.seed + std::hash<std::string>{}(name));
    spoil(f);
    record(f, folder / (name + ".mkv"), encoder);
    return folder / (name + ".mkv");
  };
  series.base = clip("base", 0);
  for (double e : stops) {
    const auto name = fmt::format("{:+}", e);
    series.takes.push_back({name, clip(name, e), e, "", std::nullopt, std::nullopt});
  }
  Judged j{measureLatitude(series, Progress()), {}};
  j.result = judgeLatitude(j.measure, {});
  return j;
}

inline double draw(std::mt19937_64& r, double low, double high) {
  return std::uniform_real_distribution<double>(low, high)(r);
}
}  // namespace edge::test
