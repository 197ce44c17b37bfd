// The range at a delivery raster, what is said of each figure, and calibrated densities from files.
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/files.h"
#include "chart/densities.h"
#include "chart/place.h"
#include "measure/range.h"
#include "support/support.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

using test::TempFolder;

TEST(Resampling, IsTheMeanOfTheAreaAlsoForOddFactors) {
  Block b;
  b.width = 6, b.height = 4;
  for (int i = 0; i < 24; ++i) b.linear[0].push_back(static_cast<float>(i));
  const Block half = resampled(b, 2, 2);
  ASSERT_EQ(half.width, 3);
  ASSERT_EQ(half.height, 2);
  EXPECT_FLOAT_EQ(half.linear[0][0], (0 + 1 + 6 + 7) / 4.0F);
  EXPECT_FLOAT_EQ(half.linear[0][5], (16 + 17 + 22 + 23) / 4.0F);
  // A factor of 1.5: pixels are shared by coverage, the mean of all is kept.
  const Block third = resampled(b, 1.5, 2);
  ASSERT_EQ(third.width, 4);
  EXPECT_FLOAT_EQ(third.linear[0][0], ((0 + 0.5F * 1) / 1.5F + (6 + 0.5F * 7) / 1.5F) / 2);
  double sum = 0;
  for (float v : third.linear[0]) sum += v;
  EXPECT_NEAR(sum / 8, 11.5, 1e-5);
}

// White noise averaged over f x f pixels has sd/f (textbook); the sensor's own SNR(x) then gives the range.
TEST(Resampling, RangeAtHalfTheRasterIsThatOfTheAveragedNoise) {
  const TempFolder folder;
  test::TextbookSensor sensor;
  sensor.fullWell = 20000, sensor.read = 8;
  const auto curve = makeCurve("linear").curve;
  const auto wedge = test::writeWedge(folder.path(), "exr", 32, sensor, *curve, 8, 18, 0.6);
  const std::string call =
      "range " + wedge.clip.string() + " --chart " + wedge.chartFile.string() + " --curve linear";
  const auto range = [&](const std::string& more) {
    const test::Ran ran = test::runCli(call + more);
    EXPECT_EQ(ran.exit, 0) << ran.err;
    return json::parse(ran.out);
  };
  const json full = range("");
  const auto width = readChart(wedge.chartFile).referenceWidth,
             height = readChart(wedge.chartFile).referenceHeight;
  const json half = range(fmt::format(" --raster {:g}x{:g}", width / 2, height / 2));
  for (const double snr : {1.0, 2.0}) {
    const std::string key = fmt::format("snr{:g}", snr);
    const double gained = half["dynamic_range"]["G"][key]["stops"].get<double>() -
                          full["dynamic_range"]["G"][key]["stops"].get<double>();
    // Four pixels as one: SNR(x) = 2 x F / sqrt(x F + r^2), so the threshold is met where SNR per pixel is
    // half.
    EXPECT_NEAR(gained, sensor.trueRange(snr / 2) - sensor.trueRange(snr), 0.08) << key;
  }
  EXPECT_EQ(half["raster"]["factor"], 2);
  EXPECT_NEAR(half["raster"]["formula_stops"].get<double>(), 1, 1e-9);
  EXPECT_EQ(test::runCli(call + " --raster 99999x99999").exit, 1);
  EXPECT_EQ(test::runCli(call + " --raster half").exit, 2);
}

TEST(Explaining, EveryStepSaysWhyItIsOfItsClass) {
  const TempFolder folder;
  const test::TextbookSensor sensor;
  const auto wedge =
      test::writeWedge(folder.path(), "exr", 32, sensor, *makeCurve("linear").curve, 8, 18, 0.6);
  const test::Ran ran = test::runCli("range " + wedge.clip.string() + " --chart " + wedge.chartFile.string() +
                                     " --curve linear --explain");
  ASSERT_EQ(ran.exit, 0) << ran.err;
  const json j = json::parse(ran.out);
  ASSERT_EQ(j["explain"]["patches"].size(), j["patches"].size());
  for (size_t k = 0; k < j["patches"].size(); ++k) {
    EXPECT_EQ(j["explain"]["patches"][k]["state"], j["patches"][k]["state"]);
    EXPECT_FALSE(j["explain"]["patches"][k]["why"].get<std::string>().empty());
  }
  EXPECT_NE(j["explain"]["patches"][0]["why"].get<std::string>().find("over every channel's end"),
            std::string::npos);
}

TEST(Densities, AreReadFromCsvAndCgats) {
  const TempFolder folder;
  test::writeText(folder / "a.csv", "name;density\n1;0,05\n2;0.35103\n");
  auto rows = readDensities(folder / "a.csv");
  ASSERT_EQ(rows.size(), 2U);
  // D = 0.30103 is one stop (docs/method.md, "Stops").
  EXPECT_NEAR(rows[0].stops - rows[1].stops, 1, 1e-9);
  test::writeText(folder / "a.ti3",
                  "CTI3\n\nNUMBER_OF_FIELDS 3\nBEGIN_DATA_FORMAT\nSAMPLE_ID RGB_R XYZ_Y\nEND_DATA_FORMAT\n"
                  "NUMBER_OF_SETS 2\nBEGIN_DATA\nA1 100 90.0\n\"A2\" 50 45.0\nEND_DATA\n");
  rows = readDensities(folder / "a.ti3");
  ASSERT_EQ(rows.size(), 2U);
  EXPECT_EQ(rows[1].name, "A2");
  EXPECT_NEAR(rows[0].stops - rows[1].stops, 1, 1e-9);
  Chart chart = chartOf({ChartKind::Wedge, 2, 2, 1});
  calibrate(chart, rows, folder / "a.ti3");
  EXPECT_NEAR(*chart.patches[1].stops, std::log2(0.45), 1e-9) << "in the chart's order where names differ";
}

TEST(Densities, AreTypedInTheChartsOrder) {
  const auto lights = typedDensities("0.05 0,35;\n0.66\n");
  ASSERT_EQ(lights.size(), 3U);
  EXPECT_NEAR(lights[1].stops - lights[0].stops, -0.3 / 0.30103, 1e-9);  // D = 0.30103 is one stop (ISO 5-1)
  EXPECT_THROW((void)typedDensities("0.05 dark"), Error);
  EXPECT_THROW((void)typedDensities(" "), Error);
  EXPECT_THROW((void)typedDensities("99"), Error);
}

TEST(Densities, RefuseWhatIsNone) {
  const TempFolder folder;
  const auto problem = [&](const std::string& text) {
    test::writeText(folder / "x.csv", text);
    try {
      (void)readDensities(folder / "x.csv");
    } catch (const Error& e) {
      return e.problem() + " " + e.place();
    }
    return std::string("read");
  };
  EXPECT_NE(problem("name,density\n").find("no densities"), std::string::npos);
  EXPECT_NE(problem("a,b\n1,2\n").find("no column"), std::string::npos);
  EXPECT_NE(problem("name,density\n1,nan\n").find("line 2"), std::string::npos);
  EXPECT_NE(problem("name,density\n1,400\n").find("absurd"), std::string::npos);
  EXPECT_NE(problem("name,density\n1\n").find("too short"), std::string::npos);
  EXPECT_NE(problem("BEGIN_DATA\n1 2\nEND_DATA\n").find("before its format"), std::string::npos);
  Chart chart = chartOf({});
  EXPECT_THROW(calibrate(chart, {{"1", 0}}, folder / "x.csv"), Error);
}

}  // namespace
}  // namespace edge
