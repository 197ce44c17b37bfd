// Exposure settings as people type them, and the difference of two, split into light and gain.
//   light = 2 log2(T0/T1) + log2(t1/t0) - (ND1 - ND0)/0.30103 + log2(E1/E0) + 2 log2(d0/d1)   (small source)
//   gain  = log2(ISO1/ISO0)
// Only light over- or underexposes a sensor (docs/method.md, "Stops").
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units.h"

namespace edge {

struct ExposureSettings {
  std::optional<TStop> aperture;
  std::optional<Seconds> shutter;
  std::optional<Iso> iso;
  Density nd{0};  // sum of all filters
  std::optional<Lux> light;
  std::optional<Metres> lampDistance;
  std::vector<std::string> understood;  // how each word was read
};

struct ExposureDifference {
  Stops light{0};
  Stops gain{0};
  [[nodiscard]] Stops total() const { return light + gain; }
};

// Reads e.g. "T2.8 1/48 ISO800 ND0.6", "4 1/3", "180deg@24", "T2 2/3 400lux", decimal point or comma.
// Throws UsageError naming the word that can't be read.
[[nodiscard]] ExposureSettings parseSettings(std::string_view text);

// Second against first. Throws UsageError when one names a control that the other leaves open (ND: absent =
// none).
[[nodiscard]] ExposureDifference difference(const ExposureSettings& first, const ExposureSettings& second);

}  // namespace edge
