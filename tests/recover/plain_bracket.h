// Brackets of closed form: eight greys and a face, shot by a camera whose noise is arithmetic
// (tests/support/spoiled.h), recorded by a real encoder.
#pragma once
#include <fmt/format.h>

#include <cmath>

#include "media/writers.h"
#include "recover/latitude.h"
#include "support/seen.h"
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
  bool raw = false;                                 // a mosaic of fourteen bits in place of the log curve
  double namedRed = 1;  // of the white that the files of takes name, not the base's

  [[nodiscard]] double light(int x, int y) const {
    if (y < kSide) return brightest * std::exp2(-step * (x / kSide));
    return face * (1 - drop * x / kWide);
  }
  // Of the face, in per cent: within three ten-bit codes of the channel's end, as clipping is defined
  // (docs/method.md, "Latitude"); the test's curve has 77 codes a stop, raw red ends at half of the codes.
  [[nodiscard]] double clipped(double stops) const {
    const double end = raw ? 1 - kBalance[0] * 3 / 1023 : std::exp2(-3.0 / 77);
    int n = 0;
    for (int x = 0; x < kWide; ++x) n += light(x, kSide) * std::exp2(stops) >= end;
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

// Cells of red, two equal greens, blue, each as the sensor had it before white balance (DNG 1.4).
// `red`: by how much more red the file names white, with the same cells.
inline void recordRaw(const Footage& f, const fs::path& folder, double red = 1) {
  constexpr double kBlack = 512;
  fs::create_directories(folder);
  DngDescription d;
  d.width = 2 * f.width, d.height = 2 * f.height, d.black = kBlack, d.white = kBlack + kRawSpan;
  d.asShotNeutral = {red / kBalance[0], 1 / kBalance[1], 1 / kBalance[2]};
  // XYZ to linear BT.709 (from memory, IEC 61966-2-1): the camera's colours are those of the display.
  d.xyzToCamera = {{{3.2406, -1.5372, -0.4986}, {-0.9689, 1.8758, 0.0415}, {0.0557, -0.2040, 1.0570}}};
  d.baselineExposureStops = std::log2(f.camera.scale);
  d.model = "Corvane 35";
  for (size_t n = 0; n < f.frames.size(); ++n) {
    std::vector<std::uint16_t> mosaic;
    for (int y = 0; y < d.height; ++y)
      for (int x = 0; x < d.width; ++x) {
        const auto c = static_cast<size_t>(x % 2 + y % 2);  // RGGB
        const size_t at =
            static_cast<size_t>(y / 2) * static_cast<size_t>(f.width) + static_cast<size_t>(x / 2);
        const double share = f.frames[n][3 * at + c] / f.camera.scale / kBalance[c];
        mosaic.push_back(
            static_cast<std::uint16_t>(std::clamp(std::lround(kBlack + kRawSpan * share), 0L, 16383L)));
      }
    writeDng(folder / fmt::format("f.{:04}.dng", n), d, mosaic);
  }
}

// spoil: what is done to the footage of a take, at its stops over the base, before it is recorded.
inline Judged shoot(const PlainScene& s, const std::vector<double>& stops, const Encoder& encoder,
                    const fs::path& folder, const std::function<void(Footage&, double)>& spoil,
                    const std::vector<StressStep>& stress = {},
                    const std::function<void(Series&)>& tune = {}) {
  writeLogCurve(folder / "log.json");
  Series series;
  series.stress = stress;
  series.decode.curve = s.raw ? "linear" : (folder / "log.json").string();
  series.chart.referenceWidth = kWide, series.chart.referenceHeight = kSide + kFaceRows;
  for (int i = 0; i < kGreys; ++i)
    series.chart.patches.push_back(
        box(fmt::format("grey {}", i + 1).c_str(), "grey", i * kSide, 0, kSide, kSide));
  series.regions.push_back(box("face", "skin", 0, kSide, kWide, kFaceRows));
  const auto clip = [&](const std::string& name, double exposure) {
    Footage f = take(s, exposure, s.camera.seed + std::hash<std::string>{}(name));
    spoil(f, exposure);
    if (s.raw) {
      recordRaw(f, folder / name, exposure == 0 ? 1 : s.namedRed);
      return folder / name;
    }
    record(f, folder / (name + ".mkv"), encoder);
    return folder / (name + ".mkv");
  };
  series.base = clip("base", 0);
  for (double e : stops) {
    const auto name = fmt::format("{:+}", e);
    series.takes.push_back({name, clip(name, e), e, "", std::nullopt, std::nullopt});
  }
  if (tune) tune(series);
  Judged j{measureLatitude(series, Progress()), {}};
  j.result = judgeLatitude(j.measure, {});
  return j;
}

inline Judged shoot(const PlainScene& s, const std::vector<double>& stops, const Encoder& encoder,
                    const fs::path& folder, const std::function<void(Footage&)>& spoil,
                    const std::vector<StressStep>& stress = {}) {
  return shoot(
      s, stops, encoder, folder, [&spoil](Footage& f, double) { spoil(f); }, stress);
}

inline double draw(std::mt19937_64& r, double low, double high) {
  return std::uniform_real_distribution<double>(low, high)(r);
}
}  // namespace edge::test
