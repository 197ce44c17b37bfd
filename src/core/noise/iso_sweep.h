// An ISO sweep in constant dim light: noise at equal brightness over ISO, and the circuits it tells of
// (docs/method.md, "ISO sweep").
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "base/warning.h"
#include "media/missing.h"
#include "noise/circuits.h"
#include "recover/series.h"

namespace edge {

// The dim patch of one take, scene-linear as decoded.
struct SweepPoint {
  std::string take;
  double iso = 0;    // as marked
  double level = 0;  // mean luma
  double levelSigma = 0;
  double variance = 0;       // temporal luma, rounding taken off
  double relativeSigma = 0;  // of its square root
  // Rounding hides the noise; nothing changes between frames; cut off at black.
  bool quantised = false, removed = false, clamped = false;
  bool filtered = false;   // in space or time
  double lnInflation = 0;  // of its variance by the filter: ln of the white-equivalent over it
  double lnInflationSigma = 0;
  std::int64_t repeated = 0;                  // frames that are the one before
  [[nodiscard]] const char* leftOut() const;  // why, as a warning's code; nullptr: it is used
  std::int64_t frames = 0;
  MissingFrames missing{};
  // Level of a grey beside it that stands clear of noise and of the end in every take: what brightness is
  // told by where the dim patch itself bends in its own noise. Nothing: none was asked for, or there is none.
  std::optional<double> beside = std::nullopt;
  double besideSigma = 0;
  [[nodiscard]] double snr() const;
};

struct SweepMeasure {
  std::string patch;
  std::vector<SweepPoint> points;  // by ISO
  std::string lossyCodec;
};

// How brightness follows ISO at constant light.
enum class GainLaw { Iso, MetadataOnly, Mixed };

struct SweepResult {
  GainLaw law = GainLaw::Iso;
  std::vector<SweepNoise> noise;       // those that were used
  std::optional<CircuitsFound> found;  // nothing: too few points, or the light changed
  std::vector<Warning> warnings;
  std::string advice;  // one sentence; empty: nothing to advise
};

// What a sweep is measured on: the patch or region with the role "dim", else the darkest patch; the first
// region where there is no chart. Errors: none; a chart of whose patches no light is known.
[[nodiscard]] Patch dimPatch(const Series& series);

// Errors: no take with an ISO, no chart, clips that differ in format, unreadable ones.
[[nodiscard]] SweepMeasure measureSweep(const Series& series, const Progress& progress);
// Pure arithmetic.
[[nodiscard]] SweepResult judgeSweep(const SweepMeasure& measure);

[[nodiscard]] nlohmann::json sweepJson(const SweepMeasure& measure, const SweepResult& result);

// Photons hide the circuits from here on: about twelve electrons a pixel (docs/method.md).
inline constexpr double kTooBrightSnr = 4.5;

}  // namespace edge
