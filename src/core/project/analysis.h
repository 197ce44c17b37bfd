// What is measured of a configuration, and with which inputs. Measuring needs no project open: it can run in
// a job; the owner of the project stores what comes back.
#pragma once
#include "base/error.h"
#include "measure/range.h"
#include "project/project.h"

namespace edge {

// Something to measure of a configuration. The one list of them is made by analysesOf: the window, `report`
// and `check` go through it.
struct Analysis {
  std::int64_t configuration = 0;
  std::string result;                                      // under which the figures are stored
  std::string words;                                       // "Corvane 35 · log · ISO 500, wedge"
  std::string inputHash;                                   // of everything it is made from
  std::function<nlohmann::json(const Progress&)> measure;  // needs no project open: it can run in a job
};
// What a project asks for beside the figures as recorded.
struct Asked {
  std::optional<Raster> raster;  // the wedge at a delivery raster, too
  std::filesystem::path look;    // brackets under this CDL or LUT, too; empty: none
};
[[nodiscard]] Asked askedOf(const Project& p);
// Of a configuration as it stands; none while its decode state has open questions.
[[nodiscard]] std::vector<Analysis> analysesOf(const Configuration& c, const std::filesystem::path& folder,
                                               const Asked& asked);
// Everything there is to measure in a project: of its configurations, then noise by body and mode.
[[nodiscard]] std::vector<Analysis> allAnalyses(const Project& p,
                                                const std::vector<Configuration>& configurations);
// Of all configurations, those without a current result. `first`: the configuration whose person is waiting.
[[nodiscard]] std::vector<Analysis> pendingAnalyses(const Project& p, std::int64_t first = 0);

// Absolute decode options and series of a configuration, paths resolved against the project's folder.
[[nodiscard]] DecodeOptions decodeOf(const Configuration& c, const std::filesystem::path& folder);
// Raw of a bracket is developed as its base is, whatever white balance a take's own file names.
[[nodiscard]] DecodeOptions decodeOfBracket(const Configuration& c, const std::filesystem::path& folder);
// Of what a picture of its clips depends on besides the clip: how they are decoded, developed and displayed.
// The same wherever the project lies; of a curve file its name only.
[[nodiscard]] std::string pictureHash(const Configuration& c);
[[nodiscard]] Series seriesOf(const Configuration& c, const std::filesystem::path& folder);

// Hash of everything a bracket's result is made from: clips' hashes, chart, decode options, curve file,
// version of the method.
[[nodiscard]] std::string latitudeInputHash(const Configuration& c, const std::filesystem::path& folder);

// Where it lies is known; its steps may not be.
[[nodiscard]] bool isWedgePlaced(const Configuration& c);
// The light of at least one patch of the bench chart is known: sweeps and ladders need it, brackets do not.
[[nodiscard]] bool hasChartLight(const Configuration& c);
// All that was shot of wedge and bracket has its charts marked, the wedge with its steps.
[[nodiscard]] bool isMarked(const Configuration& c);
// It can be measured: the light of every patch is known.
[[nodiscard]] bool hasWedge(const Configuration& c);
[[nodiscard]] bool hasBracket(const Configuration& c);
[[nodiscard]] bool hasBlack(const Configuration& c);  // a cap-on clip beside the wedge

// Stored results that still fit their inputs.
[[nodiscard]] std::optional<WedgeMeasure> storedWedge(const Project& p, const Configuration& c,
                                                      std::optional<Raster> raster = std::nullopt);
[[nodiscard]] std::optional<WedgeMeasure> storedBlack(const Project& p, const Configuration& c);
[[nodiscard]] std::optional<LatitudeMeasure> storedLatitude(const Project& p, const Configuration& c);

// Figures as they were stored, of a project that is looked at, not worked on: no file but the project is
// read. fits: made from what the project holds, by this method; false also where a curve's file would have to
// be read to know.
struct Recorded {
  std::optional<WedgeMeasure> wedge, black;
  std::optional<LatitudeMeasure> latitude;
  bool wedgeFits = false, latitudeFits = false;
};
[[nodiscard]] Recorded recordedOf(const Project& p, const Configuration& c);

// Decisions, read back as the arithmetic wants them.
inline constexpr const char* kHeadlineSnrKey = "headline_snr";  // project: a number
inline constexpr const char* kOverrideKey = "verdict";          // take: "clean", "cleanable", "lost"
inline constexpr const char* kCriteriaKey = "criteria";         // project: limits
inline constexpr const char* kReviewKey = "review ";            // project: a blind session, by number
inline constexpr const char* kRecipeKey = "recipe";             // project: the recipe of its plan
inline constexpr const char* kChecklistKey = "checklist";       // project: what was ticked off, and when
inline constexpr const char* kClaimKey = "range_claim";         // configuration: stops, as published
inline constexpr const char* kOwnCountKey = "own_count";        // configuration: steps a person sees
inline constexpr const char* kRasterKey = "delivery_raster";    // project: [width, height]
inline constexpr const char* kScenesKey = "scenes";             // project: readings of scenes, a list
inline constexpr const char* kSituationsKey =
    "situations";                                      // project: what a person answers in the decision table
inline constexpr const char* kLookKey = "look";        // project: path of a CDL or LUT
inline constexpr const char* kContextKey = "context";  // project: price, weight and the like, by body
inline constexpr const char* kRepeatsKey = "repeats";  // project: which one it repeats
// Stops by which the plan meters the base over grey; 0 without a plan.
[[nodiscard]] double baseOffsetOf(const Project& p);
// Raised when a change of the method makes old results stale.
[[nodiscard]] const char* methodVersion();
// T-stop of the base as the recipe has it.
[[nodiscard]] std::optional<double> baseApertureOf(const Project& project);
[[nodiscard]] std::optional<Raster> deliveryRasterOf(const Project& p);
// Absolute; empty: none was chosen.
[[nodiscard]] std::filesystem::path lookOf(const Project& p);
[[nodiscard]] RangeOptions rangeOptionsOf(const Project& p);
[[nodiscard]] CriteriaProfile criteriaOf(const Project& p);
[[nodiscard]] Overrides overridesOf(const Project& p, std::int64_t configuration);

// What could not be measured, and why.
struct FailedAnalysis {
  std::int64_t configuration = 0;
  std::string words;  // of the analysis
  Error error;
};
// All of them as one, for who shows one; of a single one the error itself. failures: not empty.
[[nodiscard]] Error asOne(const std::vector<FailedAnalysis>& failures);

// One after the other; what can't be measured keeps nothing else from it, and is returned.
[[nodiscard]] std::vector<FailedAnalysis> measureAll(
    const std::vector<Analysis>& analyses, const Progress& progress,
    const std::function<void(const Analysis&, const nlohmann::json&)>& store);

// Measures whatever is missing and stores it as it comes.
[[nodiscard]] std::vector<FailedAnalysis> analyseAll(Project& p, const Progress& progress);

}  // namespace edge
