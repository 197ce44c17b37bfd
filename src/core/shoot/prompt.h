// What is said on set about the next take: what changes from the last one, what meter and level should read,
// and ways out when the light or a lamp is not to be had.
#pragma once
#include <optional>
#include <string>
#include <vector>

#include "plan/plan.h"
#include "shoot/log.h"

namespace edge {

struct ShotSoFar {
  int done = 0, skipped = 0, total = 0;  // takes of the plan
};
[[nodiscard]] ShotSoFar shotSoFar(const Plan& plan, const ShootLog& log);

struct PromptChange {
  std::string what, from, to;  // "T", "T4", "T5.6"; from empty: at the start of the day
};

struct Prompt {
  size_t take = 0;  // in plan order
  std::string slate, test;
  int attempt = 1;
  std::vector<PromptChange> changes;  // from the take shot last; empty: nothing changes
  std::string meter;                  // "198 lux (18.4 fc) · T6.3, within a tenth of a stop"
  std::string level;                  // "grey card 38.5 %, white 61.0 % of log code, legal"
  std::string adopted;                // settings that make up for the light; empty: as planned
  std::vector<std::string> cautions;
  std::vector<std::string> sideEffects;  // of the controls used, as the plan says them
  // Three scales side by side, in stops: the label, the offset from the meter, the way to the clip. Only
  // where they mean something: a chart and sitters in metered light.
  bool onScales = false;
  double label = 0, fromMeter = 0;
  std::optional<double> toClip;
  ShotSoFar soFar;
  double secondsLeft = 0;
};

[[nodiscard]] Prompt promptFor(const Recipe& recipe, const Plan& plan, const Knowledge& known,
                               const ShootLog& log, size_t take);
// What a back-lit wedge must show: its first step clips by a little, so that the clip is found on it.
struct WedgeExpectation {
  std::optional<double> luminance;  // of the first step in cd/m2; nothing: the recipe does not say it
  double overClip = 0.5;            // stops by which the first step must clip
  std::optional<double> clip;       // stops from grey; nothing: not known
  std::optional<double> overMeter;  // of the first step
};
[[nodiscard]] WedgeExpectation wedgeExpectation(const Recipe& recipe, const Plan& plan, const Take& take,
                                                const Knowledge& known);

// The first open take from `from` on, then from the start; nullopt: none is left.
[[nodiscard]] std::optional<size_t> nextOpen(const Plan& plan, const ShootLog& log, size_t from = 0);

// The light stands `off` stops from what this take wants (+: too much) and can't be set better. What else
// makes up for it, least side effects first.
struct WayOut {
  std::string words;     // "close the iris from T4 to T4.5"
  std::string settings;  // to be set, as actualTake() reads them
  double rest = 0;       // stops that stay wrong, as measured against the plan
  Control control = Control::Nd;
};
[[nodiscard]] std::vector<WayOut> waysOut(const Recipe& recipe, const Plan& plan, size_t take, double off);

}  // namespace edge
