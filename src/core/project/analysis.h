// What is measured of a configuration, and with which inputs. Measuring needs no project open: it can run in
// a job; the owner of the project stores what comes back.
#pragma once
#include "measure/range.h"
#include "project/project.h"

namespace edge {

inline constexpr const char* kWedgeResult = "wedge";
inline constexpr const char* kLatitudeResult = "latitude";
inline constexpr const char* kBlackResult = "black";  // the cap-on clip at the places of the wedge
// Of the wedge at a delivery raster: "wedge 1920x1080".
[[nodiscard]] std::string wedgeResultKind(const std::optional<Raster>& raster);

// Absolute decode options and series of a configuration, paths resolved against the project's folder.
[[nodiscard]] DecodeOptions decodeOf(const Configuration& c, const std::filesystem::path& folder);
[[nodiscard]] Series seriesOf(const Configuration& c, const std::filesystem::path& folder);

// Hash of everything a result is made from: clips' hashes, chart, decode options, curve file, version of the
// method.
[[nodiscard]] std::string wedgeInputHash(const Configuration& c, const std::filesystem::path& folder);
[[nodiscard]] std::string latitudeInputHash(const Configuration& c, const std::filesystem::path& folder);

[[nodiscard]] bool hasWedge(const Configuration& c);
[[nodiscard]] bool hasBracket(const Configuration& c);

[[nodiscard]] WedgeMeasure measureWedgeOf(const Configuration& c, const std::filesystem::path& folder,
                                          const Progress& progress,
                                          std::optional<Raster> raster = std::nullopt);
[[nodiscard]] LatitudeMeasure measureLatitudeOf(const Configuration& c, const std::filesystem::path& folder,
                                                const Progress& progress);

[[nodiscard]] bool hasBlack(const Configuration& c);  // a cap-on clip beside the wedge
[[nodiscard]] WedgeMeasure measureBlackOf(const Configuration& c, const std::filesystem::path& folder,
                                          const Progress& progress);

// Stored results that still fit their inputs.
[[nodiscard]] std::optional<WedgeMeasure> storedWedge(const Project& p, const Configuration& c,
                                                      std::optional<Raster> raster = std::nullopt);
[[nodiscard]] std::optional<WedgeMeasure> storedBlack(const Project& p, const Configuration& c);
[[nodiscard]] std::optional<LatitudeMeasure> storedLatitude(const Project& p, const Configuration& c);

// Decisions, read back as the arithmetic wants them.
inline constexpr const char* kHeadlineSnrKey = "headline_snr";  // project: a number
inline constexpr const char* kOverrideKey = "verdict";          // take: "clean", "cleanable", "lost"
inline constexpr const char* kCriteriaKey = "criteria";         // project: limits
inline constexpr const char* kRecipeKey = "recipe";             // project: the recipe of its plan
inline constexpr const char* kChecklistKey = "checklist";       // project: what was ticked off, and when
inline constexpr const char* kClaimKey = "range_claim";         // configuration: stops, as published
inline constexpr const char* kOwnCountKey = "own_count";        // configuration: steps a person sees
inline constexpr const char* kRasterKey = "delivery_raster";    // project: [width, height]
[[nodiscard]] std::optional<Raster> deliveryRasterOf(const Project& p);
[[nodiscard]] RangeOptions rangeOptionsOf(const Project& p);
[[nodiscard]] CriteriaProfile criteriaOf(const Project& p);
[[nodiscard]] nlohmann::json toJson(const CriteriaProfile& profile);
[[nodiscard]] Overrides overridesOf(const Project& p, std::int64_t configuration);

// Measures whatever is missing and stores it as it comes.
void analyseAll(Project& p, const Progress& progress);

}  // namespace edge
