// Series of closed form: a plain camera (tests/support/spoiled.h) before seven greys, at any ISO, light and
// circuit, recorded by a real encoder.
#pragma once
#include <fmt/format.h>

#include <cmath>

#include "recover/series.h"
#include "support/seen.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge::test {

namespace fs = std::filesystem;

// Greys from -4 to +2 stops about 18 %, a square each.
struct GreyRow {
  static constexpr int kSide = 48, kCount = 7;
  PlainCamera camera;  // at ISO 100: its scale, its read noise
  double baseScale = 4;

  [[nodiscard]] static double stopsOf(int i) { return i - 4.0; }
  // Of the clip of green, so that grey decodes to 0.18 times 2^stops.
  [[nodiscard]] double lightAt(double zoneStops, double gain, double stops) const {
    return 0.18 * std::exp2(zoneStops + stops) / (baseScale * gain);
  }
  // Luma's SNR of a grey at this light: variance of each channel g (x + g r^2/F)/F.
  [[nodiscard]] double snr(double light, double read) const {
    double v = 0;
    for (int c = 0; c < 3; ++c)
      v += kWeights[c] * kWeights[c] * kBalance[c] * (light + kBalance[c] * read * read / camera.well) /
           camera.well;
    return light / std::sqrt(v);
  }
  [[nodiscard]] Chart chart() const {
    Chart c;
    c.kind = "grey-scale";
    c.referenceWidth = kSide * kCount;
    c.referenceHeight = kSide;
    for (int i = 0; i < kCount; ++i) {
      const double x = i * kSide, s = kSide;
      Patch p;
      p.name = fmt::format("grey {}", i + 1);
      p.role = "grey";
      p.stops = stopsOf(i);
      p.corners = {{{x, 0}, {x + s, 0}, {x + s, s}, {x, s}}};
      c.patches.push_back(p);
    }
    c.grey = "grey 5";
    return c;
  }
  // gain: ISO over 100. stops: light of the picture against grey at 0.18.
  void shoot(const fs::path& file, double gain, double stops, double read, std::mt19937_64& random,
             const Encoder& encoder, const std::function<void(Footage&)>& spoil = {}) const {
    Footage f;
    f.camera = camera;
    f.camera.read = read;
    f.camera.scale = baseScale * gain;
    f.width = kSide * kCount;
    f.height = kSide;
    photograph(f, random, [&](int x, int) { return lightAt(stopsOf(x / kSide), gain, stops); });
    if (spoil) spoil(f);
    record(f, file, encoder);
  }
  [[nodiscard]] Series series(const fs::path& folder, const std::string& kind) const {
    writeLogCurve(folder / "log.json");
    Series s;
    s.kind = kind;
    s.decode.curve = (folder / "log.json").string();
    s.chart = chart();
    return s;
  }
};

inline TakeSpec takeAt(const std::string& name, const fs::path& clip, double stops, double iso) {
  return {name, clip, stops, "", iso, std::nullopt};
}

inline bool warns(const std::vector<Warning>& list, const std::string& code) {
  return std::any_of(list.begin(), list.end(), [&](const Warning& w) { return w.code == code; });
}

}  // namespace edge::test
