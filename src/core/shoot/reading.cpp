#include "shoot/reading.h"

#include <fmt/format.h>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/meter.h"
#include "exposure/sums.h"

namespace edge {
namespace {

constexpr double kLegalBlack = 64, kLegalSpan = 876, kFullSpan = 1023;  // ITU-R BT.709, ten bits

struct UnitWord {
  const char* word;
  ReadingUnit unit;
  double factor;
};
// Longest first: "fc" must not hide in "cd/ft2".
constexpr UnitWord kUnits[] = {{"foot-candles", ReadingUnit::Lux, kLuxPerFootCandle},
                               {"footcandles", ReadingUnit::Lux, kLuxPerFootCandle},
                               {"cd/m\u00b2", ReadingUnit::CandelaPerSquareMetre, 1},
                               {"cd/m2", ReadingUnit::CandelaPerSquareMetre, 1},
                               {"nits", ReadingUnit::CandelaPerSquareMetre, 1},
                               {"klux", ReadingUnit::Lux, 1000},
                               {"lux", ReadingUnit::Lux, 1},
                               {"lx", ReadingUnit::Lux, 1},
                               {"fc", ReadingUnit::Lux, kLuxPerFootCandle}};

// U+2212, as our own screens print it.
std::string plainMinus(const std::string& t) {
  static const std::string minus = "\u2212";
  std::string out;
  for (size_t i = 0; i < t.size(); ++i)
    if (t.compare(i, minus.size(), minus) == 0)
      out += '-', i += minus.size() - 1;
    else
      out += t[i];
  return out;
}

bool endsWith(const std::string& t, const std::string& end) {
  return t.size() > end.size() && t.compare(t.size() - end.size(), end.size(), end) == 0;
}

std::string describe(ReadingUnit unit, double v) {
  switch (unit) {
    case ReadingUnit::Stop:
      return meterNotation(TStop(v));
    case ReadingUnit::Lux:
      return fmt::format("{:.4g} lux ({:.3g} fc)", v, footCandlesOf(Lux(v)));
    case ReadingUnit::CandelaPerSquareMetre:
      return fmt::format("{:.4g} cd/m\u00b2", v);
    case ReadingUnit::Offset:
      return formatSigned(v, 2) + " stops";
  }
  return {};
}

[[noreturn]] void refuse(std::string_view text) {
  throw UsageError(fmt::format("\"{}\" is no meter reading", std::string(text.substr(0, 60))), "reading", "",
                   "write it as T2.8, 1.4 and 7/10, 430 lux, 40 fc, 12 cd/m2 or +1.3");
}

MeterReading made(ReadingUnit unit, double v, double low, double high, std::string_view text) {
  if (!(v >= low && v <= high)) refuse(text);
  return {unit, v, describe(unit, v)};
}

}  // namespace

const char* wordOf(ReadingUnit unit) {
  constexpr const char* kWords[] = {"stop", "lux", "cd/m2", "offset"};
  return kWords[static_cast<int>(unit)];
}

MeterReading readReading(std::string_view text) {
  const std::string t = plainMinus(lower(trim(text)));
  if (t.empty()) refuse(text);
  for (const auto& u : kUnits)
    if (endsWith(t, u.word)) {
      const auto v = parseNumber(trim(t.substr(0, t.size() - std::string(u.word).size())));
      if (!v) refuse(text);
      return made(u.unit, *v * u.factor, 1e-4, 2e5, text);
    }
  if (t.front() == '+' || t.front() == '-') {
    std::string number = t;
    for (const char* word : {"stops", "stop"})
      if (endsWith(number, word)) number = trim(number.substr(0, number.size() - std::string(word).size()));
    const auto v = parseNumber(number);
    if (!v) refuse(text);
    return made(ReadingUnit::Offset, *v, -20, 20, text);
  }
  const auto stop = readMeterStop(t);
  if (!stop) refuse(text);
  return made(ReadingUnit::Stop, stop->value(), 0.5, 256, text);
}

std::optional<Lux> luxOf(const MeterReading& r, const MeterSetting& meter, Stops instrumentOffset) {
  const double correction = std::exp2(-instrumentOffset.value());
  if (r.unit == ReadingUnit::Lux) return Lux(r.value * correction);
  if (r.unit == ReadingUnit::Stop)
    return Lux(incidentLight(TStop(r.value), meter.shutter, meter.iso).value() * correction);
  return std::nullopt;
}

std::optional<double> luminanceOf(const MeterReading& r, const MeterSetting& meter, Stops instrumentOffset) {
  const double correction = std::exp2(-instrumentOffset.value());
  if (r.unit == ReadingUnit::CandelaPerSquareMetre) return r.value * correction;
  if (r.unit == ReadingUnit::Stop)
    return reflectedLuminance(TStop(r.value), meter.shutter, meter.iso) * correction;
  return std::nullopt;
}

const std::vector<LevelScaleName>& levelScales() {
  static const std::vector<LevelScaleName> names = {
      {LevelScale::LegalPercent, "legal-percent", "% of legal range"},
      {LevelScale::FullPercent, "full-percent", "% of full range"},
      {LevelScale::Code10, "code", "ten-bit code"},
      {LevelScale::DisplayPercent, "display-percent", "% on the display look"}};
  return names;
}

std::optional<LevelScale> levelScaleOf(const std::string& key) {
  for (const auto& n : levelScales())
    if (n.key == key) return n.scale;
  return std::nullopt;
}

std::optional<double> codeOfLevel(double level, LevelScale scale, bool recordedFull) {
  if (scale == LevelScale::DisplayPercent) return std::nullopt;
  const double n = scale == LevelScale::LegalPercent  ? kLegalBlack + kLegalSpan * level / 100
                   : scale == LevelScale::FullPercent ? kFullSpan * level / 100
                                                      : level;
  return recordedFull ? n / kFullSpan : (n - kLegalBlack) / kLegalSpan;
}

std::optional<double> levelOfCode(double code, LevelScale scale, bool recordedFull) {
  if (scale == LevelScale::DisplayPercent) return std::nullopt;
  const double n = recordedFull ? kFullSpan * code : kLegalBlack + kLegalSpan * code;
  return scale == LevelScale::LegalPercent  ? 100 * (n - kLegalBlack) / kLegalSpan
         : scale == LevelScale::FullPercent ? 100 * n / kFullSpan
                                            : n;
}

}  // namespace edge
