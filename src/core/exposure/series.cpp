#include "exposure/series.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.h"

namespace edge {
namespace {

// Exact values base * 2^(n / perStop) for n = first.. with the engraved names in order.
std::vector<SeriesValue> build(double base, double perStop, int first, std::initializer_list<double> names) {
  std::vector<SeriesValue> series;
  int n = first;
  for (double name : names) series.push_back({name, base * std::exp2(n++ / perStop)});
  return series;
}

std::vector<SeriesValue> every(const std::vector<SeriesValue>& series, int stride) {
  std::vector<SeriesValue> out;
  for (size_t i = 0; i < series.size(); i += stride) out.push_back(series[i]);
  return out;
}

const std::vector<SeriesValue>& tThirds() {
  static const auto s = build(1, 6, -3, {0.7, 0.8, 0.9, 1.0, 1.1, 1.3, 1.4, 1.6, 1.8, 2,  2.2, 2.5, 2.8, 3.2,
                                         3.5, 4,   4.5, 5,   5.6, 6.3, 7.1, 8,   9,   10, 11,  13,  14,  16,
                                         18,  20,  22,  25,  29,  32,  36,  40,  45,  51, 57,  64});
  return s;
}

const std::vector<SeriesValue>& tHalves() {
  static const auto s = build(1, 4, -2, {0.7, 0.8, 1.0, 1.2, 1.4, 1.7, 2,  2.4, 2.8, 3.3, 4,  4.8, 5.6, 6.7,
                                         8,   9.5, 11,  13,  16,  19,  22, 27,  32,  38,  45, 54,  64});
  return s;
}

const std::vector<SeriesValue>& isoThirds() {
  static const auto s =
      build(100, 3, -9, {12,     16,     20,     25,     32,     40,     50,     64,     80,    100,
                         125,    160,    200,    250,    320,    400,    500,    640,    800,   1000,
                         1250,   1600,   2000,   2500,   3200,   4000,   5000,   6400,   8000,  10000,
                         12800,  16000,  20000,  25600,  32000,  40000,  51200,  64000,  80000, 102400,
                         128000, 160000, 204800, 256000, 320000, 409600, 512000, 640000, 819200});
  return s;
}

const std::vector<SeriesValue>& shutterThirds() {
  static const auto s =
      build(1, 3, 0, {1,   1.3, 1.6,  2,    2.5,  3,    4,    5,    6,    8,    10,   13,  15,  20,
                      25,  30,  40,   50,   60,   80,   100,  125,  160,  200,  250,  320, 400, 500,
                      640, 800, 1000, 1250, 1600, 2000, 2500, 3200, 4000, 5000, 6400, 8000});
  return s;
}

// Half-stop names of ISO and shutter are not engraved anywhere in common use: the exact value rounded to 3
// digits.
std::vector<SeriesValue> halves(double base, int count) {
  std::vector<SeriesValue> out;
  for (int n = 0; n < count; ++n) {
    const double exact = base * std::exp2(n / 2.0);
    const double unit = std::pow(10, std::floor(std::log10(exact)) - 2);
    out.push_back({std::round(exact / unit) * unit, exact});
  }
  return out;
}

// The value of the series that bears this name; where two series use it for different values, the nearer one.
const SeriesValue* find(double marked, std::initializer_list<const std::vector<SeriesValue>*> lists) {
  const SeriesValue* best = nullptr;
  for (const auto* list : lists)
    for (const auto& v : *list)
      if (std::abs(v.nominal - marked) < 1e-6 * marked &&
          (!best || std::abs(v.exact - marked) < std::abs(best->exact - marked)))
        best = &v;
  return best;
}

template <class Quantity>
Reading<Quantity> read(double marked, const SeriesValue* found, const char* name) {
  if (!found) return {Quantity(marked), fmt::format("{}{:g} as marked", name, marked)};
  return {Quantity(found->exact), fmt::format("{}{:g} as the series' {:.4g}", name, marked, found->exact)};
}

}  // namespace

std::vector<SeriesValue> tStopSeries(StepSize step) {
  if (step == StepSize::Half) return tHalves();
  return every(tThirds(), step == StepSize::Full ? 3 : 1);
}

std::vector<SeriesValue> isoSeries(StepSize step) {
  if (step == StepSize::Half) return halves(12.5, 33);
  return every(isoThirds(), step == StepSize::Full ? 3 : 1);
}

std::vector<SeriesValue> shutterSeries(StepSize step) {
  if (step == StepSize::Half) return halves(1, 27);
  return every(shutterThirds(), step == StepSize::Full ? 3 : 1);
}

std::vector<SeriesValue> ndSeries(StepSize step) {
  const double stops = step == StepSize::Full ? 1 : step == StepSize::Half ? 0.5 : 1.0 / 3;
  std::vector<SeriesValue> out;
  for (int n = 1; n * stops <= 10 + 1e-9; ++n)
    out.push_back({std::round(n * stops * 30) / 100, n * stops * kDensityPerStop});
  return out;
}

Reading<TStop> readTStop(double marked) {
  // T3.4 is the other engraving of the half stop 3.36.
  const double name = std::abs(marked - 3.4) < 1e-9 ? 3.3 : marked;
  auto r = read<TStop>(name, find(name, {&tThirds(), &tHalves()}), "T");
  if (name != marked) r.words = fmt::format("T{:g} as the series' {:.4g}", marked, r.exact.value());
  return r;
}

Reading<Iso> readIso(double marked) {
  return read<Iso>(marked, find(marked, {&isoThirds()}), "ISO ");
}

Seconds markedShutter(Seconds exact) {
  const double over = 1 / exact.value();
  for (const auto& v : shutterThirds())
    if (std::abs(v.exact - over) < 1e-6 * over) return Seconds(1 / v.nominal);
  return exact;
}

Reading<Seconds> readShutter(double marked) {
  const auto r = read<Seconds>(marked, find(marked, {&shutterThirds()}), "1/");
  return {Seconds(1 / r.exact.value()), r.words + " s"};
}

std::string eiWords(double ei) {
  constexpr double kNear = 0.05;  // stops: 397 is said as 400
  const auto series = isoSeries(StepSize::Third);
  const auto distance = [ei](const SeriesValue& v) { return std::abs(std::log2(v.exact / ei)); };
  const auto near = std::min_element(series.begin(), series.end(),
                                     [&](const auto& a, const auto& b) { return distance(a) < distance(b); });
  const bool named = near != series.end() && distance(*near) < kNear;
  return "EI " + formatNumber(named ? near->nominal : ei, 0);
}

}  // namespace edge
