// What will clip, before anything is shot: headroom H(ISO) = H(native) + log2(ISO/native) above grey within
// one gain circuit (docs/method.md, "Stops").
#pragma once
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "plan/recipe.h"

namespace edge {

// What earlier work has measured, by configuration key ("Corvane 35|log|500").
struct Knowledge {
  struct Of {
    std::optional<double> headroomStops;                           // colour-complete clip above grey
    std::optional<double> overGood, overBad, underGood, underBad;  // edges, stops from base
    bool operator==(const Of&) const = default;
  };
  std::map<std::string, Of> by;
  bool operator==(const Knowledge&) const = default;
};
[[nodiscard]] std::string configurationKey(const std::string& body, const std::string& mode, double iso,
                                           const std::string& light = "");

struct Headroom {
  double stops = 0;
  std::string from;  // "measured", "published", "typed"
};
// nullopt: nothing is known.
[[nodiscard]] std::optional<Headroom> headroomAt(const BodySpec& body, const ModeSpec& mode, double iso,
                                                 const Knowledge& known);

struct ToneForecast {
  std::string tone;   // "grey card", "forehead, first head", "white cloth"
  double stops = 0;   // from grey in the base
  double margin = 0;  // to the clip at this step; negative: clipped
};
inline constexpr double kWhiteClothStops = 2.3;  // a white cloth of about 90 %, common practice
[[nodiscard]] std::vector<ToneForecast> forecastAt(const Recipe& recipe, double headroom, double stops);

// Extra steps around measured edges only: halves and thirds between the last good and the first bad step.
[[nodiscard]] std::vector<double> finerSteps(const Knowledge::Of& edges, const std::vector<double>& planned);

}  // namespace edge
