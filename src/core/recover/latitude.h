// Latitude: what each take still looks like after bring-back, where the two edges are, and why
// (docs/method.md, "Latitude").
#pragma once
#include <functional>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "chart/registration.h"
#include "measure/range.h"
#include "recover/bring_back.h"
#include "recover/correction.h"
#include "recover/criteria.h"
#include "recover/look.h"
#include "recover/series.h"

namespace edge {

// Per cent of an area.
inline constexpr std::array<double, 10> kClipShares = {0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 40, 70};

// Of one delivery, the criteria that depend on it.
struct DeliveredFigures {
  Delivery delivery;
  std::array<std::optional<double>, kCriteria> figures{};
  std::array<std::optional<double>, kCriteria> sigmas{};  // standard errors from sampling
};

// What a rung of the reducer's ladder leaves of the criteria it changes (recover/reducer.h), and its price.
struct RungFigures {
  size_t rung = 0;
  std::array<std::optional<double>, kCriteria> figures{};  // at the headline delivery
  std::vector<DeliveredFigures> delivered;
  std::optional<double> detailKept;  // contrast of the detail against that before, 1: all of it
  std::optional<double> smear;       // share of it that a moving part loses beyond that
};

// A patch or an object as one take has it, for comparing bodies.
struct AreaColour {
  std::string name, role;
  bool neutral = false;
  bool intact = true;  // less than a thousandth of its pixels at the end of a channel
  Vec3 light{};        // scene-linear mean, brought back by exposure alone
  Vec3 error{};        // its standard errors
};

// What was measured of one take after bring-back by one branch and the display transform. Pure numbers.
struct TakeMetrics {
  std::string name;
  double planned = 0;
  std::optional<double> measured;  // stops against base
  double sigma = 0;
  SolvedBranch solved;
  int patchesUsed = 0;
  bool byMedian = false;
  double scatterStops = 0;
  Framing framing;        // by which chart and objects were followed, in pixels of the clip
  double driftStops = 0;  // change of light from the first to the last frame
  // Per cent by channel, worst skin region; nothing where the channel's end is not known.
  std::array<std::optional<double>, 3> clippedSkin{};
  std::string clippedWhere;
  // Of raw: per cent there that a recovery would paint from the channels left. Never counted as held.
  std::optional<double> rebuiltSkin;
  // Stops until so many per cent of a face (or white object) are at a channel's end, by kClipShares: what the
  // levels of this take's own pixels say. Nothing where no end is known.
  std::array<std::optional<double>, kClipShares.size()> clipRoom{};
  double clipRoomSigma = 0;  // stops
  // A face or white object piles up on one value although no end of a channel could be proved: as clipped as
  // that, or not at all.
  std::optional<double> suspectedClip;  // per cent
  double shiftA = 0, shiftB = 0;        // at the grey nearest face luminance
  std::optional<double> darkShiftA, darkShiftB;
  // Of the face that moved most in a*, b*: which way skin turns before it goes.
  std::optional<double> skinA, skinB;
  std::string skinWhere;
  double deltaMean = 0, deltaMax = 0;
  std::vector<std::pair<std::string, double>> deltaByPatch;
  std::vector<AreaColour> colours;                  // of the headline alone
  std::vector<std::pair<std::string, Vec3>> codes;  // by patch, after the branch, of the log encoding
  // By criterion, of those measured as such, at the headline delivery; nullopt: withheld (more than half
  // clipped), or not to be had from this clip.
  std::array<std::optional<double>, kCriteria> figures{};
  // Of these, and of the colour shift: standard errors from sampling.
  std::array<std::optional<double>, kCriteria> sigmas{};
  std::vector<DeliveredFigures> delivered;  // at further deliveries
  std::vector<RungFigures> rungs;           // of takes under the base, exposure alone: gentlest first
  // By step of the stress grade, of the criteria it breaks, at the headline delivery.
  std::vector<std::array<std::optional<double>, kCriteria>> stressed;
  std::optional<double> lumaNoisePerPixel, chromaNoisePerPixel;  // as recorded or developed
  std::optional<double> movingStripes;                           // moving rows alone
  std::string detailWhere;
  std::optional<double> detailNoiseFree, detailGain;
  bool moved = false;  // the textured areas are not those of the base any more: detail is withheld
  std::int64_t frames = 0, repeatedFrames = 0;
  MissingFrames missing;
  std::string lossyCodec;

