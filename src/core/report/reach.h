// What a configuration holds, in stops from grey as a meter at its ISO places it: the two edges of its
// latitude and the clip of its range on one scale. A tone `s` stops from grey is as bright as the grey card
// was in a take at `s`: what that take was judged is what the tone is.
#pragma once
#include "report/findings.h"

namespace edge {

enum class Held { Holds, Cleanable, Lost, Clips };  // in the order of harm
inline constexpr int kHeld = 4;
[[nodiscard]] const char* keyOf(Held held);   // "holds", "cleanable", "lost", "clips"
[[nodiscard]] const char* wordOf(Held held);  // "holds", "with clean-up", "lost", "clips"
[[nodiscard]] std::optional<Held> heldOf(std::string_view key);

struct Reach {
  std::int64_t id = 0;  // of the configuration
  std::string label, body, light;
  double iso = 0;
  // Under edges are negative. Nothing: not measured, or the base itself fails. atLeast: the bracket ended
  // before it.
  std::optional<Limit> cleanUnder, cleanOver, lostUnder, lostOver;
  std::optional<Limit> clip;   // the first channel that clips, above grey
  bool otherProtocol = false;  // than most here: never ranked among the others
  std::vector<Warning> warnings;
};
[[nodiscard]] Reach reachOf(const Finding& finding);
[[nodiscard]] std::vector<Reach> reachesOf(const std::vector<Finding>& findings);

struct Placed {
  std::optional<Held> state;    // nothing: beyond what was tested, or nothing was
  std::optional<Limit> margin;  // stops to the nearest edge that would change the state, never negative
  std::string why;              // of no state

  // Worse than what is asked for. What is not known does harm, unless anything may happen to the tone.
  [[nodiscard]] bool harms(Held may) const { return state ? *state > may : may != Held::Clips; }
};
[[nodiscard]] Placed placed(const Reach& reach, double stopsFromGrey);

}  // namespace edge
