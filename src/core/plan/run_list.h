// The run list: one line a take, as the assistant holds it. CSV, JSON and the rows that a page or a table
// shows.
#pragma once
#include "plan/plan.h"

namespace edge {

struct RunLine {
  int number = 0;
  std::string clock;  // "09:12"
  std::string test, slate, body, mode, iso, aperture, shutter, nd, lamps, light, level, change, cautions;
  double stops = 0;
};

[[nodiscard]] std::vector<RunLine> runLines(const Recipe& recipe, const Plan& plan,
                                            const Knowledge& known = {});
// RFC 4180 with a header line; the exact exposure and its proof beside what is set.
[[nodiscard]] std::string runListCsv(const Recipe& recipe, const Plan& plan, const Knowledge& known = {},
                                     const std::string& notice = {});
[[nodiscard]] nlohmann::json planJson(const Recipe& recipe, const Plan& plan, const Knowledge& known = {});

// "2 h 46 min", "4.2 GB (3.9 GiB)"
[[nodiscard]] std::string durationWords(double seconds);
[[nodiscard]] std::string sizeWords(double bytes);
[[nodiscard]] std::string lightWords(Lux light);  // "807 lux (75 fc)"
// "172.8° (1/50)", the dimmer of each lamp, the filters: as set.
[[nodiscard]] std::string shutterWords(const TakeSettings& s);
[[nodiscard]] std::string lampWords(const TakeSettings& s);
[[nodiscard]] nlohmann::json toJson(const Protocol& protocol);
[[nodiscard]] std::string filterWords(const TakeSettings& s);

}  // namespace edge
