// Slates: the code, its symbol as an independent decoder (ZBar) reads it, and how small, blurred, dark, noisy
// and turned our reader still reads it.
#include <gtest/gtest.h>

#include <fmt/format.h>
#include <zbar.h>

#include <cmath>
#include <numbers>

#include "base/error.h"
#include "match/slate_reader.h"
#include "simulate/random.h"
#include "simulate/scenario.h"
#include "support/support.h"

namespace edge {
namespace {

SlateCode example() {
  return {"9F3A1C", "7K2QXA", 2, 2500, 2.83, 1.0 / 50, 0.6, -3.0};
}

TEST(SlateText, ComesBackAsItWasAndIsShort) {
  const SlateCode c = example();
  EXPECT_EQ(slateText(c), "ET1 9F3A1C 7K2QXA 2 I2500 T2.83 S50 N0.6 P-3");
  EXPECT_EQ(parseSlate(slateText(c)), c);
  SlateCode check = c;
  check.stops.reset();
  EXPECT_EQ(parseSlate(slateText(check)), check);
  // Version 3 of ISO/IEC 18004 (29 x 29 modules) holds 47 alphanumeric characters at level Q (from memory).
  EXPECT_LE(slateText(c).size(), 47U);
  EXPECT_EQ(qrOf(slateText(c)).side, 29);
}

TEST(SlateText, NonsenseIsNoSlate) {
  for (const char* text :
       {"", "ET1", "hello", "ET1 9F3A1C 7K2QXA 2 I2500 T2.83 S50 N0.6",
        "ET1 9F3A1C 7K2QXA 0 I500 T2.8 S50 N0 P+1", "ET1 9F3A1C 7K2QXA 1 I-5 T2.8 S50 N0 P+1",
        "ET1 9F3A1C 7K2QXA 1 I500 Tnan S50 N0 P+1", "ET1 9F3A1C 7K2QXA 1 I500 T2.8 S1e999 N0 P+1",
        "ET1 ../../x 7K2QXA 1 I500 T2.8 S50 N0 P+1", "ET1 9F3A1C 7K2QXA 1 I500 T2.8 S50 N0 P+99"})
    EXPECT_FALSE(parseSlate(text)) << text;
  EXPECT_FALSE(parseSlate(std::string(1 << 20, 'E')));
  EXPECT_TRUE(isNewerSlate("ET7 9F3A1C ANYTHING"));
  EXPECT_FALSE(isNewerSlate("ET1 9F3A1C"));
  EXPECT_FALSE(isNewerSlate("https://example.org"));
}

TEST(SlateText, IdsOfTheDemoPlanAreDifferent) {
  const Recipe r = recipeFromJson(nlohmann::json::parse(demoRecipeText()), "recipe.json");
  const Plan p = makePlan(r);
  std::set<std::string> ids;
  for (const auto& t : p.takes) {
    ids.insert(slateId(t.slate));
    EXPECT_TRUE(parseSlate(slateText(slateOf("5A17A0", t, 1)))) << t.slate;
  }
  EXPECT_EQ(ids.size(), p.takes.size());
}

// The slate as a picture: `module` pixels a module, turned, blurred, faint, noisy.
struct Look {
  double module = 6, turn = 0, blur = 0, contrast = 1, noise = 0;  // noise: sd against white minus black
};

GreyPicture pictureOf(const std::string& text, const Look& k, std::uint64_t seed = 1) {
  const QrSymbol s = qrOf(text);
  const double side = (s.side + 8) * k.module;
  GreyPicture p;
  p.width = static_cast<int>(side * 1.7) | 1, p.height = p.width * 3 / 4;
  p.height = std::max(p.height, static_cast<int>(side * 1.2));
  p.level.resize(static_cast<size_t>(p.width) * p.height);
  const double a = k.turn * std::numbers::pi / 180, c = std::cos(a), sn = std::sin(a);
  constexpr int kSub = 3;
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x) {
      double sum = 0;
      for (int j = 0; j < kSub; ++j)
        for (int i = 0; i < kSub; ++i) {
          const double dx = x + (i + 0.5) / kSub - p.width / 2.0, dy = y + (j + 0.5) / kSub - p.height / 2.0;
          const double u = (c * dx + sn * dy + side / 2) / k.module - 4,
                       v = (-sn * dx + c * dy + side / 2) / k.module - 4;
          const bool card = u >= -4 && v >= -4 && u < s.side + 4 && v < s.side + 4;
          const bool in = u >= 0 && v >= 0 && u < s.side && v < s.side;
          sum += !card ? 0.3 : in && s.at(static_cast<int>(u), static_cast<int>(v)) ? 0.0 : 1.0;
        }
      p.level[static_cast<size_t>(y) * p.width + x] = static_cast<float>(sum / (kSub * kSub));
    }
  if (k.blur > 0) {  // Gaussian, separable
    const int r = static_cast<int>(std::ceil(3 * k.blur));
    std::vector<double> w;
    for (int i = -r; i <= r; ++i) w.push_back(std::exp(-0.5 * i * i / (k.blur * k.blur)));
    const auto pass = [&](int dx, int dy) {
      const auto from = p.level;
      for (int y = 0; y < p.height; ++y)
        for (int x = 0; x < p.width; ++x) {
          double sum = 0, weight = 0;
          for (int i = -r; i <= r; ++i) {
            const int xx = std::clamp(x + i * dx, 0, p.width - 1),
                      yy = std::clamp(y + i * dy, 0, p.height - 1);
            sum += w[static_cast<size_t>(i + r)] * from[static_cast<size_t>(yy) * p.width + xx];
            weight += w[static_cast<size_t>(i + r)];
          }
          p.level[static_cast<size_t>(y) * p.width + x] = static_cast<float>(sum / weight);
        }
    };
    pass(1, 0), pass(0, 1);
  }
  RandomStream random(seed, 9, 9);
  const NormalTable normal;
  for (auto& v : p.level)
    v = static_cast<float>(k.contrast *
                           (v + k.noise * normal(static_cast<std::uint32_t>(random.next() >> 20))));
  return p;
}

std::string zbarReads(const GreyPicture& p) {
  std::vector<std::uint8_t> grey;
  for (float v : p.level) grey.push_back(static_cast<std::uint8_t>(255 * std::clamp(v, 0.0F, 1.0F)));
  zbar::ImageScanner scanner;
  scanner.set_config(zbar::ZBAR_QRCODE, zbar::ZBAR_CFG_ENABLE, 1);
  zbar::Image image(static_cast<unsigned>(p.width), static_cast<unsigned>(p.height), "Y800", grey.data(),
                    grey.size());
  scanner.scan(image);
  for (auto s = image.symbol_begin(); s != image.symbol_end(); ++s) return s->get_data();
  return {};
}

bool weRead(const GreyPicture& p, const std::string& text) {
  const auto texts = readQrTexts(p);
  return texts.size() == 1 && texts[0] == text;
}

// ZBar 0.23 (Debian package libzbar-dev) is the independent decoder.
TEST(SlateSymbol, IsReadByAnIndependentDecoder) {
  const std::string text = slateText(example());
  for (const Look& k : {Look{3, 0, 0, 1, 0}, Look{6, 0, 0, 1, 0}, Look{6, 20, 0, 1, 0}, Look{8, 0, 2, 1, 0},
                        Look{8, 0, 0, 1, 0.05}})
    EXPECT_EQ(zbarReads(pictureOf(text, k)), text)
        << k.module << " px, blur " << k.blur << ", noise " << k.noise;
}

TEST(SlateSymbol, ReadingRateAgainstSizeBlurNoiseAndTurn) {
  const std::string text = slateText(example());
  const auto rate = [&](const char* name, const Look& k) {
    int ours = 0, theirs = 0;
    constexpr int kTries = 5;
    for (int i = 0; i < kTries; ++i) {
      Look look = k;
      look.turn += i * 1.5 - 3;
      const GreyPicture p = pictureOf(text, look, static_cast<std::uint64_t>(i + 1));
      ours += weRead(p, text), theirs += zbarReads(p) == text;
    }
    RecordProperty(name, fmt::format("{} of {} (independent decoder {})", ours, kTries, theirs));
    std::printf("%-28s ours %2d of %d, ZBar %2d\n", name, ours, kTries, theirs);
    return ours / static_cast<double>(kTries);
  };
  EXPECT_GE(rate("2 px a module", {2, 0, 0, 1, 0}), 0.9);
  EXPECT_GE(rate("3 px", {3, 0, 0, 1, 0}), 0.9);
  EXPECT_GE(rate("6 px", {6, 0, 0, 1, 0}), 0.9);
  EXPECT_GE(rate("6 px, blur 0.33 module", {6, 0, 2, 1, 0}), 0.9);
  EXPECT_GE(rate("6 px, blur 0.5 module", {6, 0, 3, 1, 0}), 0.9);
  EXPECT_GE(rate("6 px, turned 20 degrees", {6, 20, 0, 1, 0}), 0.9);
  EXPECT_GE(rate("6 px, turned 45 degrees", {6, 45, 0, 1, 0}), 0.9);
  EXPECT_GE(rate("6 px, noise 0.1", {6, 0, 0, 1, 0.1}), 0.9);
  EXPECT_GE(rate("6 px, noise 0.25", {6, 0, 0, 1, 0.25}), 0.8);
  EXPECT_GE(rate("6 px, noise 0.4", {6, 0, 0, 1, 0.4}), 0.8);
  EXPECT_GE(rate("6 px, noise 0.8", {6, 0, 0, 1, 0.8}), 0.5);
  EXPECT_GE(rate("6 px, a hundredth the light", {6, 0, 0, 0.01, 0}), 0.9);
}

TEST(SlateSymbol, TornCoveredAndAbsentSlatesGiveNothingWrong) {
  const std::string text = slateText(example());
  for (double covered : {0.3, 0.5, 0.8}) {
    GreyPicture p = pictureOf(text, {6, 0, 0, 1, 0});
    for (int y = 0; y < static_cast<int>(p.height * covered); ++y)
      std::fill_n(p.level.begin() + static_cast<std::ptrdiff_t>(y) * p.width, p.width, 0.2F);
    for (const auto& t : readQrTexts(p)) EXPECT_EQ(t, text);
  }
  GreyPicture noise{200, 200, std::vector<float>(40000)};
  RandomStream random(3, 3, 3);
  for (auto& v : noise.level) v = static_cast<float>(random.uniform());
  EXPECT_TRUE(readQrTexts(noise).empty());
  EXPECT_TRUE(readQrTexts({5, 5, std::vector<float>(25)}).empty());
  EXPECT_TRUE(readQrTexts({100, 100, std::vector<float>(10000, 0.5F)}).empty());
}

// In clips of the simulated cameras, from +5 to -6 stops, log movie and raw frames.
TEST(SlateInClips, IsFoundFromFiveOverToSixUnder) {
  const test::TempFolder folder;
  const Scenario scenario = demoScenario(true);
  const SceneImage bench = renderBench(scenario.width, scenario.height);
  const SlateCode code = example();
  int found = 0, looked = 0;
  for (const bool raw : {false, true})
    for (const double stops : {5.0, 0.0, -3.0, -5.0, -6.0}) {
      const auto* c = findConfiguration(scenario, "Corvane 35", raw, 2500);
      ASSERT_TRUE(c);
      Shot shot;
      shot.stops = stops, shot.frames = 2, shot.seed = 17, shot.slate = qrOf(slateText(code));
      const auto clip = writeClip(*c, bench, shot, 24, folder / fmt::format("c{}{}", raw, stops), Progress());
      const SlateFinding f = findSlate(clip, 4, Progress());
      EXPECT_EQ(f.steady.first, f.lastFrame + 1) << "measured from the frame after the slate";
      ++looked;
      const bool right = f.slates.size() == 1 && f.slates[0] == code;
      found += right;
      EXPECT_EQ(f.lastFrame, right ? 0 : -1);
      std::printf("%s %+.0f: %s\n", raw ? "raw" : "log", stops, right ? "read" : "not read");
      EXPECT_EQ(f.framesLooked, 3);
    }
  EXPECT_EQ(found, looked);
}

TEST(SlateInClips, TwoSlatesInOneClipAreBothReported) {
  const test::TempFolder folder;
  const Scenario scenario = demoScenario(true);
  SlateCode other = example();
  other.attempt = 3;
  const auto* c = findConfiguration(scenario, "Pellam S6", true, 640);
  const SceneImage first =
      withSlate(renderBench(scenario.width, scenario.height), qrOf(slateText(example())));
  Shot shot;
  shot.frames = 1, shot.slate = qrOf(slateText(other));
  const SlateFinding f = findSlate(writeClip(*c, first, shot, 24, folder / "two", Progress()), 4, Progress());
  EXPECT_EQ(f.slates.size(), 2U);
}

}  // namespace
}  // namespace edge