  [[nodiscard]] double k() const { return solved.correction.back.k; }
  [[nodiscard]] double q() const { return solved.correction.back.q; }
  [[nodiscard]] std::optional<double>& operator[](Criterion c) { return figures[static_cast<size_t>(c)]; }
  [[nodiscard]] const std::optional<double>& operator[](Criterion c) const {
    return figures[static_cast<size_t>(c)];
  }
};

// Under a look after the neutral bring-back by exposure alone.
struct LookMeasure {
  std::string name;
  TakeMetrics base;
  std::vector<TakeMetrics> takes;
};

struct LatitudeMeasure {
  std::vector<TakeMetrics> takes;  // as listed, brought back by exposure alone
  // By take: the other branches that could be solved. None where the take has no measured offset.
  std::vector<std::vector<TakeMetrics>> branches;
  TakeMetrics base;                 // against itself
  std::string faceGrey, darkPatch;  // patches used
  std::string display, curve, logEncoding;
  Primaries primaries = Primaries::Bt709;
  Delivery delivery;
  double wrongCurveScatter = 0;
  std::vector<StressStep> stress;  // what TakeMetrics::stressed was stressed by
  std::optional<LookMeasure> look;
  // Stops from the base to the one that puts the chart's grey at 0.18, the first face at 60 % of display.
  std::optional<double> toGrey, toSkin;

  // nullptr: not solved.
  [[nodiscard]] const TakeMetrics* of(size_t take, Branch branch) const;
};

struct TakeVerdict {
  Verdict verdict = Verdict::Clean;
  std::vector<Reason> reasons;  // worst first
  Cause cause;                  // what decides; none when clean
};

struct EdgeLimit {
  std::optional<double> lastGood, firstBad;  // measured stops
  std::optional<double> firstUnknown;        // in place of firstBad: from there on the edge may lie anywhere
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
  Edges edges, cleaned;  // clean only; with clean-up: noise by the reducer, else up to the lost limits
  std::vector<Warning> warnings;
};

// Overrides by take name: a person's verdict stands above the tool's.
using Overrides = std::vector<std::pair<std::string, Verdict>>;

inline constexpr double kMislabelled =
    0.25;                               // stops between plan and measurement that can't be an iris error
inline constexpr double kDrift = 0.03;  // stops within a clip

// Streams base and takes, one after the other. Errors name the clip.
[[nodiscard]] LatitudeMeasure measureLatitude(const Series& series, const Progress& progress);

// Pure arithmetic: verdicts and edges from the numbers.
[[nodiscard]] LatitudeResult judgeLatitude(const LatitudeMeasure& measure, const CriteriaProfile& profile,
                                           const Overrides& overrides = {}, Branch branch = Branch::Exposure);
// The take as a rung of the reducer leaves it.
[[nodiscard]] TakeMetrics afterRung(const TakeMetrics& take, const RungFigures& rung);
// First rung after which nothing is wrong that a reducer can mend, and the rest is not lost.
[[nodiscard]] const RungFigures* firstGoodRung(const TakeMetrics& take, const CriteriaProfile& profile);
// Whether a criterion judges a take at all: the over and the under side have their own.
[[nodiscard]] bool judges(const CriterionSpec& spec, const TakeMetrics& take);
// Of one take alone.
[[nodiscard]] TakeVerdict judgeTake(const TakeMetrics& take, const CriteriaProfile& profile);

// First step of the stress grade at which a criterion passes its clean limit, and which; nothing: it stands.
struct StressBreak {
  size_t step = 0;
  Criterion criterion = Criterion::ChromaNoise;
};
[[nodiscard]] std::optional<StressBreak> breaksAt(const TakeMetrics& take, const CriteriaProfile& profile);
// The same bracket as the look shows it; nullopt without one.
[[nodiscard]] std::optional<LatitudeMeasure> underLook(const LatitudeMeasure& measure);

// What `latitude` prints. `profile`: by which the result was judged.
[[nodiscard]] nlohmann::json latitudeToJson(const LatitudeMeasure& measure, const LatitudeResult& result,
                                            const CriteriaProfile& profile);
[[nodiscard]] nlohmann::json toJson(const LatitudeMeasure& measure);
[[nodiscard]] LatitudeMeasure latitudeFromJson(const nlohmann::json& j);

}  // namespace edge
