// Meter readings as people say them: "1.4 and 7/10", "T2 2/3", "40 fc", "430 lux", "12 cd/m2", "+1.3".
#pragma once
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "base/units.h"

namespace edge {

enum class ReadingUnit { Stop, Lux, CandelaPerSquareMetre, Offset };
[[nodiscard]] const char* wordOf(ReadingUnit unit);

struct MeterReading {
  ReadingUnit unit = ReadingUnit::Lux;
  double value = 0;        // T-number, lux, cd/m2, stops from what was expected
  std::string understood;  // "T1.4 and 7/10", "430 lux (40 fc)"
};

// Throws UsageError that quotes the text and shows how readings are written.
[[nodiscard]] MeterReading readReading(std::string_view text);

// What a meter must have been told to say a stop: shutter and ISO of the take, unless it was set otherwise.
struct MeterSetting {
  Seconds shutter{0.02};
  Iso iso{800};
};
// Illuminance behind a reading, less the instrument's own offset (+0.2: it reads two tenths too bright).
// nullopt: a luminance or an offset says nothing about it.
[[nodiscard]] std::optional<Lux> luxOf(const MeterReading& reading, const MeterSetting& meter,
                                       Stops instrumentOffset);
// Luminance of a spot reading in cd/m2 (ISO 2720, K = 12.5); nullopt for lux and offsets.
[[nodiscard]] std::optional<double> luminanceOf(const MeterReading& reading, const MeterSetting& meter,
                                                Stops instrumentOffset);

// Levels read on the camera are worth nothing without the scale they were read on. On a ten-bit signal N:
// legal-percent (N-64)/8.76, full-percent N/10.23, code N; display-percent depends on the look.
enum class LevelScale { LegalPercent, FullPercent, Code10, DisplayPercent };
struct LevelScaleName {
  LevelScale scale;
  const char *key, *words;
};
[[nodiscard]] const std::vector<LevelScaleName>& levelScales();
[[nodiscard]] std::optional<LevelScale> levelScaleOf(const std::string& key);
// The curve's code in 0..1 behind a level, for a signal recorded in legal or full range (ITU-R BT.709: legal
// ten-bit codes run from 64 to 940). nullopt: the display look stands between.
[[nodiscard]] std::optional<double> codeOfLevel(double level, LevelScale scale, bool recordedFull);
[[nodiscard]] std::optional<double> levelOfCode(double code01, LevelScale scale, bool recordedFull);

}  // namespace edge
