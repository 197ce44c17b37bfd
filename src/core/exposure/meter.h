// Light meter equations of ISO 2720:1974.
//   incident   E = C N^2 / (t S)   lux,    C = 240..400 (flat receptor), 320..540 (dome)
//   reflected  L = K N^2 / (t S)   cd/m2,  K = 10.6..13.4
// The ranges are from memory; within them makers choose (common practice: 250, 320 to 340, 12.5; 14 lies outside).
#pragma once
#include "base/units.h"

namespace edge {

inline constexpr double kIncidentFlat = 250;  // common practice, within ISO 2720
inline constexpr double kIncidentDome = 330;  // common practice: makers use 320 to 340
inline constexpr double kReflected = 12.5;    // common practice; 14 is the other value in use
inline constexpr double kLuxPerFootCandle = 10.764;

[[nodiscard]] inline Lux luxOfFootCandles(double fc) {
  return Lux(fc * kLuxPerFootCandle);
}
[[nodiscard]] inline double footCandlesOf(Lux e) {
  return e.value() / kLuxPerFootCandle;
}

// Illuminance that gives the correct exposure at these settings.
[[nodiscard]] inline Lux incidentLight(TStop n, Seconds t, Iso s, double c = kIncidentFlat) {
  return Lux(c * n.value() * n.value() / (t.value() * s.value()));
}
// T-stop that gives the correct exposure under this illuminance.
[[nodiscard]] inline TStop apertureFor(Lux e, Seconds t, Iso s, double c = kIncidentFlat) {
  return TStop(std::sqrt(e.value() * t.value() * s.value() / c));
}
// Luminance in cd/m2 that a spot meter calls correct at these settings.
[[nodiscard]] inline double reflectedLuminance(TStop n, Seconds t, Iso s, double k = kReflected) {
  return k * n.value() * n.value() / (t.value() * s.value());
}

}  // namespace edge
