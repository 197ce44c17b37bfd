// The split of noise against numpy and scipy: values of tests/reference/noise_split.json, made by
// noise_split.py (numpy 1.24, scipy 1.10 of Debian 12) from the definitions, on the same fixed array.
#include <gtest/gtest.h>

#include <fstream>
#include <nlohmann/json.hpp>
#include <vector>

#include "measure/noise.h"

namespace edge {
namespace {

// ISO C's example generator, twelve numbers to a value: the array of noise_split.py.
class Numbers {
 public:
  double next() {
    double total = 0;
    for (int i = 0; i < 12; ++i) {
      x_ = (1103515245ULL * x_ + 12345ULL) % 2147483648ULL;
      total += static_cast<double>(x_) / 2147483648.0;
    }
    return total - 6;
  }
  std::vector<double> next(int n) {
    std::vector<double> v;
    for (int i = 0; i < n; ++i) v.push_back(next());
    return v;
  }

 private:
  std::uint64_t x_ = 20261125;
};

TEST(NoiseReference, SplitAgreesWithNumpy) {
  std::ifstream in(std::string(EDGE_REFERENCE) + "/noise_split.json");
  const auto reference = nlohmann::json::parse(in);
  const int N = reference.at("frames"), H = reference.at("rows"), W = reference.at("columns");
  Numbers g;
  const auto pixel = g.next(N * H * W), row = g.next(N * H), column = g.next(N * W), frame = g.next(N),
             fixed = g.next(H * W), fixedRow = g.next(H), fixedColumn = g.next(W);
  RegionAccumulator region(W, H);
  const auto at = [](const std::vector<double>& v, int i) { return v[static_cast<size_t>(i)]; };
  for (int t = 0; t < N; ++t) {
    std::vector<float> values;
    for (int y = 0; y < H; ++y)
      for (int x = 0; x < W; ++x)
        values.push_back(static_cast<float>(100 + 2 * at(pixel, (t * H + y) * W + x) +
                                            0.7 * at(row, t * H + y) + 0.5 * at(column, t * W + x) +
                                            0.4 * at(frame, t) + 1.1 * at(fixed, y * W + x) +
                                            0.6 * at(fixedRow, y) + 0.8 * at(fixedColumn, x)));
    region.add(values.data());
  }
  const auto split = splitNoise(region.sums());
  ASSERT_TRUE(split);
  const auto& r = reference.at("split");
  const auto expect = [&](const char* key, double v) {
    const double want = r.at(key);
    EXPECT_NEAR(v, want, 2e-5 * std::max(1.0, std::abs(want))) << key;  // samples are single precision
  };
  expect("pixel_temporal", split->pixelTemporal);
  expect("row_temporal", split->rowTemporal);
  expect("column_temporal", split->columnTemporal);
  expect("pixel_fixed", split->pixelFixed.value());
  expect("row_fixed", split->rowFixed.value());
  expect("column_fixed", split->columnFixed.value());
  expect("flicker", split->flicker);
  expect("temporal_variance", temporalVariance(region.sums()).value());
  expect("skewness", skewness(region.sums()));
}

}  // namespace
}  // namespace edge
