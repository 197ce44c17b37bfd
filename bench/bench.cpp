// What must be fast, measured against what it can't be faster than (docs/performance.md). Ratios within one
// run count, seconds do not.
#include <OpenImageIO/imageio.h>
#include <benchmark/benchmark.h>
#include <unistd.h>

#include <cmath>
#include <filesystem>
#include <map>
#include <nlohmann/json.hpp>
#include <numeric>

#include "base/parallel.h"
#include "color/display.h"
#include "image/accumulator.h"
#include "image/decode.h"
#include "measure/range.h"
#include "media/writers.h"
#include "recover/picture.h"
#include "simulate/random.h"
#include "simulate/scenario.h"
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
      frame.channels.push_back(
          {reinterpret_cast<const std::byte*>(samples.data() + c), kWidth * 6, 6, kWidth, kHeight});
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
  const Decoder decoder(uhd().format, {"acescct", {}, {}, {}, {}, {}});
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
        sums[static_cast<size_t>(k)][static_cast<size_t>(c)].add(
            blocks[static_cast<size_t>(k)].linear[plane].data());
      }
    });
  state.SetBytesProcessed(state.iterations() * uhd().bytes());
}
BENCHMARK(patchStatistics)->UseRealTime()->Unit(benchmark::kMillisecond);

// An UHD wedge clip of a few noisy frames, written once into a temporary folder.
enum Kind { Ffv1, Tiff, Dpx, Dng };
struct BenchClip {
  std::filesystem::path path;
  Chart chart;
};

std::filesystem::path benchFolder() {
  return std::filesystem::temp_directory_path() / ("edge-bench-" + std::to_string(::getpid()));
}

const BenchClip& clip(int kind) {
  static std::map<int, BenchClip> clips;
  if (clips.count(kind)) return clips[kind];
  constexpr int kFrames = 8;
  std::vector<double> stops(21);
  for (int i = 0; i < 21; ++i) stops[static_cast<size_t>(i)] = -i;
  BenchClip c;
  c.chart = wedgeChart(stops, kWidth, kHeight);
  const auto folder = benchFolder();
  std::filesystem::create_directories(folder);
  const SimulatedCamera camera(demoScenario(false).configurations.front().camera, 500);
  const SceneImage scene = renderWedge(c.chart, kWidth, kHeight);
  if (kind == Ffv1) {
    c.path = folder / "wedge.mkv";
    MovieWriter writer(c.path, kWidth, kHeight, 24);
    for (int n = 0; n < kFrames; ++n) {
      const auto f = camera.logFrame(scene, 15, static_cast<std::uint64_t>(n));
      writer.add(f.y, f.cb, f.cr);
    }
    writer.finish();
  } else if (kind == Dng) {
    c.path = folder / "dng";
    std::filesystem::create_directories(c.path);
    for (int n = 0; n < kFrames; ++n)
      writeDng(c.path / ("w." + std::to_string(1000 + n) + ".dng"), camera.dngFor(scene),
               camera.rawFrame(scene, 15, static_cast<std::uint64_t>(n)));
  } else {
    const std::string extension = kind == Tiff ? "tif" : "dpx";
    c.path = folder / extension;
    std::filesystem::create_directories(c.path);
    const auto curve = makeCurve("acescct").curve;
    for (int n = 0; n < kFrames; ++n) {
      const SceneImage d = camera.developedFrame(scene, 15, static_cast<std::uint64_t>(n));
      std::vector<std::uint16_t> codes(d.rgb.size());
      parallelFor(kHeight, [&](int y) {
        for (size_t i = static_cast<size_t>(y) * kWidth * 3; i < static_cast<size_t>(y + 1) * kWidth * 3; ++i)
          codes[i] = static_cast<std::uint16_t>(std::clamp(curve->toCode(d.rgb[i]), 0.0, 1.0) * 65535);
      });
      auto out = OIIO::ImageOutput::create(extension);
      OIIO::ImageSpec spec(kWidth, kHeight, 3, OIIO::TypeDesc::UINT16);
      if (kind == Dpx) spec["oiio:BitsPerSample"] = 10;
      out->open((c.path / ("w." + std::to_string(1000 + n) + "." + extension)).string(), spec);
      out->write_image(OIIO::TypeDesc::UINT16, codes.data());
      out->close();
    }
  }
  return clips[kind] = c;
}

void decodeOnly(benchmark::State& state) {
  const auto& c = clip(static_cast<int>(state.range(0)));
  for (auto _ : state) forEachFrame(*openClip(c.path), {}, Progress(), [](const Frame&) {});
}
BENCHMARK(decodeOnly)
    ->ArgName("ffv1_tiff_dpx_dng")
    ->DenseRange(Ffv1, Dng)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond)
    ->Iterations(3);

void rangeOfClip(benchmark::State& state) {
  const auto& c = clip(static_cast<int>(state.range(0)));
  for (auto _ : state) {
    const auto reader = openClip(c.path);
    const char* curve = state.range(0) == Dng ? "linear" : "acescct";
    const WedgeMeasure w = measureWedge(*reader, {curve, {}, {}, {}, {}, {}}, c.chart, {}, Progress());
    benchmark::DoNotOptimize(analyseRange(w, {}));
  }
}
BENCHMARK(rangeOfClip)
    ->ArgName("ffv1_tiff_dpx_dng")
    ->DenseRange(Ffv1, Dng)
    ->UseRealTime()
    ->Unit(benchmark::kMillisecond)
    ->Iterations(3);

// Stage Review: four frames on their way to the screen beside each other, each from a clip opened anew.
void fourPictures(benchmark::State& state) {
  const BenchClip& c = clip(static_cast<int>(state.range(0)));
  DecodeOptions decode;
  decode.curve = state.range(0) == Dng ? "linear" : "acescct";
  for (auto _ : state)
    parallelFor(4, [&](int) {
      benchmark::DoNotOptimize(renderPicture(c.path, decode, 0, 1, 0, kSoftShoulder, Progress()).rgb.data());
    });
}
BENCHMARK(fourPictures)->Arg(Ffv1)->Arg(Tiff)->Arg(Dng)->UseRealTime()->Unit(benchmark::kMillisecond);

// A changed threshold: the arithmetic of a measured wedge again.
void thresholdChanged(benchmark::State& state) {
  const auto reader = openClip(clip(Tiff).path);
  const WedgeMeasure w =
      measureWedge(*reader, {"acescct", {}, {}, {}, {}, {}}, clip(Tiff).chart, {}, Progress());
  RangeOptions options;
  for (auto _ : state) {
    options.headlineSnr += 0.01;
    benchmark::DoNotOptimize(analyseRange(w, options));
  }
}
BENCHMARK(thresholdChanged)->UseRealTime()->Unit(benchmark::kMillisecond);

}  // namespace

int main(int argc, char** argv) {
  benchmark::Initialize(&argc, argv);
  benchmark::RunSpecifiedBenchmarks();
  std::error_code ec;
  std::filesystem::remove_all(benchFolder(), ec);
  return 0;
}
