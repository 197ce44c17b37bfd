// The sums of a test day as pure functions. Exact values; names of series are resolved before (series.h).
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units.h"

namespace edge {

// --- filters: stops = density / log10(2), factor = 10^density
[[nodiscard]] double filterFactor(Density d);
[[nodiscard]] Density densityOf(Stops s);
[[nodiscard]] Density densityOfFactor(double factor);  // factor >= 1

// --- lamps
// Light at `to` against light at `from`, of a small source: 2 log2(from/to).
[[nodiscard]] Stops distanceStops(Metres from, Metres to);
// The same for a flat diffuse disc of this diameter, on its axis: E = pi L r^2 / (r^2 + d^2).
[[nodiscard]] Stops distanceStops(Metres from, Metres to, Metres diameter);
// How much more light the inverse square law promises, close up, than the disc gives: log2(1 + (r/d)^2).
// 0.014 stop at five diameters, which common practice takes as the limit of the law.
[[nodiscard]] Stops inverseSquareError(Metres distance, Metres diameter);

enum class DimmerLaw { Linear, Square };                            // light = setting, light = setting^2
[[nodiscard]] double dimmerLight(DimmerLaw law, double percent);    // 0..1
[[nodiscard]] double dimmerPercent(DimmerLaw law, double light01);  // inverse

// Evenness over a flat chart lit by one small lamp whose axis meets the chart's middle at `angle` from the
// chart's normal: brightest against darkest point across the width, inverse square and cosine law, in stops.
[[nodiscard]] Stops chartUnevenness(Metres lampDistance, double angleDegrees, Metres chartWidth);

// Planck radiance at 450 nm against 550 nm, in stops: how far blue lies under green (CIE 15; c2 = 0.014388 m
// K).
[[nodiscard]] Stops blueAgainstGreen(double kelvin);

// --- ISO
[[nodiscard]] Iso exposureIndex(Iso iso, Stops over);  // EI = ISO / 2^over
// True when ISO and exposure time go the same way, which doubles the change that was to be undone.
[[nodiscard]] bool isoAndShutterAddUp(Iso from, Seconds shutterFrom, Iso to, Seconds shutterTo);
inline constexpr const char* kIsoAndShutterAddUp =
    "ISO and exposure time go the same way: they add up instead of making up for each other. "
    "A higher ISO wants a shorter time.";

// --- meter notation: "1.4 and 7/10" is T1.4 closed by seven tenths of a stop.
// Also "1.4 7/10", "2.8 2/3", "T4 and 1/3", "5.6+0.3". nullopt when it makes no sense.
[[nodiscard]] std::optional<TStop> readMeterStop(std::string_view text);
[[nodiscard]] std::string meterNotation(TStop t);  // "T1.4 and 7/10"
// What a meter says against the settings: + means more light than they want.
[[nodiscard]] Stops meterOffset(TStop metered, TStop set);
// A label counted from a base that was itself metered off: label +2 on a base at +1.7 is +3.7.
[[nodiscard]] Stops restate(Stops label, Stops baseOffset);

// --- shutter
[[nodiscard]] Seconds shutterOfAngle(double degrees, double fps);
[[nodiscard]] double angleOfShutter(Seconds t, double fps);
// Flicker: exposure must hold whole periods of the light, which beats at twice the mains frequency.
// Distance to the nearest whole number of periods (at least one), in periods: 0 is safe.
[[nodiscard]] double flickerRemainder(Seconds t, double lightHz);
// The longest flicker-safe time not above `t`, or the shortest one there is.
[[nodiscard]] Seconds flickerSafe(Seconds t, double lightHz);

// --- data. Bits and bytes are kept apart: Mb/s is 10^6 bit/s, MB/s 8 times as much; GB 10^9, GiB 2^30 bytes.
struct DataRate {
  double bitsPerSecond = 0;
  [[nodiscard]] double megabitsPerSecond() const { return bitsPerSecond / 1e6; }
  [[nodiscard]] double megabytesPerSecond() const { return bitsPerSecond / 8e6; }
};
[[nodiscard]] DataRate uncompressedRate(double width, double height, double bitsPerPixel, double fps);
[[nodiscard]] Seconds cardTime(double bytes, DataRate rate, double reserve01);
[[nodiscard]] double gibOf(double bytes);

// --- sensor
[[nodiscard]] double cropFactor(double widthMm, double heightMm, double referenceWidthMm,
                                double referenceHeightMm);
// readout = (rows / rows per strobe period) / strobe frequency
[[nodiscard]] Seconds readoutTime(double rows, double rowsPerPeriod, double strobeHz);

}  // namespace edge
