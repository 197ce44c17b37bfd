// Errors of the range and what they are said to be, over random simulated cameras: mean, spread, and how
// often the truth lies within one and two of the stated standard errors. EDGE_CAMERAS=200 runs the full set a
// format.
#include <gtest/gtest.h>

#include <cstdlib>

#include "measure/wedge_camera.h"

namespace edge {
namespace {

struct Tally {
  int n = 0, one = 0, two = 0, open = 0;
  double sum = 0, squares = 0, worst = 0;
  void add(double error, double sigma) {
    ++n, sum += error, squares += error * error, worst = std::max(worst, std::abs(error));
    one += std::abs(error) <= sigma, two += std::abs(error) <= 2 * sigma;
  }
};

TEST(RangeStudy, ErrorsAreWhatTheyAreSaidToBe) {
  const char* wanted = std::getenv("EDGE_CAMERAS");
  const int cameras = wanted ? std::atoi(wanted) : 12;
  const test::TempFolder folder;
  for (const int bits : {32, 16, 10, 8}) {
    RandomStream random(11, static_cast<std::uint64_t>(bits), 1);
    Tally two, one;
    for (int i = 0; i < cameras; ++i) {
      Wedge w;
      w.well = std::exp2(11 + 5 * random.uniform()), w.read = 1 + 7 * random.uniform();
      w.over = 0.6 + 2 * random.uniform(), w.step = 0.9 + 0.1 * random.uniform();
      w.bits = bits, w.seed = static_cast<std::uint64_t>(1000 * bits + i);
      WedgeMeasure m;
      const RangeResult r = analyse(w, folder / "w", &m);
      const auto note = [&](Tally& t, double snr) {
        const auto at = r.channel[kY].range.find(snr);
        if (at == r.channel[kY].range.end() || at->second.atLeast) return void(++t.open);
        t.add(at->second.stops - trueLumaRange(w, snr), at->second.sigma);
      };
      note(two, 2), note(one, 1);
    }
    for (const auto& [snr, t] : {std::pair(2, two), std::pair(1, one)}) {
      const double n = std::max(1, t.n), mean = t.sum / n;
      std::printf(
          "%2d bit SNR %d: %3d cameras, mean %+.3f, sd %.3f, worst %.3f, within one sigma %.0f %%, two %.0f "
          "%%, "
          "open %d\n",
          bits, snr, t.n, mean, std::sqrt(std::max(0.0, t.squares / n - mean * mean)), t.worst,
          100 * t.one / n, 100 * t.two / n, t.open);
      if (bits == 8) continue;  // eight bits of log are limited by rounding: they must say so, not be exact
      EXPECT_LT(std::abs(mean), 0.05) << bits;
      EXPECT_LT(t.worst, 0.25) << bits;
      EXPECT_GE(t.two, 0.85 * t.n) << bits;
    }
  }
}

}  // namespace
}  // namespace edge
