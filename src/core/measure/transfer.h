// Photon transfer of a raw bracket on an even field (docs/method.md, "Photon transfer"; EMVA 1288 R4.0,
// sections 6 and 8):
//   temporal variance v = v0 + k m      k: gain, DN per electron
//   read noise sqrt(v_dark - 1/12)/k    full well (plateau - dark)/k
//   PRNU from the variance of the frame mean that temporal noise does not explain, over (m - dark)^2
// All in the raw file's own digital numbers, by colour of the mosaic.
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "image/region.h"
#include "measure/range.h"
#include "media/clip.h"

namespace edge {

// One colour of one take.
struct TransferPoint {
  double mean = 0;              // DN
  double variance = 0;          // temporal, DN^2
  std::optional<double> fixed;  // DN^2, signed; needs 8 frames
  double samples = 0;           // pixels
  double frames = 0;
  double atTop = 0;        // share of samples at the top code of the series
  double verticalLag = 0;  // of the temporal residual: filtered frames tell nothing
  bool black = false;      // cap on
};

struct Estimate {
  double value = 0, sigma = 0;
};

struct TransferChannel {
  std::optional<Estimate> gainDnPerE, readNoiseE, fullWellE, prnuPercent;
  std::vector<Warning> warnings;
};

struct TransferClip {
  std::filesystem::path clip;
  FrameWindow window;
  bool black = false;
};

struct TransferMeasure {
  std::vector<TransferPoint> points[3];  // R, G (both greens as one), B; by take
  double blackLevel[3] = {};             // as the file says, DN
};

// `area` in pixels of the clip; nullopt: its central quarter. Errors: not raw, formats that differ, area too
// small, a filtered clip.
[[nodiscard]] TransferMeasure measureTransfer(const std::vector<TransferClip>& clips,
                                              const std::optional<Quad>& area, const Progress& progress);

// Pure arithmetic. `warnings` name what is missing: "few-takes", "few-frames", "upper-not-reached",
// "quantised", "no-black".
[[nodiscard]] TransferChannel fitTransfer(const std::vector<TransferPoint>& points, double blackLevel);

// Takes whose light no longer shows: half of their samples on the top code, or noise fallen to less than half
// of what photons make, near the top of the series. A sensor's pixels do not all end on one code.
[[nodiscard]] std::vector<bool> saturatedTakes(const std::vector<TransferPoint>& points, double dark);

[[nodiscard]] nlohmann::json transferToJson(const TransferMeasure& measure);

}  // namespace edge
