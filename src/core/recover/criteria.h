// What a take is judged by: one table. A criterion more is a row here, its figure in TakeMetrics and where
// that is measured; limits, verdicts, files, tables and explanations follow (docs/method.md, "Latitude").
#pragma once
#include <array>
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "recover/delivery.h"

namespace edge {

struct TakeMetrics;

// Unknown: what would decide can't be told from this take; neither clean nor lost. Never a person's.
enum class Verdict { Clean, Cleanable, Lost, Unknown };
[[nodiscard]] const char* wordOf(Verdict v);
[[nodiscard]] std::optional<Verdict> parseVerdict(const std::string& word);

struct LimitPair {
  double clean, lost;                 // up to clean: clean; beyond lost: lost; between: cleanable
  [[nodiscard]] bool judges() const;  // infinite limits: shown, not judged
};

enum class Criterion {
  HighlightGone,
  ColourShift,
  LumaNoise,
  ChromaNoise,
  Stripes,
  Detail,
  Flicker,
  Banding,
  BlockEdges,
  Contrast,
  Saturation
};
inline constexpr size_t kCriteria = static_cast<size_t>(Criterion::Saturation) + 1;

// Why a take is not clean, as data. Words are made in one place, reasonWords.
struct Reason {
  Criterion criterion;
  Verdict grade;  // cleanable, lost or unknown
  double value, limit;
  std::string channel;    // "red, green"; empty where it holds for all
  std::string place;      // the region of the picture that decides; empty: the face's grey
  std::string direction;  // of a colour shift, "towards green"
};
[[nodiscard]] std::string reasonWords(const Reason& reason);

enum class JudgedSide { Both, Over, Under };  // of the base

enum Trait : unsigned {
  kPlain = 0,
  kListed = 1,     // printed under its metric; else the figure has a place of its own in results
  kFalling = 2,    // the less the worse
  kDelivered = 4,  // measured at the delivery's raster and sampling
  kReducible = 8,  // a noise reducer changes it
  kStressed = 16,  // a stress grade breaks it
  kNeeded = 32,    // without its figure a take on the side it judges is not known to be clean
};

// How a figure grows as the light goes away from the base's (docs/method.md, "Edges").
enum class EdgeLaw {
  Histogram,  // of the object's own levels, slid against the end
  Noise,      // its square is a/4^s + b/2^s + c of the light 2^s: read noise, photons, fixed part
  Power,      // a power of 2^|s| - 1: nothing at the base
  Logistic,   // its square is 1/(1 + e^y), y straight in stops: a correlation under noise
  Straight    // in the logarithm
};

struct CriterionSpec {
  Criterion id;
  const char* key;     // in stored results
  const char* metric;  // in the files of results and profiles
  const char* words;   // on screen
  const char* unit;    // "%", or empty: units of L*a*b*
  LimitPair limit;     // of the default profile
  JudgedSide side;     // takes it judges; of one side only: the base can fail by it, too
  unsigned traits;
  EdgeLaw law;          // by which it grows from take to take
  const char* formula;  // how it is measured, a sentence
  // Null: measured as such, TakeMetrics::figures.
  std::optional<double> (*derived)(const TakeMetrics&);
  // Channel, place and direction of the reason.
  void (*detail)(const TakeMetrics&, Reason&);

  [[nodiscard]] constexpr bool is(Trait t) const { return (traits & t) != 0; }
  // `at`: of a delivery that was measured beside the headline one; nullopt where it was not.
  [[nodiscard]] std::optional<double> value(const TakeMetrics& take,
                                            const std::optional<Delivery>& at = std::nullopt) const;
  // Standard error of that figure from sampling; 0 where it is not known.
  [[nodiscard]] double sigma(const TakeMetrics& take, const std::optional<Delivery>& at = std::nullopt) const;
  [[nodiscard]] bool beyond(double value, double limit) const {
    return is(kFalling) ? value < limit : value > limit;
  }
};
[[nodiscard]] std::span<const CriterionSpec> criteria();
[[nodiscard]] const CriterionSpec& specOf(Criterion criterion);
[[nodiscard]] std::optional<Criterion> parseCriterion(const std::string& key);

// Limits of one delivery. The default is calibrated on the common practice that about 12 stops of range
// (SNR 2) go with about 8 of latitude, 14 with 10; a convention and the user's to change.
struct CriteriaProfile {
  std::string name = "default";
  std::array<LimitPair, kCriteria> limits;
  std::optional<Delivery> delivery;  // none: as the takes were measured

  CriteriaProfile();
  [[nodiscard]] LimitPair& operator[](Criterion c) { return limits[static_cast<size_t>(c)]; }
  [[nodiscard]] const LimitPair& operator[](Criterion c) const { return limits[static_cast<size_t>(c)]; }
};
// How the name of a profile begins whose limits a person moved.
inline constexpr const char* kOwnProfile = "own limits";
// With one limit moved: never past the other, within what the criterion can be, and named as a person's own.
[[nodiscard]] CriteriaProfile withLimit(CriteriaProfile profile, Criterion criterion, bool clean,
                                        double value);
// Named as a person's own.
[[nodiscard]] CriteriaProfile owned(CriteriaProfile profile);
// The profiles that come with the program: the default, then cinema, broadcast and web, each for the whole
// frame and punched in to 200 %. Common practice, made into numbers by convention.
[[nodiscard]] const std::vector<CriteriaProfile>& standardProfiles();
// The deliveries they ask for, each once.
[[nodiscard]] std::vector<Delivery> standardDeliveries();

// The form of a profile file (docs/formats.md). What is missing or no number keeps its default.
[[nodiscard]] nlohmann::json toJson(const CriteriaProfile& profile);
[[nodiscard]] CriteriaProfile criteriaProfileFrom(const nlohmann::json& j);
// Errors name file and key: no profile, unknown criterion, limits that are no two numbers or in the wrong
// order.
[[nodiscard]] CriteriaProfile readProfile(const std::filesystem::path& file);

// By what an edge or verdict was decided.
struct Cause {
  std::optional<Criterion> criterion;
  bool person = false;  // a person's verdict stands above the tool's
  [[nodiscard]] bool none() const { return !criterion && !person; }
};
[[nodiscard]] std::string wordsOf(const Cause& cause);  // empty for none

// "towards magenta and yellow" for a shift in a*, b*.
[[nodiscard]] std::string shiftWords(double a, double b);

// Highlight gone in per cent, of the channels whose end is known; nothing where none is.
[[nodiscard]] std::optional<double> worstClip(const TakeMetrics& take);

}  // namespace edge
