// What every check of a take looks at; internal to the checks.
#pragma once
#include "match/take_checks.h"

namespace edge {

struct CheckContext {
  const TakeEvidence &take, &base;
  const Chart& chart;
  const Plateau& plateau;
  const TakeExpectation& expected;
  std::vector<size_t> neutrals;
  std::optional<BringBack> back;  // take against base; nullopt: they can't be compared

  // More than a thousandth of its pixels at the end of a channel.
  [[nodiscard]] bool clipped(const AreaStats& a) const;
  [[nodiscard]] bool anythingClips() const;
};

// A figure counts as off only where it stands so many standard errors from zero.
inline constexpr double kTellingSigmas = 4;

// Checks that need the whole picture: framing, focus, vignetting, changes in the scene.
void checkPictures(const CheckContext& c, std::vector<TakeCheck>& out);

// Middle of a quad as shares of the chart's reference raster, as evidence.
[[nodiscard]] nlohmann::json placeOf(const Chart& chart, const Quad& corners);

}  // namespace edge
