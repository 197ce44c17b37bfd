// Nominal series: the engraved names of exact values.
//   ISO 100 * 2^(n/3) and shutter 2^(n/3) s in third stops, T-stop 2^(n/6) thirds and 2^(n/4) halves.
// Names follow the usual engravings (common practice); a value that is no name of the series is taken as
// marked.
#pragma once
#include <string>
#include <vector>

#include "base/units.h"

namespace edge {

enum class StepSize { Full, Half, Third };

struct SeriesValue {
  double nominal;  // the engraved name
  double exact;    // what it stands for
};

// T-stops from T0.7 to T64, in full, half or third stops.
[[nodiscard]] std::vector<SeriesValue> tStopSeries(StepSize step);
// ISO speeds from 12 to 819200.
[[nodiscard]] std::vector<SeriesValue> isoSeries(StepSize step);
// Shutter times, as the denominators of 1/N s, from 1/1 to 1/8000.
[[nodiscard]] std::vector<SeriesValue> shutterSeries(StepSize step);
// ND densities 0.1 a third stop, 0.3 a stop; exact = density of that many stops.
[[nodiscard]] std::vector<SeriesValue> ndSeries(StepSize step);

// How a typed value was read: the exact value and a phrase that says so ("T2.8 as the series' 2.828").
template <class Quantity>
struct Reading {
  Quantity exact;
  std::string words;
};

[[nodiscard]] Reading<TStop> readTStop(double marked);
[[nodiscard]] Reading<Iso> readIso(double marked);
[[nodiscard]] Reading<Seconds> readShutter(double marked_1_over);  // marked_1_over: N of 1/N s
// What a shutter of the series is marked with: 1/50 s for its 1/50.8. That is what it runs at against light;
// the exact value belongs to sums of stops. Any other time is returned as it is.
[[nodiscard]] Seconds markedShutter(Seconds exact);

// "EI 640": the engraved name where one lies within a twentieth of a stop, else the number.
[[nodiscard]] std::string eiWords(double ei);

}  // namespace edge
