// Units as types, so that stops never meet densities by accident. value() leaves the unit knowingly.
#pragma once
#include <cmath>
#include <compare>
#include <numbers>

namespace edge {

inline constexpr double kDegrees = 180 / std::numbers::pi;  // to a radian

template <class Tag>
class Unit {
 public:
  constexpr Unit() = default;
  constexpr explicit Unit(double v) : value_(v) {}
  [[nodiscard]] constexpr double value() const { return value_; }
  friend constexpr auto operator<=>(const Unit&, const Unit&) = default;
  friend constexpr Unit operator+(Unit a, Unit b) { return Unit(a.value_ + b.value_); }
  friend constexpr Unit operator-(Unit a, Unit b) { return Unit(a.value_ - b.value_); }
  friend constexpr Unit operator-(Unit a) { return Unit(-a.value_); }
  friend constexpr Unit operator*(double k, Unit a) { return Unit(k * a.value_); }

 private:
  double value_ = 0;
};

using Stops = Unit<struct StopsTag>;      // log2 of a ratio of light
using TStop = Unit<struct TStopTag>;      // transmission-corrected aperture number
using Seconds = Unit<struct SecondsTag>;  // exposure time
using Iso = Unit<struct IsoTag>;          // ISO speed as set
using Lux = Unit<struct LuxTag>;          // illuminance
using Metres = Unit<struct MetresTag>;    // lamp to subject
using Density = Unit<struct DensityTag>;  // optical density, log10

inline constexpr double kMiddleGrey = 0.18;         // scene-linear value of an 18 % card
inline constexpr double kDensityPerStop = 0.30103;  // log10(2)

[[nodiscard]] inline Stops stopsOf(Density d) {
  return Stops(d.value() / kDensityPerStop);
}
[[nodiscard]] inline Stops stopsOfRatio(double ratio) {
  return Stops(std::log2(ratio));
}
[[nodiscard]] inline double ratioOf(Stops s) {
  return std::exp2(s.value());
}

}  // namespace edge
