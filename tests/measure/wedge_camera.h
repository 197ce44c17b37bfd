// A three-channel camera on a wedge, with or without rebuilt highlights, and its analytic truth.
#pragma once
#include <fmt/format.h>

#include <cmath>
#include <filesystem>

#include "measure/range.h"
#include "media/clip.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {

enum class Making { Ends, RebuiltGrey, RebuiltGreen };

struct Wedge {
  double well = 20000, read = 2;  // electrons of green at light 1
  double over = 1.5;              // first step over the clip of green, in stops
  double step = 1, sigma = 0.01;
  int bits = 10;  // of a log recording; 32: scene-linear floating point
  Making making = Making::Ends;
  std::uint64_t seed = 1;
};

inline constexpr int kSide = 48, kColumns = 6, kFrames = 8;
inline constexpr double kRed = 2, kBlue = 1.6;  // white-balance gains: red and blue end so much later

inline double normal(RandomStream& r) {
  return std::sqrt(-2 * std::log(r.uniform() + 1e-12)) * std::cos(6.283185307 * r.uniform());
}

// White-balanced light of one pixel as its camera gives it.
inline void expose(const Wedge& w, double light, RandomStream& r, double* rgb) {
  const double gain[3] = {kRed, 1, kBlue};
  bool full[3];
  for (int c = 0; c < 3; ++c) {
    const double e = light * w.well / gain[c];
    const double seen = e + std::sqrt(e + w.read * w.read) * normal(r);
    full[c] = seen >= w.well;
    rgb[c] = std::min(seen, w.well) * gain[c] / w.well;
  }
  if (w.making == Making::Ends) {
    for (int c = 0; c < 3; ++c) rgb[c] = std::min(1.0, rgb[c]);
    return;
  }
  if (!full[1]) return;
  const double rest = full[2] ? rgb[0] : (rgb[0] + rgb[2]) / 2;
  rgb[1] = rest;
  if (w.making == Making::RebuiltGrey) rgb[0] = rgb[2] = rest;
}

inline RangeResult analyse(const Wedge& w, const fs::path& folder, WedgeMeasure* measure) {
  constexpr int kSteps = 18;
  Chart chart;
  chart.referenceWidth = kSide * kColumns, chart.referenceHeight = kSide * kSteps / kColumns;
  for (int i = 0; i < kSteps; ++i) {
    const double x = kSide * (i % kColumns), y = kSide * (i / kColumns);
    Patch p;
    p.name = std::to_string(i + 1), p.stops = -i * w.step, p.stopsSigma = w.sigma;
    p.corners = {{{x, y}, {x + kSide, y}, {x + kSide, y + kSide}, {x, y + kSide}}};
    chart.patches.push_back(p);
  }
  const auto curve = makeCurve("acescct").curve;
  const int width = static_cast<int>(chart.referenceWidth), height = static_cast<int>(chart.referenceHeight);
  fs::create_directories(folder);
  for (int f = 0; f < kFrames; ++f) {
    RandomStream r(w.seed, static_cast<std::uint64_t>(f), 5);
    std::vector<float> pixels(3UL * static_cast<size_t>(width) * static_cast<size_t>(height));
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        const int step = x / kSide + kColumns * (y / kSide);
        double rgb[3];
        expose(w, std::exp2(w.over - step * w.step), r, rgb);
        for (int c = 0; c < 3; ++c)
          pixels[3 * (static_cast<size_t>(y) * width + x) + c] =
              static_cast<float>(w.bits == 32 ? 4 * rgb[c] : std::clamp(curve->toCode(4 * rgb[c]), 0.0, 1.0));
      }
    test::writeImage(folder / fmt::format("f.{:04}.{}", f,
                                          w.bits == 32   ? "exr"
                                          : w.bits == 10 ? "dpx"
                                                         : "tif"),
                     width, height, 3, pixels, w.bits);
  }
  DecodeOptions decode;
  decode.curve = w.bits == 32 ? "linear" : "acescct", decode.range = Range::Full;
  const auto reader = openClip(folder);
  *measure = measureWedge(*reader, decode, chart, {}, Progress());
  fs::remove_all(folder);
  return analyseRange(*measure, {});
}

// Range of luma from the clip of green down to this SNR, in stops: SNR(x) = x / sqrt(sum w^2 g (x + g
// r^2/F)/F).
inline double trueLumaRange(const Wedge& w, double snr) {
  const Vec3 k = lumaWeights(Primaries::Bt709);
  const double gain[3] = {kRed, 1, kBlue};
  double low = -30, high = 0;
  for (int i = 0; i < 80; ++i) {
    const double mid = (low + high) / 2, x = std::exp2(mid);
    double v = 0;
    for (int c = 0; c < 3; ++c)
      v += k[static_cast<size_t>(c)] * k[static_cast<size_t>(c)] * gain[c] *
           (x + gain[c] * w.read * w.read / w.well) / w.well;
    (x / std::sqrt(v) < snr ? low : high) = mid;
  }
  return -low;
}

}  // namespace edge
