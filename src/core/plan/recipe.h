// What a test day has to work with and what it wants to know: bodies, lenses, lamps, filters, charts, cards,
// tests. Read from a recipe file (docs/formats.md), which is also how a project keeps it.
#pragma once
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/units.h"
#include "exposure/series.h"
#include "exposure/sum_sheets.h"
#include "exposure/sums.h"
#include "plan/blocks.h"

namespace edge {

struct Sourced {
  double value = 0;
  std::string from;  // "typed", "published", "measured"
};

struct CircuitSpec {  // three different things: where it is best, and the band of ISOs that use it
  double nativeIso = 0, firstIso = 0, lastIso = 0;
  std::optional<Sourced> headroomStops;  // clip above grey at native ISO
};

enum class ModeKind { Log, Raw, Baked };
enum class LampRole { Key, Fill, Back, Background, Practical };
// As a recipe file spells them; parsing throws Error for any other word.
[[nodiscard]] const char* wordOf(ModeKind kind);
[[nodiscard]] const char* wordOf(LampRole role);
[[nodiscard]] ModeKind modeKindOf(const std::string& word);
[[nodiscard]] LampRole lampRoleOf(const std::string& word);
[[nodiscard]] const std::vector<std::string>& modeKindWords();
[[nodiscard]] const std::vector<std::string>& lampRoleWords();

struct ModeSpec {
  std::string name, codec, curve;
  ModeKind kind = ModeKind::Log;
  double bits = 10, width = 0, height = 0, fps = 24;
  std::optional<double> greyPercent;
  DataRate rate;
};

struct BodySpec {
  std::string name, lens;
  std::vector<CircuitSpec> circuits;
  std::vector<ModeSpec> modes;
  std::vector<double> isos;
  bool metadataIso = false;

  // Circuit that an ISO uses; where bands are unknown, that of the highest native ISO not above it.
  [[nodiscard]] const CircuitSpec* circuitFor(double iso) const;
};

struct LensSpec {
  std::string name;
  bool markedF = false;
  std::optional<double> lossStops;
  double widest = 0, closest = 0;  // as marked
  std::string detents;             // "none", "third", "half", "full"
};

struct LampSpec {
  std::string name;
  LampRole role = LampRole::Key;
  double luxAt1m = 0, ratioStops = 0;
  bool dimmable = true;
  DimmerLaw law = DimmerLaw::Linear;
  double minimumPercent = 5;
  double distance = 2, nearest = 2, farthest = 2, size = 0, kelvin = 5600;
  std::optional<double> flickerHz;
  bool mains = false, hot = false;
};

struct FilterSpec {
  double density = 0;
  bool infraredCut = false;
};

struct ChartSpec {
  std::string name, kind;
  double steps = 0, stepStops = 1, firstStepCdM2 = 0, widthM = 0;
};
struct SitterSpec {
  std::string name;
  double skinStops = 1;
};
struct CardSpec {
  std::string name, body;
  double bytes = 0, reserve = 0.1;
};

struct TestSpec {
  TestKind kind = TestKind::Bracket;
  std::string what;
  std::vector<std::string> bodies, modes, controls;
  std::vector<double> isos, extra;
  double over = 0, under = 0, step = 1;
  bool forceGain = false;
  double firstStepOverClip = 0.5;
  double strobeHz = 0;
  std::optional<double> kelvin;                        // by lamps of this colour alone
  std::vector<std::pair<double, std::string>> byHand;  // control of a step, by its stops
};

struct Skip {
  std::string configuration;
  double stops = 0;
  std::string reason;
};

struct Recipe {
  std::string title, file;
  int startMinute = 540;  // after midnight
  double mainsHz = 50;
  std::optional<double> budgetMinutes;
  std::vector<BodySpec> bodies;
  std::vector<LensSpec> lenses;
  std::vector<LampSpec> lamps;
  std::vector<FilterSpec> nd;
  std::vector<double> gels;
  std::string slowest, fastest;  // "360deg", "1/50"
  std::vector<ChartSpec> charts;
  std::vector<SitterSpec> sitters;
  std::vector<CardSpec> media;
  std::vector<TestSpec> tests;
  std::string baseSchool, baseShutter;
  double baseOffset = 0;
  std::optional<double> preferredAperture;
  std::string recovery, noiseReduction, criteria;
  std::map<std::string, double> seconds;  // by kind of change
  std::vector<Skip> skipped;
  nlohmann::json source;  // as read, for remedies that change it

  [[nodiscard]] double secondsFor(const std::string& change) const { return seconds.at(change); }
  [[nodiscard]] const LensSpec* lensOf(const BodySpec& body) const;
};

// Lamps count as of one colour that are no further apart than this share of it.
inline constexpr double kSameColour = 0.1;
[[nodiscard]] bool lights(const LampSpec& lamp, const TestSpec& test);

// Structure, ranges and contradictions; a relative curve file is looked for beside the recipe. Errors name
// file and place.
[[nodiscard]] Recipe recipeFromJson(const nlohmann::json& j, const std::filesystem::path& file);
[[nodiscard]] nlohmann::json readRecipeJson(const std::filesystem::path& file);
// The start of a new project: nothing in it but times, base and protocol.
[[nodiscard]] nlohmann::json emptyRecipe();
// The recipe with a figure worked out elsewhere: of the base, of the key light, an ND more, or the data rate
// of the first mode that has none (else of the first). Errors: no mode, no lamp to take it.
[[nodiscard]] nlohmann::json withFigure(nlohmann::json recipe, RecipeFigure figure, double value);

// "3200 K": light as part of what a series was shot with; nullopt: no colour is named.
[[nodiscard]] std::string lightName(double kelvin);
[[nodiscard]] std::optional<double> kelvinOf(const std::string& light);

// The recipe with a bracket of these takes alone (stops from the base) for one configuration, which takes
// them up if it stands already.
[[nodiscard]] nlohmann::json withExtraTakes(nlohmann::json recipe, const std::string& body,
                                            const std::string& mode, double iso, const std::string& light,
                                            const std::vector<double>& stops);

// "172.8deg", "1/50" as a time at this frame rate.
[[nodiscard]] Seconds shutterTime(const std::string& text, double fps);

}  // namespace edge
