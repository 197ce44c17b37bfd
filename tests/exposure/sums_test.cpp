// The sums of a test day against standards and common practice.
#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "exposure/meter.h"
#include "exposure/series.h"
#include "exposure/settings.h"
#include "exposure/sum_sheets.h"
#include "exposure/sums.h"

namespace edge {
namespace {

SumResult run(const std::string& id, std::map<std::string, std::string> values) {
  for (const auto& s : sumSheets()) {
    if (s.id != id) continue;
    for (const auto& f : s.fields) values.try_emplace(f.key, f.initial);
    return s.run(values);
  }
  ADD_FAILURE() << "no sheet " << id;
  return {};
}

// Density to stops: 1/log10(2) = 3.3219 stops per unit of density (definition; ISO 5-1, from memory).
TEST(Sums, DensityIsThreePointThreeTwoOneNineStops) {
  EXPECT_NEAR(stopsOf(Density(1)).value(), 3.3219, 1e-4);
  EXPECT_NEAR(filterFactor(Density(0.3)), 1.9953, 1e-4);
  EXPECT_NEAR(densityOf(Stops(2)).value(), 0.60206, 1e-5);
  EXPECT_NEAR(densityOfFactor(8).value(), 0.90309, 1e-5);
  EXPECT_NEAR(stopsOf(densityOfFactor(8)).value(), 3, 1e-5);
}

// Inverse square law, worked example of lighting handbooks: twice the distance, a quarter of the light
// (common practice).
TEST(Sums, TwiceTheDistanceIsTwoStopsLess) {
  EXPECT_DOUBLE_EQ(distanceStops(Metres(2), Metres(4)).value(), -2);
  EXPECT_NEAR(distanceStops(Metres(3), Metres(1.5)).value(), 2, 1e-12);
}

// A Lambertian disc on its axis: E = pi L r^2 / (r^2 + d^2) (closed form of the cosine law; CIE textbook
// result, from memory). At five diameters the inverse square law is right to 1 % (five-times rule, common
// practice).
TEST(Sums, InverseSquareHoldsFromFiveDiametersOn) {
  EXPECT_NEAR(inverseSquareError(Metres(5), Metres(1)).value(), std::log2(1.01), 1e-12);
  EXPECT_NEAR(distanceStops(Metres(0.5), Metres(1), Metres(1)).value(), std::log2(0.5 / 1.25), 1e-12);
  EXPECT_NEAR(distanceStops(Metres(10), Metres(20), Metres(0.5)).value(), -2, 0.002);
  EXPECT_NE(run("distance", {{"from", "0.5"}, {"to", "1"}, {"lamp size", "1"}}).warning, "");
}

// 100 fc at ISO 100 and 1/50 s is near T2.8 (common practice); C = 250 of ISO 2720.
TEST(Sums, AHundredFootCandlesAreAboutT28) {
  const auto r = run("light", {{"light", "100fc"}, {"iso", "100"}, {"shutter", "1/50"}});
  EXPECT_EQ(r.answers[0].value.rfind("T2.8", 0), 0U) << r.answers[0].value;
  EXPECT_NEAR(2 * std::log2(apertureFor(luxOfFootCandles(100), Seconds(0.02), Iso(100)).value() / 2.8), 0,
              0.15);
  // The same equation the other way round.
  EXPECT_NEAR(incidentLight(TStop(4), Seconds(1.0 / 48), Iso(800)).value(), 250 * 16 * 48 / 800.0, 1e-9);
  EXPECT_EQ(run("light", {{"light", ""}, {"aperture", "4"}, {"shutter", "180deg"}, {"iso", "800"}})
                .answers[0]
                .value,
            "240 lux");
}

// ISO 12232: exposure index is the ISO setting that the exposure given would be correct for.
TEST(Sums, ExposureIndexHalvesWithEveryStopOver) {
  EXPECT_DOUBLE_EQ(exposureIndex(Iso(800), Stops(1)).value(), 400);
  EXPECT_NEAR(exposureIndex(Iso(800), Stops(-1.0 / 3)).value(), 1008, 0.5);
}

TEST(Sums, MeterNotationGoesBothWays) {
  EXPECT_NEAR(readMeterStop("1.4 and 7/10")->value(), std::sqrt(2) * std::exp2(0.35), 1e-12);
  EXPECT_NEAR(readMeterStop("T2.8 2/3")->value(), std::exp2(1.5 + 1.0 / 3), 1e-12);
  EXPECT_NEAR(readMeterStop("5,6")->value(), std::exp2(2.5), 1e-12);
  EXPECT_NEAR(readMeterStop("f/4 + 0.3")->value(), std::exp2(2.15), 1e-12);
  EXPECT_EQ(meterNotation(*readMeterStop("1.4 and 7/10")), "T1.4 and 7/10");
  EXPECT_EQ(meterNotation(TStop(4)), "T4");
  EXPECT_EQ(meterNotation(TStop(3.99)), "T4") << "rounded up to the next full stop";
  for (const char* bad : {"", "banana", "1.4 and 12/10", "1.4 2 3", "0", "-2", "4 1/0", "nan"})
    EXPECT_FALSE(readMeterStop(bad)) << bad;
}

// Common practice: the count starts from an exposure already +1.7 over: label +2 is +3.7.
TEST(Sums, ALabelOnAnOverexposedBaseIsRestated) {
  EXPECT_DOUBLE_EQ(restate(Stops(2), Stops(1.7)).value(), 3.7);
}

// Flicker-safe shutter: 172.8 degrees at 24 fps under 50 Hz mains, 144 at 24 fps under 60 Hz (common
// practice).
TEST(Sums, MainsFlickerSafeAngles) {
  EXPECT_NEAR(angleOfShutter(flickerSafe(shutterOfAngle(180, 24), 100), 24), 172.8, 1e-9);
  EXPECT_NEAR(angleOfShutter(flickerSafe(shutterOfAngle(180, 24), 120), 24), 144, 1e-9);
  EXPECT_LT(flickerRemainder(shutterOfAngle(172.8, 24), 100), 1e-9);
  EXPECT_GT(flickerRemainder(shutterOfAngle(180, 24), 100), 0.08);
  EXPECT_NEAR(flickerRemainder(Seconds(1.0 / 400), 100), 0.75, 1e-9)
      << "shorter than one period is never safe";
  EXPECT_NE(run("flicker", {{"shutter", "180deg"}}).warning, "");
  EXPECT_EQ(run("flicker", {{"shutter", "172.8deg"}}).warning, "");
}

// SI prefixes: 1 MB/s = 8 Mb/s; 1 GiB = 2^30 bytes (IEC 80000-13).
TEST(Sums, BytesAndBitsAreKeptApart) {
  EXPECT_DOUBLE_EQ(DataRate{880e6}.megabytesPerSecond(), 110);
  EXPECT_NEAR(gibOf(1e9), 0.931323, 1e-6);
  EXPECT_NEAR(cardTime(512e9, DataRate{880e6}, 0.1).value(), 512e9 * 0.9 / 110e6, 1e-6);
  const auto asBits = run("card", {{"rate", "110"}, {"rate in", "Mb/s"}}),
             asBytes = run("card", {{"rate", "110"}, {"rate in", "MB/s"}});
  EXPECT_NEAR(std::stod(asBits.answers[0].value) / std::stod(asBytes.answers[0].value), 8, 0.01);
  EXPECT_DOUBLE_EQ(uncompressedRate(1920, 1080, 30, 24).bitsPerSecond, 1920.0 * 1080 * 30 * 24);
}

// Planck's law at 450 and 550 nm (CIE 15) gives -1.17 stop at 3200 K and -3.79 at 1600 K.
TEST(Sums, BlueIsLostInWarmLight) {
  EXPECT_NEAR(blueAgainstGreen(3200).value(), -1.17, 0.01);
  EXPECT_NEAR(blueAgainstGreen(1600).value(), -3.79, 0.01);
}

// Geometry: inverse square and cosine from the far to the near edge, worked by hand for a lamp at 45 degrees.
TEST(Sums, AChartLitFromOneSideIsUneven) {
  const double d = 1, w = 0.4, x = d * std::sqrt(0.5), z = x;
  const auto light = [&](double p) { return z / std::pow((x - p) * (x - p) + z * z, 1.5); };
  EXPECT_NEAR(chartUnevenness(Metres(d), 45, Metres(w)).value(), std::log2(light(w / 2) / light(-w / 2)),
              1e-9);
  EXPECT_LT(chartUnevenness(Metres(4), 45, Metres(w)).value(),
            0.25 * chartUnevenness(Metres(1), 45, Metres(w)).value() + 0.05);
}

TEST(Sums, CropAndReadout) {
  // Diagonals: a 24 x 16 mm format against 36 x 24 mm is 1.5 (common practice).
  EXPECT_NEAR(cropFactor(24, 16, 36, 24), 1.5, 1e-12);
  EXPECT_NEAR(readoutTime(2160, 216, 1000).value(), 0.010, 1e-12);
  EXPECT_NE(
      run("readout", {{"rows", "2160"}, {"rows per bar pair", "20"}, {"strobe Hz", "1000"}, {"fps", "24"}})
          .warning,
      "");
}

TEST(Sums, DimmerLaws) {
  EXPECT_DOUBLE_EQ(dimmerLight(DimmerLaw::Square, 50), 0.25);
  EXPECT_DOUBLE_EQ(dimmerPercent(DimmerLaw::Square, 0.25), 50);
  EXPECT_DOUBLE_EQ(dimmerPercent(DimmerLaw::Linear, 0.25), 25);
}

// Common practice: a slower shutter for a higher ISO adds up instead of making up.
TEST(Sums, SlowerShutterForHigherIsoIsCaught) {
  EXPECT_TRUE(isoAndShutterAddUp(Iso(800), Seconds(1.0 / 96), Iso(1600), Seconds(1.0 / 48)));
  EXPECT_FALSE(isoAndShutterAddUp(Iso(800), Seconds(1.0 / 48), Iso(1600), Seconds(1.0 / 96)));
  EXPECT_FALSE(isoAndShutterAddUp(Iso(800), Seconds(1.0 / 48), Iso(1600), Seconds(1.0 / 48)));
  EXPECT_NE(run("between", {{"from", "1/96 ISO800"}, {"to", "1/48 ISO1600"}}).warning.find("add up"),
            std::string::npos);
}

TEST(Sums, EverySheetAnswersItsOwnExampleAndRefusesNonsense) {
  for (const auto& s : sumSheets()) {
    std::map<std::string, std::string> values;
    for (const auto& f : s.fields) values[f.key] = f.initial;
    const auto r = s.run(values);
    ASSERT_FALSE(r.answers.empty()) << s.id;
    EXPECT_FALSE(r.answers[0].value.empty()) << s.id;
    EXPECT_FALSE(r.working.empty()) << s.id << ": the working is shown";
    for (const auto& f : s.fields) {
      if (!f.choices.empty()) continue;
      auto bad = values;
      bad[f.key] = "rope";
      if (s.id == "light" && f.key == "fps") continue;  // asked for only where the shutter is an angle
      EXPECT_THROW((void)s.run(bad), UsageError) << s.id << " " << f.key;
    }
  }
}

}  // namespace
}  // namespace edge
