// Branches of bring-back: corrections that are known come back. The truth is made here, in closed form, not
// by the simulator.
#include <gtest/gtest.h>

#include <cmath>
#include <random>

#include "color/lab.h"
#include "recover/correction.h"

namespace edge {
namespace {

// Greys, skins and colours of a chart, scene-linear.
std::vector<ColourPair> chart(std::mt19937_64& random) {
  std::vector<ColourPair> pairs;
  std::uniform_real_distribution<double> u(-1, 1);
  for (int i = 0; i < 8; ++i) {
    ColourPair p;
    const double level = 0.9 * std::exp2(-0.8 * i);
    p.base = {level, level, level};
    p.neutral = true;
    pairs.push_back(p);
  }
  for (int i = 0; i < 18; ++i) {
    ColourPair p;
    for (double& v : p.base) v = 0.15 * std::exp2(1.5 * u(random));
    pairs.push_back(p);
  }
  for (auto& p : pairs) {
    p.takeError = {1e-5, 1e-5, 1e-5};
    p.baseError = {1e-5, 1e-5, 1e-5};
  }
  return pairs;
}

Vec3 each(const Vec3& v, const std::function<double(double)>& f) {
  return {f(v[0]), f(v[1]), f(v[2])};
}

class Branches : public ::testing::Test {
 protected:
  [[nodiscard]] BranchProblem problem(std::vector<ColourPair> pairs, const BringBack& exposure = {}) const {
    return {*curve_, display_, Primaries::Bt709, exposure, std::move(pairs)};
  }
  // Mean CIEDE2000 after a correction.
  [[nodiscard]] double residual(const SolvedBranch& s, const std::vector<ColourPair>& pairs) const {
    double sum = 0;
    const auto lab = [&](const Vec3& v) { return labOfDisplayLight(display_.light(v), Primaries::Bt709); };
    for (const auto& p : pairs) sum += deltaE2000(lab(s.correction.light(p.take, *curve_)), lab(p.base));
    return sum / static_cast<double>(pairs.size());
  }
  std::shared_ptr<const Curve> curve_ = makeCurve("acescct").curve;
  DisplayTransform display_{kSoftShoulder};
};

// What undoes a grade: the inverse of ASC CDL 1.2 where nothing is clamped.
Vec3 inverse(const Cdl& c, Vec3 v) {
  const Vec3 w = lumaWeights(Primaries::Bt709);
  const double luma = w[0] * v[0] + w[1] * v[1] + w[2] * v[2];
  for (size_t i = 0; i < 3; ++i) {
    v[i] = luma + (v[i] - luma) / c.saturation;
    v[i] = (std::pow(v[i], 1 / c.power[i]) - c.offset[i]) / c.slope[i];
  }
  return v;
}

TEST_F(Branches, AKnownGradeIsFoundAgain) {
  std::mt19937_64 random(4);
  std::uniform_real_distribution<double> u(-1, 1);
  for (int n = 0; n < 30; ++n) {
    Cdl truth;
    for (size_t i = 0; i < 3; ++i) {
      truth.slope[i] = std::exp2(0.25 * u(random));
      truth.offset[i] = 0.12 * u(random);
      truth.power[i] = std::exp2(0.25 * u(random));
    }
    truth.saturation = std::exp2(0.4 * u(random));
    auto pairs = chart(random);
    for (auto& p : pairs)
      p.take = each(inverse(truth, each(p.base, [&](double x) { return curve_->toCode(x); })),
                    [&](double c) { return curve_->toLinear(c); });
    const auto s = solveBranch(Branch::Grade, problem(pairs));
    ASSERT_TRUE(s) << n;
    EXPECT_LT(residual(*s, pairs), 0.1) << n;
    EXPECT_TRUE(s->atBound.empty()) << n;
    EXPECT_NEAR(s->correction.cdl.saturation, truth.saturation, 0.02) << n;
    // Slope, offset and power trade against each other: compared by what they do to a code in use.
    for (double code = 0.2; code <= 0.55; code += 0.05)
      for (size_t c = 0; c < 3; ++c)
        EXPECT_NEAR(s->correction.cdl.apply({code, code, code})[c], truth.apply({code, code, code})[c], 0.004)
            << n << " code " << code;
  }
}

TEST_F(Branches, KnownGainsAreBalanced) {
  std::mt19937_64 random(5);
  std::uniform_real_distribution<double> u(-1, 1);
  for (int n = 0; n < 30; ++n) {
    const Vec3 cast = {std::exp2(0.3 * u(random)), 1, std::exp2(0.3 * u(random))};
    BringBack exposure;
    exposure.k = std::exp2(4 * u(random));
    auto pairs = chart(random);
    for (auto& p : pairs)
      for (size_t c = 0; c < 3; ++c) p.take[c] = p.base[c] * exposure.k * cast[c];
    const auto s = solveBranch(Branch::Balance, problem(pairs, exposure));
    ASSERT_TRUE(s);
    for (size_t c = 0; c < 3; ++c) EXPECT_NEAR(s->correction.gains[c] * cast[c], 1, 1e-6) << n;
    EXPECT_LT(residual(*s, pairs), 1e-3);
    // Exposure alone keeps the cast in sight.
    if (std::abs(std::log2(cast[0])) > 0.1) {
      EXPECT_GT(residual(*solveBranch(Branch::Exposure, problem(pairs, exposure)), pairs), 0.5) << n;
    }
  }
}

// ACEScc, S-2014-003: a stop is 1/17.52 of code everywhere above its floor.
TEST_F(Branches, OnAPureLogCurveAStopIsAnOffset) {
  std::mt19937_64 random(6);
  for (const double stops : {-3.0, -1.0, 0.5, 2.0}) {
    auto pairs = chart(random);
    for (auto& p : pairs) {
      p.base = each(p.base, [](double x) { return std::max(x, 0.1); });
      p.take = each(p.base, [&](double x) { return x * std::exp2(stops); });
    }
    const auto s = solveBranch(Branch::LogOffset, problem(pairs));
    ASSERT_TRUE(s);
    EXPECT_NEAR(s->correction.codeOffset, -stops / 17.52, 5e-4) << stops;
    EXPECT_NEAR(s->effort, std::abs(stops) / 17.52 / kMostOffset, 1e-3);
  }
}

TEST_F(Branches, AParameterAtItsBoundIsSaid) {
  std::mt19937_64 random(7);
  auto pairs = chart(random);
  // A red channel that is three stops down asks for more than a balance may give.
  for (auto& p : pairs) p.take = {p.base[0] / 8, p.base[1], p.base[2]};
  const auto s = solveBranch(Branch::Balance, problem(pairs));
  ASSERT_TRUE(s);
  EXPECT_EQ(s->atBound, std::vector<std::string>{"gain R"});
  EXPECT_EQ(s->effort, 1);
}

TEST_F(Branches, TooFewColoursAreRefused) {
  std::mt19937_64 random(8);
  auto pairs = chart(random);
  pairs.resize(2);
  for (auto& p : pairs) p.take = p.base;
  EXPECT_TRUE(solveBranch(Branch::Exposure, problem(pairs)));
  EXPECT_TRUE(solveBranch(Branch::Balance, problem(pairs)));
  EXPECT_FALSE(solveBranch(Branch::Grade, problem(pairs)));
  EXPECT_FALSE(solveBranch(Branch::LogOffset, problem(pairs)));
  for (auto& p : pairs) p.neutral = false;
  EXPECT_FALSE(solveBranch(Branch::Balance, problem(pairs)));
}

TEST_F(Branches, CodeAndLightAreTheSameCorrection) {
  std::mt19937_64 random(9);
  auto pairs = chart(random);
  for (auto& p : pairs) p.take = each(p.base, [](double x) { return 0.3 * x; });
  BringBack exposure;
  exposure.k = 0.3;
  for (const auto& b : branches()) {
    const auto s = solveBranch(b.id, problem(pairs, exposure));
    ASSERT_TRUE(s) << b.key;
    for (const auto& p : pairs) {
      const Vec3 light = s->correction.light(p.take, *curve_);
      const Vec3 code =
          s->correction.code(each(p.take, [&](double x) { return curve_->toCode(x); }), *curve_);
      for (size_t c = 0; c < 3; ++c) EXPECT_NEAR(curve_->toCode(light[c]), code[c], 1e-9) << b.key;
    }
    EXPECT_EQ(parseBranch(b.key), b.id);
  }
}

}  // namespace
}  // namespace edge
