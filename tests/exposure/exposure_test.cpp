#include <gtest/gtest.h>

#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "exposure/meter.h"
#include "exposure/series.h"
#include "exposure/settings.h"

namespace edge {
namespace {

double total(const char* a, const char* b) {
  return difference(parseSettings(a), parseSettings(b)).total().value();
}
double light(const char* a, const char* b) {
  return difference(parseSettings(a), parseSettings(b)).light.value();
}
double gain(const char* a, const char* b) {
  return difference(parseSettings(a), parseSettings(b)).gain.value();
}

// Full stops of the T and f series: powers of the square root of two with their engravings (ISO 517:2008,
// aperture markings; from memory).
TEST(Series, FullTStopsAreHalfPowersOfTwo) {
  const auto s = tStopSeries(StepSize::Full);
  const double names[] = {0.7, 1, 1.4, 2, 2.8, 4, 5.6, 8, 11, 16, 22, 32, 45, 64};
  ASSERT_EQ(s.size(), std::size(names));
  for (size_t i = 0; i < s.size(); ++i) {
    EXPECT_DOUBLE_EQ(s[i].nominal, names[i]);
    EXPECT_NEAR(s[i].exact, std::pow(std::sqrt(2.0), static_cast<double>(i) - 1), 1e-12);
  }
}

// ISO speeds in third stops (ISO 12232:2019, annex of rounded values; from memory): 100 * 2^(n/3).
TEST(Series, IsoThirdsBearTheNamesOfTheStandard) {
  const auto s = isoSeries(StepSize::Third);
  const auto exactOf = [&](double name) {
    for (const auto& v : s)
      if (v.nominal == name) return v.exact;
    return 0.0;
  };
  EXPECT_NEAR(exactOf(100), 100, 1e-9);
  EXPECT_NEAR(exactOf(125), 125.992, 1e-3);
  EXPECT_NEAR(exactOf(160), 158.740, 1e-3);
  EXPECT_NEAR(exactOf(500), 503.968, 1e-3);
  EXPECT_NEAR(exactOf(640), 634.960, 1e-3);
  EXPECT_NEAR(exactOf(800), 800, 1e-9);
  EXPECT_NEAR(exactOf(1250), 1269.921, 1e-3);
  EXPECT_NEAR(exactOf(2500), 2539.842, 1e-3);
}

// A shutter marked 1/50 runs at 1/50 against lamps, though sums of stops take it for its series' value.
TEST(Series, AMarkedShutterIsWhatItIsMarked) {
  for (const double over : {25.0, 30.0, 50.0, 60.0, 100.0, 125.0}) {
    const Seconds exact = readShutter(over).exact;
    EXPECT_NEAR(1 / markedShutter(exact).value(), over, 1e-9) << over;
  }
  EXPECT_NEAR(markedShutter(Seconds(1.0 / 48.3)).value(), 1.0 / 48.3, 1e-12);
}

// Engravings round: T to 0.144 stop (T0.8 of 0.841 is the furthest), ISO to a twelfth, shutters to an
// eighth.
TEST(Series, EveryNameLiesNearItsValue) {
  for (auto step : {StepSize::Full, StepSize::Half, StepSize::Third}) {
    for (const auto& v : tStopSeries(step))
      EXPECT_LT(std::abs(2 * std::log2(v.nominal / v.exact)), 0.144) << "T" << v.nominal;
    for (const auto& v : isoSeries(step))
      EXPECT_LT(std::abs(std::log2(v.nominal / v.exact)), 1.0 / 12) << "ISO " << v.nominal;
    for (const auto& v : shutterSeries(step))
      EXPECT_LT(std::abs(std::log2(v.nominal / v.exact)), 1.0 / 8) << "1/" << v.nominal;
    for (const auto& v : ndSeries(step)) EXPECT_LT(std::abs(v.nominal - v.exact), 0.025) << "ND" << v.nominal;
  }
}

TEST(Series, StepsOfEverySeriesAreEven) {
  const auto third = isoSeries(StepSize::Third);
  for (size_t i = 1; i < third.size(); ++i)
    EXPECT_NEAR(std::log2(third[i].exact / third[i - 1].exact), 1.0 / 3, 1e-12);
  const auto half = tStopSeries(StepSize::Half);
  for (size_t i = 1; i < half.size(); ++i)
    EXPECT_NEAR(2 * std::log2(half[i].exact / half[i - 1].exact), 0.5, 1e-12);
}

// docs/method.md, "Stops": T1.5 to T2 is 0.83 stop, both exact as marked.
TEST(Stops, T15ToT2IsFiveSixthsOfAStopLess) {
  EXPECT_NEAR(total("T1.5", "T2"), -0.830, 0.001);
}

// The worked line of the command-line contract: T2.8 to T4 is -1, shutter equal, ND0.6 out is +1.993, ISO
// halves.
TEST(Stops, LightAndGainAreKeptApart) {
  const char *a = "T2.8 1/48 ISO800 ND0.6", *b = "T4 180deg@24 ISO400";
  EXPECT_NEAR(light(a, b), -1 + 0.6 / 0.30103, 1e-9);
  EXPECT_DOUBLE_EQ(gain(a, b), -1);
  EXPECT_NEAR(total(a, b), -2 + 0.6 / 0.30103, 1e-9);
}

TEST(Stops, NominalNamesStandForTheirExactValues) {
  EXPECT_NEAR(total("T2.8", "T5.6"), -2, 1e-12);
  EXPECT_NEAR(gain("ISO1250", "ISO2500"), 1, 1e-12);
  EXPECT_NEAR(total("1/50", "1/100"), -1, 1e-12);
  EXPECT_NEAR(total("1/60", "1/125"), -1, 1e-12);
}

TEST(Stops, WhatPeopleTypeIsRead) {
  EXPECT_NEAR(total("4", "4 1/3"), -1.0 / 3, 1e-12);
  EXPECT_NEAR(total("T2 2/3", "T2"), 2.0 / 3, 1e-12);
  EXPECT_NEAR(total("t 2,8", "T2.8"), 0, 1e-12);
  EXPECT_NEAR(total("180deg@24", "172.8deg@24"), std::log2(172.8 / 180), 1e-12);
  EXPECT_NEAR(total("180\u00b0@24fps", "90deg@24"), -1, 1e-12);
  EXPECT_NEAR(total("20ms", "0.01s"), -1, 1e-12);
  EXPECT_NEAR(total("40fc", "430.56lux"), 0, 1e-9);
  EXPECT_NEAR(total("40 fc", "430.56 lux"), 0, 1e-9);
  EXPECT_NEAR(total("1m", "2m"), -2, 1e-12);  // inverse square, common practice for a small source
  EXPECT_NEAR(gain("ISO 800", "EI800"), 0, 1e-12);
}

TEST(Stops, NonsenseIsRefusedWithTheWordAndARemedy) {
  for (const char* bad : {"", "T", "T-2", "ISO0", "ND-1", "banana", "T2.8 T4", "400deg@24", "180deg@0", "1/0",
                          "nan", "T1e999", "ND99"}) {
    try {
      (void)parseSettings(bad);
      ADD_FAILURE() << "accepted: " << bad;
    } catch (const UsageError& e) {
      EXPECT_FALSE(e.remedy().empty()) << bad;
    }
  }
  EXPECT_THROW((void)total("T2.8 ISO800", "T4"), UsageError);
}

// ISO 2720:1974: E = C N^2 / (t S). Common practice: 100 fc at ISO 100 and 1/50 s is about T2.8.
TEST(Meter, HundredFootCandlesAtIso100AndAFiftiethIsAboutT28) {
  const TStop t = apertureFor(luxOfFootCandles(100), Seconds(1.0 / 50), Iso(100));
  EXPECT_NEAR(2 * std::log2(t.value() / std::sqrt(8.0)), 0, 0.25);
}

// ISO 2720:1974 with C = 250: N = 1, t = 1 s, S = 100 needs 2.5 lux (EV 0 at ISO 100).
TEST(Meter, ExposureValueZeroIsTwoAndAHalfLux) {
  EXPECT_NEAR(incidentLight(TStop(1), Seconds(1), Iso(100)).value(), 2.5, 1e-12);
  EXPECT_NEAR(reflectedLuminance(TStop(1), Seconds(1), Iso(100)), 0.125, 1e-12);
  EXPECT_NEAR(reflectedLuminance(TStop(1), Seconds(1), Iso(100), 14), 0.14, 1e-12);
}

TEST(Meter, EquationAndItsInverseAgree) {
  for (double n : {1.4, 2.8, 8.0})
    for (double s : {100.0, 640.0, 12800.0})
      EXPECT_NEAR(apertureFor(incidentLight(TStop(n), Seconds(0.02), Iso(s)), Seconds(0.02), Iso(s)).value(),
                  n, 1e-12);
}

TEST(Numbers, PointAndCommaAreReadTheSame) {
  EXPECT_EQ(parseNumber("2,5"), 2.5);
  EXPECT_EQ(parseNumber(" +1.5 "), 1.5);
  for (const char* bad : {"", "1.2.3", "1e", "inf", "nan", "0x10", "1 2"})
    EXPECT_FALSE(parseNumber(bad)) << bad;
  EXPECT_EQ(formatSigned(-1.25, 1), "\u22121.2");
  EXPECT_EQ(formatSigned(-0.01, 1), "+0.0");
  EXPECT_EQ(formatNumber(-0.001, 1), "0.0");
}

}  // namespace
}  // namespace edge
