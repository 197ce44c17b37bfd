// Infrared that leaks past ND filters: black cloth against white, density by density (docs/method.md,
// "Infrared"). Each take is brought to the white's brightness of the weakest filter, then under the display
// transform; the shift is (black - white) in a*, b* less the same of the weakest filter.
#pragma once
#include <nlohmann/json_fwd.hpp>

#include "base/warning.h"
#include "media/missing.h"
#include "recover/criteria.h"
#include "recover/series.h"

namespace edge {

struct InfraredTake {
  std::string name;
  double nd = 0;
  double a = 0, b = 0;            // shift of black against white
  double sigma = 0;               // of its length
  double whiteA = 0, whiteB = 0;  // of the white itself: the filter's own tint
  double brightness = 0;          // stops of the white against the first
  bool whiteClips = false;
  MissingFrames missing{};
};

struct InfraredMeasure {
  std::string black, white;  // regions
  std::string display;
  std::vector<InfraredTake> takes;  // by density
};

struct InfraredResult {
  std::optional<double> cleanUpTo;                         // density
  bool atLeast = false;                                    // the strongest filter is still clean
  std::optional<std::pair<double, double>> colourPerStop;  // a*, b* a stop of ND, from there on
  std::string words;                                       // which way black turns
  std::vector<Warning> warnings;
};

// Errors: no region or patch of role black and white, fewer than two takes with a density.
[[nodiscard]] InfraredMeasure measureInfrared(const Series& series, const Progress& progress);
[[nodiscard]] InfraredResult judgeInfrared(const InfraredMeasure& measure, const CriteriaProfile& profile);

[[nodiscard]] nlohmann::json infraredJson(const InfraredMeasure& measure, const InfraredResult& result);

}  // namespace edge
