// Photon transfer of a mode at two ISOs, as raw files of a plain sensor of closed form (no src/simulate);
// what is stored is what was measured. Definitions: EMVA 1288 R4.0, sections 6 and 8.
#include "noise/transfer_set.h"

#include <gtest/gtest.h>

#include <nlohmann/json.hpp>

#include "noise/store.h"
#include "recover/plain_bracket.h"

namespace edge {
namespace {

using namespace test;

IsoTransfer shootField(double iso, double well, double read, const fs::path& folder, std::uint64_t seed) {
  std::mt19937_64 random(seed);
  std::vector<TransferClip> clips;
  for (const double light : {1.5, 0.6, 0.3, 0.1, 0.03, 0.01, 0.0}) {
    Footage f;
    f.camera.well = well, f.camera.read = read, f.camera.frames = 10, f.camera.scale = 4;
    f.width = f.height = 128;
    photograph(f, random, [light](int, int) { return light; });
    const fs::path clip = folder / fmt::format("{:g}-{:g}", iso, light);
    recordRaw(f, clip);
    clips.push_back({clip, {}, light == 0});
  }
  return {iso, measureTransfer(clips, std::nullopt, Progress())};
}

void expectNear(const std::optional<Estimate>& e, double truth, double share) {
  ASSERT_TRUE(e);
  EXPECT_NEAR(e->value, truth, std::max(share * truth, 3 * e->sigma));
}

TEST(TransferSet, TwoCircuitsAreReadInElectronsAndKeptAsMeasured) {
  const TempFolder folder;
  const TransferSet shot = {shootField(500, 46000, 6, folder.path(), 1),
                            shootField(2500, 15000, 2.2, folder.path(), 2)};
  const TransferSet set = transferFromJson(toJson(shot));
  ASSERT_EQ(set.size(), 2U);
  EXPECT_EQ(toJson(set), toJson(shot));
  const TransferChannel low = greenOf(set[0]), high = greenOf(set[1]);
  expectNear(low.readNoiseE, 6, 0.02);
  expectNear(high.readNoiseE, 2.2, 0.02);
  expectNear(low.fullWellE, 46000, 0.02);
  expectNear(high.fullWellE, 15000, 0.02);
  expectNear(low.gainDnPerE, kRawSpan / 46000, 0.01);
  const auto gain = gainBetween(set);
  ASSERT_TRUE(gain);
  EXPECT_EQ(gain->to, 2500);
  EXPECT_NEAR(gain->quieter.value, std::log2(6 / 2.2), 0.05);
  EXPECT_NEAR(gain->wellStops.value, std::log2(15.0 / 46), 0.04);
  // As a sweep sees it: by its share of the well, at a fifth of the light for five times the ISO.
  const auto light = readInLight(set, {{500, {5.9, 0.05, false}}, {2500, {5.9, 0.05, false}}});
  ASSERT_EQ(light.size(), 2U);
  EXPECT_EQ(light[0].stops, 0);
  EXPECT_NEAR(light[1].stops, std::log2(2.2 / 6 * 46 / 15 / 5), 0.06);
  EXPECT_EQ(readInLight(set, {{2500, {5.9, 0.05, false}}}).size(), 1U) << "a clip that is not known";
  EXPECT_TRUE(readInLight(set, {{500, {5.9, 0.05, true}}}).empty()) << "a clip that was not reached";
  // Every point stands on the curve that read noise and photons make, but for what a drawn sample errs by.
  for (const auto& p : electronsOf(set[1]))
    EXPECT_NEAR(p.noise / std::hypot(2.2, std::sqrt(p.signal)), 1, 0.02);
  EXPECT_EQ(electronsOf(set[1]).size(), 5U) << "neither the capped take nor the saturated one";
}

TEST(TransferSet, OneIsoHasNothingToCompareWith) {
  EXPECT_FALSE(gainBetween({IsoTransfer{500, {}}}));
  EXPECT_TRUE(electronsOf({500, {}}).empty());
}

}  // namespace
}  // namespace edge
