// From exposure steps to settings. A base exposure satisfies the incident meter equation (ISO 2720):
//   log2 E - 2 log2 T + log2 t - ND/0.30103 = log2 C - log2 ISO + offset
// and a step of s stops adds s to the left side. ISO is gain and adds nothing to it.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "plan/recipe.h"

namespace edge {

// Light: by dimmers. Distance: all lamps by one factor.
enum class Control { Light, Distance, Nd, Iris, Shutter, Iso };
[[nodiscard]] const char* wordOf(Control c);
[[nodiscard]] const std::vector<std::string>& controlWords();
[[nodiscard]] Control controlOf(const std::string& word);

struct LampSetting {
  std::string name;
  double percent = 100;  // of the dimmer
  Metres distance{2};
  Lux lux{0};          // of this lamp at the subject
  bool fixed = false;  // can't be dimmed or is not moved with the key
};

struct TakeSettings {
  TStop aperture{4};
  std::string engraved;  // "T4", "f/2.8", "T2.8 and 1/3": as the lens shows it
  Seconds shutter{0.02};
  double fps = 24;
  Iso iso{800};
  double isoName = 800;
  Density nd{0};
  std::vector<double> filters;  // densities stacked
  Density gel{0};
  std::vector<LampSetting> lamps;
  Lux light{0};  // at the subject from the key, or its equivalent for a back-lit chart
};

// Light part of the difference, recomputed from lamps, distance, gel, ND, aperture and shutter only.
[[nodiscard]] Stops lightBetween(const TakeSettings& from, const TakeSettings& to);
// Above what the incident meter asks for at these settings (ISO 2720, C = 250).
[[nodiscard]] Stops aboveMeter(const TakeSettings& s);
[[nodiscard]] Stops gainBetween(const TakeSettings& from, const TakeSettings& to);
// The light of the lamps of a recipe at these settings; what a meter should read.
[[nodiscard]] Lux lightOf(const Recipe& recipe, const TakeSettings& s);

// What is asked of one set-up.
struct RouteStep {
  double stops = 0;                          // light from base
  double iso = 0;                            // as named; of the step
  std::optional<double> nd;                  // forced density, else the solver chooses
  std::optional<Control> by = std::nullopt;  // this control alone
};
struct RouteRequest {
  LensSpec lens;
  double fps = 24, baseIso = 800;
  double baseOffset = 0;          // stops over the meter equation
  std::vector<Control> controls;  // best first
  std::vector<RouteStep> steps;   // base (0 stops) included
  std::string baseShutter;        // empty: that of the recipe
  std::optional<Lux> fixedLight;  // a back-lit chart: this light and no other
  size_t body = 0, test = 0;      // indices in the recipe, for remedies
};

struct SolvedStep {
  bool possible = false;
  TakeSettings settings;
  int setup = 0;                  // 0: common or over; 1: under
  double planned = 0, error = 0;  // stops; error: recomputed minus planned
  std::vector<Control> changed;   // against the base of its set-up
  std::string errorWords;         // where a detent or engraving makes the step inexact
  double shortBy = 0;             // impossible: stops missing
  bool tooMuch = false;           // impossible: more light than can be taken away
  std::string limit;              // "lamps at full", "iris wide open", ...
};

struct Rescue {
  std::string words;
  double stopsGained = 0;
  nlohmann::json patch;        // RFC 6902 on the recipe; null: done by hand on set
  std::optional<bool> enough;  // tried: with it the whole series can be had
};

// How far one lamp goes from the base of a set-up: where it bottoms out, where it is full.
struct LampEnd {
  std::string lamp;
  double down = 0, up = 0;  // stops; 0, 0: can't be dimmed
};

struct Route {
  std::vector<TakeSettings> bases;  // one or two set-ups of equal exposure
  std::vector<SolvedStep> steps;    // as asked
  double baseDifference = 0;        // stops between the two bases, recomputed
  Lux needed{0};                    // light that the base asks for at its aperture, no ND
  std::vector<LampEnd> ends;        // of the first set-up
  [[nodiscard]] bool complete() const;
};

[[nodiscard]] Route solveRoute(const Recipe& recipe, const RouteRequest& request);

// What to do for a step that can't be had, cheapest first, with the stops each gains.
[[nodiscard]] std::vector<Rescue> rescues(const Recipe& recipe, const RouteRequest& request,
                                          const Route& route, bool over);

}  // namespace edge
