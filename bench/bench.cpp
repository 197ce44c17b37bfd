// What must be fast, measured against what it can't be faster than (docs/performance.md). Ratios within one run count,
// seconds do not. edge-bench [FFV1 movie or TIFF folder with its chart in EDGE_BENCH_CHART]
#include <benchmark/benchmark.h>

#include <cmath>
#include <cstdlib>
#include <filesystem>
#include <nlohmann/json.hpp>
#include <numeric>

#include "base/parallel.h"
#include "image/accumulator.h"
#include "image/decode.h"
#include "measure/range.h"
#include "recover/picture.h"
#include "simulate/random.h"
#include "simulate/scene.h"

namespace {

using namespace edge;

constexpr int kWidth = 3840, kHeight = 2160;

struct UhdFrame {
  std::vector<std::uint16_t> samples = std::vector<std::uint16_t>(3 * static_cast<size_t>(kWidth) * kHeight);
  PixelFormat format;
  Frame frame;

  UhdFrame() {
    RandomStream random(1);
    for (auto& s : samples) s = static_cast<std::uint16_t>(20000 + random.next() % 4000);
    format.width = kWidth, format.height = kHeight;
    for (int c = 0; c < 3; ++c)
      frame.channels.push_back({reinterpret_cast<const std::byte*>(samples.data() + c), kWidth * 6, 6, kWidth, kHeight});
  }
  [[nodiscard]] std::int64_t bytes() const { return static_cast<std::int64_t>(samples.size() * 2); }
};

const UhdFrame& uhd() {
  static const UhdFrame frame;
  return frame;
}

// The floor: every byte of the frame read once, on all cores.
void sumFrame(benchmark::State& state) {
  const auto& samples = uhd().samples;
  const int parts = threads() * 8;
  std::vector<std::uint64_t> sums(static_cast<size_t>(parts));
  for (auto _ : state) {
    parallelFor(parts, [&](int i) {
      const size_t from = samples.size() * i / parts, to = samples.size() * (i + 1) / parts;
      std::uint64_t s = 0;
      for (size_t k = from; k < to; ++k) s += samples[k];
      sums[static_cast<size_t>(i)] = s;
    });
    benchmark::DoNotOptimize(sums.data());
  }
  state.SetBytesProcessed(state.iterations() * uhd().bytes());
}
BENCHMARK(sumFrame)->UseRealTime()->Unit(benchmark::kMillisecond);

// All 21 patches of a wedge that fills the frame: decode to linear, all sums of the noise analysis.
void patchStatistics(benchmark::State& state) {
  std::vector<double> stops(21);
  std::iota(stops.begin(), stops.end(), 0.0);
  const Chart chart = wedgeChart(stops, kWidth, kHeight);
  const Decoder decoder(uhd().format, {"acescct", {}, {}, {}});
  std::vector<Rect> areas;
  for (const auto& p : chart.patches) areas.push_back(innerRect(p.corners, 0.08, 3, kMaxPatchSide));
  std::vector<std::vector<RegionAccumulator>> sums;
  for (const auto& r : areas) sums.emplace_back(4, RegionAccumulator(r.width, r.height));
  std::vector<Block> blocks(areas.size());
  for (auto _ : state)
    parallelFor(static_cast<int>(areas.size()), [&](int k) {
      decoder.readBlock(uhd().frame, areas[static_cast<size_t>(k)], blocks[static_cast<size_t>(k)], true);
      for (int c = 0; c < 4; ++c) {
        const int plane = c == 3 ? static_cast<int>(Channel::Y) : c == 2 ? static_cast<int>(Channel::B) : c;
        sums[static_cast<size_t>(k)][static_cast<size_t>(c)].add(blocks[static_cast<size_t>(k)].linear[plane].data());
      }
    });
  state.SetBytesProcessed(state.iterations() * uhd().bytes());
}
BENCHMARK(patchStatistics)->UseRealTime()->Unit(benchmark::kMillisecond);

const char* clipPath() { return std::getenv("EDGE_BENCH_CLIP"); }

void decodeOnly(benchmark::State& state) {
  if (!clipPath()) return state.SkipWithError("set EDGE_BENCH_CLIP and EDGE_BENCH_CHART");
  for (auto _ : state) forEachFrame(*openClip(clipPath()), {}, Progress(), [](const Frame&) {});
}
BENCHMARK(decodeOnly)->UseRealTime()->Unit(benchmark::kMillisecond);

void rangeOfClip(benchmark::State& state) {
  if (!clipPath() || !std::getenv("EDGE_BENCH_CHART")) return state.SkipWithError("set EDGE_BENCH_CLIP and EDGE_BENCH_CHART");
  const Chart chart = readChart(std::getenv("EDGE_BENCH_CHART"));
  for (auto _ : state) {
    const auto reader = openClip(clipPath());
    const WedgeMeasure w = measureWedge(*reader, {"acescct", {}, {}, {}}, chart, {}, Progress());
    benchmark::DoNotOptimize(analyseRange(w, {}));
  }
}
BENCHMARK(rangeOfClip)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace

BENCHMARK_MAIN();
