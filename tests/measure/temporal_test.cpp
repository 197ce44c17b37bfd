// The temporal filter found from frame differences, against numpy (tests/reference/ar1.py and .json: a long
// AR(1) process, its differences for few frames, and the biased estimates they replace).
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>

#include "measure/temporal.h"

namespace edge {
namespace {

TEST(Temporal, FewFramesOfAnAr1ProcessGiveItsInput) {
  std::ifstream in(std::string(EDGE_REFERENCE) + "/ar1.json");
  const auto reference = nlohmann::json::parse(in);
  for (const auto& c : reference.at("cases")) {
    std::vector<FrameChanges> patches;
    for (const auto& p : c.at("patches")) {
      FrameChanges f;
      f.byLag = p.at("changes_over_variance").get<std::vector<std::vector<double>>>();
      f.pixels = p.at("pixels");
      patches.push_back(f);
    }
    const auto found = temporalFilterOf(patches);
    ASSERT_TRUE(found);
    const double rho = c.at("rho");
    EXPECT_NEAR(found->rho, rho, 0.02 + 4 * found->rhoSigma) << c.at("name");
    // ln of the input's variance over the variance about the clip's mean.
    EXPECT_NEAR(std::log(found->factor), c.at("ln_factor").get<double>(), 0.1 + 3 * found->factorSigma)
        << c.at("name");
    EXPECT_TRUE(found->known);
  }
}

TEST(Temporal, AFrameCodedAnewStandsOut) {
  EXPECT_TRUE(nearRepeats({2.0, 2.1, 1.9, 2.0}).empty());
  EXPECT_EQ(nearRepeats({2.0, 0.1, 1.9, 0.2, 2.0, 2.1}), (std::vector<size_t>{1, 3}));
}

}  // namespace
}  // namespace edge
