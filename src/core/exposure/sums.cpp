#include "exposure/sums.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "exposure/series.h"

namespace edge {
namespace {

constexpr double kRadiansPerDegree = 3.14159265358979323846 / 180;

// "7/10", "2/3", "0.3" as a part of a stop.
std::optional<double> partOfStop(std::string_view text) {
  const auto slash = text.find('/');
  if (slash == std::string_view::npos) return parseNumber(text);
  const auto above = parseNumber(text.substr(0, slash)), below = parseNumber(text.substr(slash + 1));
  if (!above || !below || *below <= 0) return std::nullopt;
  return *above / *below;
}

}  // namespace

double filterFactor(Density d) {
  return std::pow(10.0, d.value());
}
Density densityOf(Stops s) {
  return Density(s.value() * kDensityPerStop);
}
Density densityOfFactor(double factor) {
  return Density(std::log10(factor));
}

Stops distanceStops(Metres from, Metres to) {
  return Stops(2 * std::log2(from.value() / to.value()));
}

Stops distanceStops(Metres from, Metres to, Metres diameter) {
  const double r2 = diameter.value() * diameter.value() / 4;
  return Stops(std::log2((r2 + from.value() * from.value()) / (r2 + to.value() * to.value())));
}

Stops inverseSquareError(Metres distance, Metres diameter) {
  const double ratio = diameter.value() / 2 / distance.value();
  return Stops(std::log2(1 + ratio * ratio));
}

double dimmerLight(DimmerLaw law, double percent) {
  const double x = percent / 100;
  return law == DimmerLaw::Square ? x * x : x;
}

double dimmerPercent(DimmerLaw law, double light) {
  return 100 * (law == DimmerLaw::Square ? std::sqrt(light) : light);
}

Stops chartUnevenness(Metres lampDistance, double angleDegrees, Metres chartWidth) {
  const double a = angleDegrees * kRadiansPerDegree, d = lampDistance.value();
  const double x = d * std::sin(a), z = d * std::cos(a);
  double low = 1e300, high = 0;
  constexpr int kPoints = 201;
  for (int i = 0; i < kPoints; ++i) {
    const double p = chartWidth.value() * (static_cast<double>(i) / (kPoints - 1) - 0.5);
    const double r2 = (x - p) * (x - p) + z * z;
    const double light = z / (r2 * std::sqrt(r2));  // cosine / distance^2
    low = std::min(low, light), high = std::max(high, light);
  }
  return Stops(std::log2(high / low));
}

Stops blueAgainstGreen(double kelvin) {
  constexpr double kC2 = 0.014387769, kBlue = 450e-9, kGreen = 550e-9;
  const auto radiance = [&](double lambda) {
    return 1 / (std::pow(lambda, 5) * std::expm1(kC2 / (lambda * kelvin)));
  };
  return Stops(std::log2(radiance(kBlue) / radiance(kGreen)));
}

Iso exposureIndex(Iso iso, Stops over) {
  return Iso(iso.value() / ratioOf(over));
}

bool isoAndShutterAddUp(Iso from, Seconds shutterFrom, Iso to, Seconds shutterTo) {
  const double gain = std::log2(to.value() / from.value());
  const double time = std::log2(shutterTo.value() / shutterFrom.value());
  return gain * time > 1e-9;
}

std::optional<TStop> readMeterStop(std::string_view text) {
  std::string t = lower(trim(text));
  if (!t.empty() && (t.front() == 't' || t.front() == 'f')) t.erase(0, 1);
  if (!t.empty() && t.front() == '/') t.erase(0, 1);
  for (const std::string joint : {" and ", "+"})
    if (const auto at = t.find(joint); at != std::string::npos)
      t = t.substr(0, at) + ' ' + t.substr(at + joint.size());
  const auto words = splitWords(t);
  if (words.empty() || words.size() > 2) return std::nullopt;
  const auto marked = parseNumber(words[0]);
  if (!marked || *marked < 0.5 || *marked > 256) return std::nullopt;
  double extra = 0;
  if (words.size() == 2) {
    const auto part = partOfStop(words[1]);
    if (!part || *part < 0 || *part >= 1) return std::nullopt;
    extra = *part;
  }
  return TStop(readTStop(*marked).exact.value() * std::exp2(extra / 2));
}

std::string meterNotation(TStop t) {
  const auto series = tStopSeries(StepSize::Full);
  const SeriesValue* full = &series.front();
  for (const auto& v : series)
    if (v.exact <= t.value() * (1 + 1e-9)) full = &v;
  int tenths = static_cast<int>(std::lround(20 * std::log2(t.value() / full->exact)));
  if (tenths >= 10 && full != &series.back()) ++full, tenths -= 10;
  if (tenths <= 0) return fmt::format("T{:g}", full->nominal);
  return fmt::format("T{:g} and {}/10", full->nominal, tenths);
}

Stops meterOffset(TStop metered, TStop set) {
  return Stops(2 * std::log2(metered.value() / set.value()));
}

Stops restate(Stops label, Stops baseOffset) {
  return label + baseOffset;
}

Seconds shutterOfAngle(double degrees, double fps) {
  return Seconds(degrees / 360 / fps);
}
double angleOfShutter(Seconds t, double fps) {
  return t.value() * fps * 360;
}

double flickerRemainder(Seconds t, double lightHz) {
  const double periods = t.value() * lightHz;
  return std::abs(periods - std::max(1.0, std::round(periods)));
}

Seconds flickerSafe(Seconds t, double lightHz) {
  return Seconds(std::max(1.0, std::floor(t.value() * lightHz + 1e-6)) / lightHz);
}

DataRate uncompressedRate(double width, double height, double bitsPerPixel, double fps) {
  return {width * height * bitsPerPixel * fps};
}

Seconds cardTime(double bytes, DataRate rate, double reserve) {
  return Seconds(bytes * (1 - reserve) * 8 / rate.bitsPerSecond);
}

double gibOf(double bytes) {
  return bytes / (1024.0 * 1024 * 1024);
}

double cropFactor(double w, double h, double referenceW, double referenceH) {
  return std::hypot(referenceW, referenceH) / std::hypot(w, h);
}

Seconds readoutTime(double rows, double rowsPerPeriod, double strobeHz) {
  return Seconds(rows / rowsPerPeriod / strobeHz);
}

}  // namespace edge
