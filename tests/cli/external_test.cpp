// Clips, charts and series that are not of the project, as they come from outside: OpenEXR, TIFF, DNG,
// cap-on.
#include <OpenColorIO/OpenColorIO.h>
#include <fmt/format.h>
#include <gtest/gtest.h>

#include <cmath>
#include <nlohmann/json.hpp>

#include "base/files.h"
#include "color/curve.h"
#include "media/writers.h"
#include "simulate/random.h"
#include "support/support.h"

namespace fs = std::filesystem;
namespace OCIO = OCIO_NAMESPACE;
using nlohmann::json;

namespace edge {
namespace {

using test::runCli;
using test::TempFolder;
using test::writeText;

json result(const std::string& arguments) {
  const auto r = runCli(arguments);
  EXPECT_EQ(r.exit, 0) << arguments << "\n" << r.err;
  return json::parse(r.out, nullptr, false);
}

bool warned(const json& j, const std::string& code) {
  for (const auto& w : j["warnings"])
    if (w["code"] == code) return true;
  return false;
}

constexpr int kWidth = 640, kHeight = 360;

// The bench under an exposure: a linear sensor that clips at 8 with photon and read noise; two frames of
// float EXR.
void writeTake(const fs::path& folder, double stops, std::uint64_t seed) {
  static const SceneImage scene = renderBench(kWidth, kHeight);
  static const NormalTable normal;
  fs::create_directories(folder);
  for (int n = 0; n < 3; ++n) {
    std::vector<float> pixels(scene.rgb.size());
    RandomStream random(seed, static_cast<std::uint64_t>(n), 0);
    for (size_t i = 0; i < pixels.size(); ++i) {
      const double light = scene.rgb[i] * std::exp2(stops);
      const double noise =
          std::sqrt(light * 0.0004 + 4e-7) * normal(static_cast<std::uint32_t>(random.next() >> 20));
      pixels[i] = static_cast<float>(std::min(8.0, light + noise));
    }
    test::writeImage(folder / fmt::format("f.{:03d}.exr", n), kWidth, kHeight, 3, pixels, 32);
  }
}

class OutsideSeries : public ::testing::Test {
 protected:
  static void SetUpTestSuite() {
    folder_ = new TempFolder;
    json series = {{"format", "edge-test-series"},
                   {"version", 1},
                   {"kind", "bracket"},
                   {"decode", {{"curve", "linear"}}},
                   {"chart", "chart.json"},
                   {"base", "base/"},
                   {"display", "bt709"},
                   {"regions", json::array()},
                   {"takes", json::array()}};
    for (const auto& r : benchRegions(kWidth, kHeight)) series["regions"].push_back(toJson(r));
    writeTake(*folder_ / "base", 0, 1);
    for (int n : {-5, -3, -1, 1, 3, 5}) {
      const std::string name = fmt::format("t{}", n);
      writeTake(*folder_ / name, trueStops(n), static_cast<std::uint64_t>(n + 20));
      series["takes"].push_back({{"name", name}, {"clip", name + "/"}, {"stops", n}, {"iso", 800}});
    }
    writeText(*folder_ / "chart.json", toJson(benchChart(kWidth, kHeight)).dump());
    writeText(*folder_ / "series.json", series.dump());
    result_ = result("latitude " + (*folder_ / "series.json").string());
  }
  static void TearDownTestSuite() {
    delete folder_;
    folder_ = nullptr;
  }
  static double trueStops(int planned) { return planned + 0.03 * planned - (planned == 3 ? 1 : 0); }
  static inline TempFolder* folder_ = nullptr;
  static inline json result_;
};

TEST_F(OutsideSeries, OffsetsAreMeasuredWithinThreeHundredthsOfAStop) {
  ASSERT_EQ(result_["takes"].size(), 6U);
  for (const auto& t : result_["takes"]) {
    const int planned = t["planned_stops"];
    EXPECT_NEAR(t["measured_stops"].get<double>(), trueStops(planned), 0.03) << planned;
    EXPECT_GT(t["sigma"].get<double>(), 0);
  }
  EXPECT_TRUE(warned(result_, "exposure-mismatch"));
}

TEST_F(OutsideSeries, BothEdgesAreFoundWithTheirCauses) {
  const json& e = result_["edges"];
  EXPECT_EQ(e["over"]["cause"], "highlight gone");
  EXPECT_GT(e["over"]["last_good"].get<double>(), 1.9);
  EXPECT_NEAR(e["over"]["first_bad"].get<double>(), trueStops(5), 0.05);
  EXPECT_NE(e["under"]["cause"].get<std::string>().find("noise"), std::string::npos);
  EXPECT_LT(e["under"]["first_bad"].get<double>(), e["under"]["last_good"].get<double>());
  const double width = result_["latitude_stops"];
  EXPECT_GT(width, e["over"]["last_good"].get<double>() - e["under"]["last_good"].get<double>() - 1e-9);
  EXPECT_LT(width, e["over"]["first_bad"].get<double>() - e["under"]["first_bad"].get<double>() + 1e-9);
}

TEST_F(OutsideSeries, MetricsHaveTheKeysOfTheContract) {
  for (const auto& t : result_["takes"]) {
    const json& m = t["metrics"];
    for (const char* key :
         {"clipped_skin", "colour_shift", "delta_e00", "noise_luma", "noise_chroma", "stripes", "detail"})
      EXPECT_TRUE(m.contains(key)) << key;
    EXPECT_TRUE(m["detail"].is_null()) << "three frames are too few for halves";
    for (const char* c : {"R", "G", "B"}) EXPECT_TRUE(m["clipped_skin"][c].is_number());
    EXPECT_EQ(m["delta_e00"]["patches"].size(), 36U);
  }
  EXPECT_LT(result_["takes"][2]["metrics"]["delta_e00"]["mean"].get<double>(), 0.6)
      << "one stop under, brought back";
  EXPECT_GT(result_["takes"][5]["metrics"]["clipped_skin"]["R"].get<double>(), 5);
}

// Codes of a patch as shot, from those after exposure alone, whose correction is known.
Vec3 asShot(const json& exposure, const std::string& patch, const Curve& log) {
  const double k = std::exp2(-exposure["parameters"]["stops"].get<double>());
  const double q = exposure["parameters"]["pedestal"];
  Vec3 v{};
  for (size_t c = 0; c < 3; ++c)
    v[c] = log.toCode(log.toLinear(exposure["codes"][patch][c].get<double>()) * k + q);
  return v;
}

Vec3 throughFile(const fs::path& file, const Vec3& code) {
  OCIO::ClearAllCaches();
  const auto t = OCIO::FileTransform::Create();
  t->setSrc(file.c_str());
  t->setInterpolation(OCIO::INTERP_BEST);
  t->setCDLStyle(OCIO::CDL_ASC);
  t->setCCCId("0");
  float v[3] = {static_cast<float>(code[0]), static_cast<float>(code[1]), static_cast<float>(code[2])};
  OCIO::Config::CreateRaw()
      ->getProcessor(t)
      ->getOptimizedCPUProcessor(OCIO::OPTIMIZATION_LOSSLESS)
      ->applyRGB(v);
  return {v[0], v[1], v[2]};
}

// The files applied by OpenColorIO give the codes that the result prints, within a code of ten bits.
TEST_F(OutsideSeries, CorrectionsAppliedOutsideGiveOurCodes) {
  const std::string out = (*folder_ / "looks").string();
  const json j = result("latitude " + (*folder_ / "series.json").string() + " --cdl " + out + " --clf " +
                        out + " --cube " + out);
  EXPECT_EQ(j["log_encoding"], "acescct");
  const auto log = makeCurve("acescct").curve;
  int files = 0;
  for (const auto& t : j["takes"]) {
    const json& exposure = t["branches"]["exposure"];
    ASSERT_FALSE(exposure.is_null()) << t["name"];
    EXPECT_NEAR(exposure["parameters"]["stops"].get<double>(), -t["measured_stops"].get<double>(), 1e-9);
    for (const auto& [key, branch] : t["branches"].items()) {
      ASSERT_FALSE(branch.is_null()) << key;
      for (const char* extension : {".cdl", ".clf", ".cube"}) {
        const fs::path file = fs::path(out) / (t["name"].get<std::string>() + "-" + key + extension);
        if (!fs::exists(file)) {
          EXPECT_STREQ(extension, ".cdl") << file;  // what is no CDL is said
          EXPECT_TRUE(warned(j, "not-a-cdl"));
          continue;
        }
        ++files;
        // A grade's lattice rounds where a channel meets its end: greys and skins are clear of it.
        for (const char* patch : {"grey 2", "grey 4", "grey 6"}) {
          const Vec3 theirs = throughFile(file, asShot(exposure, patch, *log));
          for (size_t c = 0; c < 3; ++c)
            EXPECT_NEAR(theirs[c], branch["codes"][patch][c].get<double>(), 1.0 / 1023)
                << file << " " << patch;
        }
      }
    }
  }
  EXPECT_GE(files, 6 * 9) << "grade and offset are CDLs at least";
}

TEST_F(OutsideSeries, AnotherBaseMovesTheEdgesOnly) {
  const std::string series = (*folder_ / "series.json").string();
  const json moved = result("latitude " + series + " --rebase -1,5");
  EXPECT_EQ(moved["rebase"]["stops"], -1.5);
  EXPECT_EQ(moved["latitude_stops"], result_["latitude_stops"]);
  EXPECT_NEAR(moved["edges"]["over"]["first_bad"].get<double>(),
              result_["edges"]["over"]["first_bad"].get<double>() + 1.5, 1e-9);
  EXPECT_EQ(result("latitude " + series + " --rebase t1")["rebase"]["name"], "take t1");
  EXPECT_EQ(runCli("latitude " + series + " --rebase elsewhere").exit, 2);
}

TEST_F(OutsideSeries, AProfileChangesVerdictsAndABadOneIsRefused) {
  const std::string series = (*folder_ / "series.json").string();
  writeText(*folder_ / "strict.json",
            R"({"format": "edge-test-profile", "version": 1, "name": "strict", "chroma": "420",
                "raster": {"width": 320, "height": 180}, "limits": {"noise_luma": [0.05, 0.1]}})");
  const json j = result("latitude " + series + " --profile " + (*folder_ / "strict.json").string());
  EXPECT_EQ(j["profile"]["name"], "strict");
  EXPECT_EQ(j["noise_at"]["raster"]["width"], 320);
  EXPECT_EQ(j["noise_at"]["chroma"], "420");
  EXPECT_EQ(j["takes"][2]["verdict"], "lost") << "one stop under";
  EXPECT_EQ(j["takes"][2]["branches"]["exposure"]["verdict"], "lost");
  EXPECT_EQ(j["takes"][2]["reducer"][0]["rung"], 1);
  writeText(*folder_ / "bad-profile.json",
            R"({"format": "edge-test-profile", "version": 1, "limits": {"x": [1, 2]}})");
  const auto bad = runCli("latitude " + series + " --profile " + (*folder_ / "bad-profile.json").string());
  EXPECT_EQ(bad.exit, 1);
  EXPECT_NE(bad.err.find("limits.x"), std::string::npos);
}

TEST_F(OutsideSeries, SameNumbersOnOneThread) {
  json one = result("latitude " + (*folder_ / "series.json").string() + " --threads 1");
  EXPECT_EQ(one["takes"], result_["takes"]);
}

TEST_F(OutsideSeries, AMissingTakeIsNamed) {
  json s = json::parse(readText(*folder_ / "series.json"));
  s["takes"][2]["clip"] = "gone/";
  writeText(*folder_ / "bad.json", s.dump());
  const auto r = runCli("latitude " + (*folder_ / "bad.json").string());
  EXPECT_EQ(r.exit, 1);
  EXPECT_NE(r.err.find("gone"), std::string::npos);
}

TEST(OutsideWedge, CapOnSeparatesGlareFromPedestal) {
  const TempFolder folder;
  test::TextbookSensor s{12000, 4};
  s.pedestalLinear = 0.01, s.glareLinear = 0.002;
  const auto w = test::writeWedge(folder.path(), "exr", 32, s, *makeCurve("linear").curve, 4, 14, 0.6);
  std::vector<float> dark(640 * 300 * 3, 0.01F);
  fs::create_directories(folder / "cap");
  for (int n = 0; n < 2; ++n)
    test::writeImage(folder / "cap" / fmt::format("c.{}.exr", n), 640, 300, 3, dark, 32);
  const std::string range = "range " + w.clip.string() + " --chart " + w.chartFile.string();
  const json with = result(range + " --black " + (folder / "cap").string()), without = result(range);
  EXPECT_TRUE(warned(with, "glare"));
  EXPECT_FALSE(warned(without, "glare")) << "a pedestal and glare can't be told apart without cap-on";
  EXPECT_NEAR(with["response"]["offset"].get<double>(), 0.012, 2e-4);
}

TEST(OutsideWedge, WindowOfFramesIsThatOfTheOptions) {
  const TempFolder folder;
  const auto w =
      test::writeWedge(folder.path(), "tif", 16, {12000, 4}, *makeCurve("acescct").curve, 5, 12, 0.6);
  const std::string range = "range " + w.clip.string() + " --curve acescct --chart " + w.chartFile.string();
  EXPECT_EQ(result(range)["frames"], 5);
  EXPECT_EQ(result(range + " --first 1 --frames 2")["frames"], 2);
  EXPECT_EQ(runCli(range + " --first 9").exit, 1);
}

TEST(OutsideWedge, DngIsMeasuredOnItsMosaic) {
  const TempFolder folder;
  const test::TextbookSensor sensor{9000, 3};
  std::vector<double> stops;
  for (int i = 0; i < 14; ++i) stops.push_back(-i);
  const Chart chart = wedgeChart(stops, kWidth, kHeight);
  const SceneImage scene = renderWedge(chart, kWidth, kHeight);
  std::vector<float> light(static_cast<size_t>(kWidth) * kHeight);
  for (size_t i = 0; i < light.size(); ++i) light[i] = scene.rgb[3 * i] * 1.5F;
  DngDescription d;
  d.model = "Tarn M1", d.width = kWidth, d.height = kHeight, d.black = 600, d.white = 16383,
  d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
  fs::create_directories(folder / "raw");
  for (int n = 0; n < 4; ++n) {
    const auto exposed = sensor.expose(light, kWidth, static_cast<std::uint64_t>(n));
    std::vector<std::uint16_t> mosaic(exposed.size());
    for (size_t i = 0; i < mosaic.size(); ++i)
      mosaic[i] =
          static_cast<std::uint16_t>(std::clamp(std::lround(600 + exposed[i] * (16383 - 600)), 0L, 16383L));
    writeDng(folder / "raw" / fmt::format("{}.dng", n), d, mosaic);
  }
  writeText(folder / "chart.json", toJson(chart).dump());
  const json j =
      result("range " + (folder / "raw").string() + " --chart " + (folder / "chart.json").string());
  for (const char* c : {"R", "G", "B"})
    EXPECT_NEAR(j["dynamic_range"][c]["snr2"]["stops"].get<double>(), sensor.trueRange(2), 0.1) << c;
  EXPECT_EQ(j["dynamic_range"]["Y"]["raster"], json::array({kWidth / 2, kHeight / 2}));
  const json probe = result("probe " + (folder / "raw").string());
  EXPECT_EQ(probe["cfa"], "RGGB");
  EXPECT_EQ(probe["bit_depth"], 14);
}

}  // namespace
}  // namespace edge
