// Noise of the zones of one take at equal brightness: how much, of which kind, how coarse, of what colour
// (docs/method.md, "Noise of a zone").
#pragma once
#include <array>
#include <optional>
#include <string>
#include <vector>

#include "base/warning.h"
#include "measure/range.h"
#include "noise/seen.h"
#include "recover/series.h"

namespace edge {

enum class Zone { Shadow, Mid, High };
inline constexpr int kZones = 3;
[[nodiscard]] const char* wordOf(Zone zone);
[[nodiscard]] double nominalStops(Zone zone);  // from grey: -3, 0, +2

// How far one punches in: the picture is seen at so many times the delivery's raster, at most its own.
inline constexpr int kPunches = 3;
[[nodiscard]] inline int percentOf(int punch) {
  return 100 * (punch + 1);
}

// Why a zone has no figures.
enum class ZoneDoubt { None, CutOff, Clipped, Removed, Quantised };
struct DoubtSpec {
  ZoneDoubt id;
  const char* code;   // of the warning
  const char* brief;  // in a table
  const char* words;  // after "the shadow zone"
};
[[nodiscard]] const DoubtSpec& specOf(ZoneDoubt doubt);

struct ZoneNoise {
  Zone zone = Zone::Mid;
  std::string patch;
  double stops = 0;  // of the patch, from grey
  double level = 0;  // scene-linear luma as shot
  // Mean over temporal sd, scene-linear, R, G, B, Y; nothing: subsampled, quantised or removed.
  std::array<std::optional<double>, 4> snr{};
  std::optional<SeenNoise> seen;                  // at the delivery; nothing: no two frames that differ
  std::vector<std::optional<SeenNoise>> cleaned;  // after each rung of the reducer
  std::array<std::optional<SeenNoise>, kPunches> punched{};  // the delivery's raster times these
  // Standard deviations over the mean; of variances that came out negative the negative root.
  double temporal = 0;
  std::optional<double> fixed, row, column, fixedRow, fixedColumn;
  std::optional<double> grainPx;  // of L*, pixels of the delivery
  std::optional<double> chromaGrainPx;
  std::string hue;  // "luma, fine", "chroma, coarse, magenta-green"
  ZoneDoubt doubt = ZoneDoubt::None;
  bool still = false;      // most of it stands from frame to frame
  double sigma = 0;        // relative, of each noise figure
  double signalSigma = 0;  // relative, of the signal that luma's SNR is over
};

struct ZonesOfTake {
  std::string name;
  double iso = 0, stops = 0;  // light against the first take, as planned
  double brightness = 0;      // stops of the picture against the first take, measured
  bool native = false;
  std::vector<ZoneNoise> zones;
  // Where luma's SNR is 1 and 2, in stops below grey and below the clip; nothing: not known.
  std::array<std::optional<Limit>, 2> floorBelowGrey{}, floorBelowClip{};
  std::int64_t frames = 0;
  std::string lossyCodec;
  double toeSlope = 1;  // stops the picture shows for a stop of the chart about the shadow zone
};

struct LadderMeasure {
  int rasterWidth = 0, rasterHeight = 0;  // at which noise is seen
  Chroma chroma = Chroma::Full444;
  Raster punchBase;  // 100 %: the delivery's raster, or HD, or the clip's own where it is smaller
  std::string display;
  std::vector<ZonesOfTake> takes;  // in the order of the series
  std::vector<Warning> warnings;   // of measuring
};
inline constexpr Raster kPunchRaster = {1920, 1080};
inline constexpr double kUnequal = 0.25;  // stops of brightness that are brought to equal with a word

// Errors: no grey patches on the chart, clips that differ in raster, sampling or bits without a delivery
// raster that serves them alike, unreadable ones.
[[nodiscard]] LadderMeasure measureLadder(const Series& series, const Progress& progress);

}  // namespace edge
