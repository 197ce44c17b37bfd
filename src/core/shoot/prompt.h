// What is said on set about the next take: what changes from the last one, what meter and level should read,
// and ways out when the light or a lamp is not to be had.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "plan/plan.h"
#include "shoot/log.h"

namespace edge {

struct PromptChange {
  std::string what, from, to;  // "T", "T4", "T5.6"; from empty: at the start of the day
};

struct Prompt {
  size_t take = 0;  // in plan order
  std::string slate, test;
  int attempt = 1;
  std::vector<PromptChange> changes;  // from the take shot last; empty: nothing changes
  std::string meter;                  // "198 lux (18.4 fc) · T6.3, within a tenth of a stop"
  std::string level;                  // "38.5 % of log code, legal"
  std::vector<std::string> cautions;
  // Three scales side by side, in stops: the label, the offset from the meter, the way to the clip.
  double label = 0, fromMeter = 0;
  std::optional<double> toClip;
  int done = 0, skipped = 0, total = 0;
  double secondsLeft = 0;
};

[[nodiscard]] Prompt promptFor(const Recipe& recipe, const Plan& plan, const Knowledge& known,
                               const ShootLog& log, size_t take);
// The first open take from `from` on, then from the start; nullopt: none is left.
[[nodiscard]] std::optional<size_t> nextOpen(const Plan& plan, const ShootLog& log, size_t from = 0);

// The light stands `off` stops from what this take wants (+: too much) and can't be set better. What else
// makes up for it, least side effects first.
struct WayOut {
  std::string words;  // "close the iris from T4 to T4.5"
  double rest = 0;    // stops that stay wrong, as measured against the plan
  Control control = Control::Nd;
};
[[nodiscard]] std::vector<WayOut> waysOut(const Recipe& recipe, const Plan& plan, size_t take, double off);

}  // namespace edge
