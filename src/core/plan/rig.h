// Lamps, lens positions and filters as the numbers a route is made from. Inside plan/ only.
#pragma once
#include "plan/route.h"

namespace edge {

// Light of a lamp at the subject, dimmer full, no gel. Of a disc where its size is known, else a point.
[[nodiscard]] double fullLux(const LampSpec& lamp, double distance);
// The recipe with those lamps alone that burn in this test.
[[nodiscard]] Recipe lampsFor(const Recipe& recipe, const TestSpec& test);
// The lamp whose light is exposed for: the first key, else the first that is no practical. nullptr: none.
[[nodiscard]] const LampSpec* keyLamp(const Recipe& recipe);
// As keyLamp, of those that burn.
[[nodiscard]] const LampSpec* keyOf(const Recipe& recipe, const std::vector<LampSetting>& burning);
// Lamps that follow the key when the light changes: dimmable, no practicals.
[[nodiscard]] bool followsKey(const LampSpec& lamp, const LampSpec& key);

// All lamps moved by one factor, with one gel: the light at the subject that the key and its followers can
// give at their ratios.
struct Rig {
  double factor = 1, gel = 0;
  double low = 0, high = 0;  // lux; equal: can't be changed
  [[nodiscard]] bool holds(double lux) const { return lux >= low * (1 - 1e-9) && lux <= high * (1 + 1e-9); }
};
[[nodiscard]] Rig rigAt(const Recipe& recipe, double factor, double gel);
// Distance factors that no lamp forbids.
struct FactorRange {
  double nearest = 1, farthest = 1;
};
[[nodiscard]] FactorRange factorRange(const Recipe& recipe);
// Lamp settings that give this light, dimmers rounded to four figures as they will be written.
[[nodiscard]] std::vector<LampSetting> lampSettings(const Recipe& recipe, const Rig& rig, double lux);

// Stops that the key gives less at its farthest and more at its nearest, its dimmer unchanged; 0, 0: no lamp.
[[nodiscard]] std::pair<double, double> distanceReach(const Recipe& recipe, const Rig& rig);
// All lamps moved by one factor until the key gives so many stops more; dimmers hold the ratios where sizes
// differ.
[[nodiscard]] Rig moved(const Recipe& recipe, const Rig& rig, double stops);
// How far each lamp can be dimmed down and up from this light.
[[nodiscard]] std::vector<LampEnd> lampEnds(const Recipe& recipe, const Rig& rig, double lux);

struct LensPosition {
  double exact = 4;
  std::string engraved;
};
// Widest first.
[[nodiscard]] std::vector<LensPosition> lensPositions(const LensSpec& lens);

struct FilterStack {
  double density = 0;
  std::vector<double> filters;
};
// Every stack of up to two filters, weakest first, none included.
[[nodiscard]] std::vector<FilterStack> filterStacks(const Recipe& recipe);

// Exposure times around the base in third stops, slowest first.
[[nodiscard]] std::vector<double> shutterTimes(const Recipe& recipe, double base, double fps);

}  // namespace edge
