// Latitude: what each take still looks like after bring-back, where the two edges are, and why
// (docs/method.md, "Latitude").
#pragma once
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "measure/range.h"
#include "recover/bring_back.h"
#include "recover/criteria.h"
#include "recover/series.h"

namespace edge {

// What was measured of one take after bring-back by exposure alone and the display transform. Pure numbers.
struct TakeMetrics {
  std::string name;
  double planned = 0;
  std::optional<double> measured;  // stops against base
  double sigma = 0;
  double k = 1, q = 0;
  int patchesUsed = 0;
  bool byMedian = false;
  double scatterStops = 0;
  double shiftX = 0, shiftY = 0;  // pixels by which chart and objects were followed
  double driftStops = 0;          // change of light from the first to the last frame
  // Per cent by channel, worst skin region; nothing where the channel's end is not known.
  std::array<std::optional<double>, 3> clippedSkin{};
  std::string clippedWhere;
  // A face or white object piles up at its top although no end of a channel could be proved.
  std::optional<double> suspectedClip;  // per cent
  double shiftA = 0, shiftB = 0;        // at the grey nearest face luminance
  std::optional<double> darkShiftA, darkShiftB;
  double deltaMean = 0, deltaMax = 0;
  std::vector<std::pair<std::string, double>> deltaByPatch;
  // By criterion, of those measured as such (noise: on the delivery's raster and sampling); nullopt: withheld
  // (more than half clipped).
  std::array<std::optional<double>, kCriteria> figures{};
  std::optional<double> lumaNoisePerPixel, chromaNoisePerPixel;  // as recorded or developed
  std::optional<double> stripes;                                 // fixed and moving rows; needs 16 frames
  std::optional<double> movingStripes;                           // moving rows alone
  std::int64_t frames = 0, missingFrames = 0, repeatedFrames = 0;
  std::string lossyCodec;

  [[nodiscard]] std::optional<double>& operator[](Criterion c) { return figures[static_cast<size_t>(c)]; }
  [[nodiscard]] const std::optional<double>& operator[](Criterion c) const {
    return figures[static_cast<size_t>(c)];
  }
};

struct LatitudeMeasure {
  std::vector<TakeMetrics> takes;   // as listed
  TakeMetrics base;                 // against itself
  std::string faceGrey, darkPatch;  // patches used
  std::string display, curve;
  Delivery delivery;
  double wrongCurveScatter = 0;
};

struct TakeVerdict {
  Verdict verdict = Verdict::Clean;
  std::vector<Reason> reasons;  // worst first
  Cause cause;                  // what decides; none when clean
};

struct EdgeLimit {
  std::optional<double> lastGood, firstBad;  // measured stops
  Cause cause;
  std::optional<Limit> estimate;  // atLeast where no bad take was found; nothing where the base itself fails
};
struct Edges {
  EdgeLimit over, under;
  std::optional<Limit> latitude;  // nothing where the base itself fails
};

struct LatitudeResult {
  std::vector<TakeVerdict> verdicts;  // the tool's own, by take
  std::vector<TakeVerdict> judged;    // with a person's overrides
  TakeVerdict base;                   // of the base against itself: noise, clipping, and the repeats of it
  Edges edges, cleaned;               // clean only; and with clean-up allowed
  std::vector<Warning> warnings;
};

// Overrides by take name: a person's verdict stands above the tool's.
using Overrides = std::vector<std::pair<std::string, Verdict>>;

// Streams base and takes, one after the other. Errors name the clip.
[[nodiscard]] LatitudeMeasure measureLatitude(const Series& series, const Progress& progress);

// Pure arithmetic: verdicts and edges from the numbers.
[[nodiscard]] LatitudeResult judgeLatitude(const LatitudeMeasure& measure, const CriteriaProfile& profile,
                                           const Overrides& overrides = {});

[[nodiscard]] nlohmann::json latitudeToJson(const LatitudeMeasure& measure, const LatitudeResult& result);
[[nodiscard]] nlohmann::json toJson(const LatitudeMeasure& measure);
[[nodiscard]] LatitudeMeasure latitudeFromJson(const nlohmann::json& j);

}  // namespace edge
