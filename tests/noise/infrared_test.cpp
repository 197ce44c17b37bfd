// Infrared over ND: cloths of closed form whose infrared share grows with density; the density at which the
// shift passes its limit from the test's own L*a*b*.
#include "noise/infrared.h"

#include <gtest/gtest.h>

#include <cstdlib>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "noise/plain_series.h"
#include "noise/store.h"

namespace edge {
namespace {

using namespace test;

struct Cloths {
  double black = 0.02, white = 0.7;         // of visible light
  double leakBlack = 0.6, leakWhite = 0.8;  // what they send back of infrared
  double infrared = 0.0004;                 // of it in the light, through no filter, as the sensor sees it
  std::array<double, 3> sees{1, 0.3, 0.5};  // infrared by channel
  double perDensity = 1;                    // of the density, that infrared does not meet

  // Scene-linear, the light raised by the filter's density: what infrared passes of it is not held back.
  [[nodiscard]] std::array<double, 3> colour(bool isBlack, double nd) const {
    std::array<double, 3> v{};
    const double leak = infrared * std::pow(10, nd * perDensity) * (isBlack ? leakBlack : leakWhite);
    for (size_t c = 0; c < 3; ++c) v[c] = (isBlack ? black : white) + leak * sees[c];
    return v;
  }
  [[nodiscard]] std::pair<double, double> shift(double nd) const {
    const auto luma = [](const std::array<double, 3>& v) {
      return kWeights[0] * v[0] + kWeights[1] * v[1] + kWeights[2] * v[2];
    };
    const auto difference = [&](double at) {
      const double k = luma(colour(false, at)) / luma(colour(false, 0));
      const auto lab = [&](bool isBlack) {
        auto v = colour(isBlack, at);
        for (double& x : v) x /= k;
        return seenLab(v);
      };
      const auto b = lab(true), w = lab(false);
      return std::pair(b[1] - w[1], b[2] - w[2]);
    };
    const auto here = difference(nd), there = difference(0);
    return {here.first - there.first, here.second - there.second};
  }
};

constexpr double kDensities[] = {0, 0.6, 1.2, 1.8, 2.4, 3.0};
constexpr int kSide = 64;

InfraredMeasure shoot(const Cloths& c, const fs::path& folder, std::uint64_t seed,
                      const std::function<void(Footage&, size_t)>& spoil = {}, Series* out = nullptr) {
  std::mt19937_64 random(seed);
  std::normal_distribution<double> normal;
  Series s;
  s.kind = "infrared";
  writeLogCurve(folder / "log.json");
  s.decode.curve = (folder / "log.json").string();
  const auto region = [](const char* name, double x) {
    Patch p;
    p.name = name;
    p.role = name;
    p.corners = {{{x, 0}, {x + kSide, 0}, {x + kSide, kSide}, {x, kSide}}};
    return p;
  };
  s.regions = {region("black", 0), region("white", kSide)};
  for (size_t i = 0; i < std::size(kDensities); ++i) {
    Footage f;
    f.width = 2 * kSide;
    f.height = kSide;
    f.camera.frames = 4;
    for (int k = 0; k < 4; ++k) {
      auto& frame = f.frames.emplace_back();
      for (int y = 0; y < kSide; ++y)
        for (int x = 0; x < 2 * kSide; ++x)
          for (double v : c.colour(x < kSide, kDensities[i]))
            frame.push_back(static_cast<float>(v + 0.01 * std::sqrt(v) * normal(random)));
    }
    if (spoil) spoil(f, i);
    const fs::path clip = folder / fmt::format("nd{}.mkv", i);
    record(f, clip, checked(10, Sampling::Full444));
    TakeSpec t = takeAt(fmt::format("nd{}", i), clip, 0, 800);
    t.nd = kDensities[i];
    s.takes.push_back(t);
  }
  if (out) *out = s;
  return measureInfrared(s, Progress());
}

TEST(Infrared, ShiftsAndTheLastCleanDensityAreThoseOfTheCloths) {
  const char* wanted = std::getenv("EDGE_STUDY");
  const int n = wanted ? std::atoi(wanted) : 4;
  const TempFolder folder;
  std::mt19937_64 random(71);
  std::uniform_real_distribution<double> u(0, 1);
  double worst = 0, worstNd = 0;
  int atLeast = 0, inside = 0, shifts = 0;
  for (int i = 0; i < n; ++i) {
    Cloths c;
    c.black = 0.01 + 0.03 * u(random);
    c.infrared = 2e-5 * std::pow(10, 1.5 * u(random));
    c.sees = {1, 0.1 + 0.6 * u(random), 0.1 + 0.8 * u(random)};
    const InfraredMeasure m = shoot(c, folder.path(), random());
    ASSERT_EQ(m.takes.size(), std::size(kDensities));
    for (const auto& t : m.takes) {
      const auto [a, b] = c.shift(t.nd);
      const double off = std::hypot(t.a - a, t.b - b);
      worst = std::max(worst, off);
      if (t.nd == 0) continue;
      ++shifts;
      inside += off <= std::max(0.05, 2.5 * t.sigma);
    }
    const InfraredResult r = judgeInfrared(m, CriteriaProfile());
    ASSERT_TRUE(r.cleanUpTo);
    // Interpolated as the tool does, between the test's own shifts.
    const double limit = CriteriaProfile()[Criterion::ColourShift].clean;
    const auto size = [&](double nd) { return std::hypot(c.shift(nd).first, c.shift(nd).second); };
    if (size(kDensities[5]) < limit) {
      ++atLeast;
      EXPECT_TRUE(r.atLeast);
      continue;
    }
    for (size_t k = 1; k < std::size(kDensities); ++k) {
      const double before = size(kDensities[k - 1]), after = size(kDensities[k]);
      if (after < limit) continue;
      const double truth = kDensities[k - 1] + 0.6 * (limit - before) / (after - before);
      worstNd = std::max(worstNd, std::abs(*r.cleanUpTo - truth));
      break;
    }
    EXPECT_TRUE(r.colourPerStop);
    EXPECT_FALSE(r.words.empty());
  }
  std::printf(
      "%d series: worst shift %.2f, %d of %d inside their error; worst density %.3f; %d clean throughout\n",
      n, worst, inside, shifts, worstNd, atLeast);
  EXPECT_LT(worst, 0.5);
  EXPECT_LT(worstNd, 0.05);
  EXPECT_GE(inside, shifts * 9 / 10);
}

TEST(Infrared, ALightThatWasNotRaisedIsSaid) {
  const TempFolder folder;
  const InfraredMeasure m = shoot({}, folder.path(), 1, [](Footage& f, size_t take) {
    for (auto& frame : f.frames)
      for (float& v : frame) v *= static_cast<float>(std::exp2(-0.4 * static_cast<double>(take)));
  });
  EXPECT_TRUE(warns(judgeInfrared(m, CriteriaProfile()).warnings, "unequal-brightness"));
}

TEST(Infrared, ADamagedFrameIsSaid) {
  const TempFolder folder;
  Series s;
  const CriteriaProfile profile;
  EXPECT_FALSE(warns(judgeInfrared(shoot({}, folder.path(), 5, {}, &s), profile).warnings, "truncated"));
  flipABit(s.takes[2].clip);
  const InfraredMeasure m = infraredFromJson(toJson(measureInfrared(s, Progress())));
  EXPECT_EQ(m.takes[2].missing.count, 1);
  EXPECT_TRUE(warns(judgeInfrared(m, profile).warnings, "truncated"));
}

TEST(Infrared, ATintedFilterIsSaid) {
  const TempFolder folder;
  const InfraredMeasure m = shoot({}, folder.path(), 2, [](Footage& f, size_t take) {
    for (auto& frame : f.frames)
      for (size_t i = 0; i < frame.size(); i += 3) frame[i] *= take >= 3 ? 1.2F : 1.0F;
  });
  EXPECT_TRUE(warns(judgeInfrared(m, CriteriaProfile()).warnings, "nd-tint"));
}

TEST(Infrared, WithoutMarkedClothsItSaysWhatIsMissing) {
  Series s;
  s.kind = "infrared";
  EXPECT_THROW((void)measureInfrared(s, Progress()), Error);
}

}  // namespace
}  // namespace edge
