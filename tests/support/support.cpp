#include "support/support.h"

#include <dlfcn.h>
#include <fmt/format.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cmath>
#include <cstdlib>
#include <fstream>
#include <nlohmann/json.hpp>
#include <stdexcept>

#include "base/files.h"

namespace fs = std::filesystem;

namespace edge::test {

TempFolder::TempFolder() {
  std::string name = (fs::temp_directory_path() / "edge-test-XXXXXX").string();
  if (!::mkdtemp(name.data())) throw std::runtime_error("no temporary folder");
  path_ = name;
}

TempFolder::~TempFolder() {
  std::error_code ec;
  fs::remove_all(path_, ec);
}

Ran runCli(const std::string& arguments) {
  const TempFolder folder;
  const fs::path out = folder / "out", err = folder / "err";
  const int status =
      std::system(fmt::format("{} {} >{} 2>{}", EDGE_CLI, arguments, out.string(), err.string()).c_str());
  const auto text = [](const fs::path& f) {
    std::ifstream in(f, std::ios::binary);
    return std::string(std::istreambuf_iterator<char>(in), {});
  };
  return {WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status), text(out), text(err)};
}

void writeText(const fs::path& file, const std::string& text) {
  std::ofstream(file, std::ios::binary) << text;
}

void writeImage(const fs::path& file, int width, int height, int channels, const std::vector<float>& pixels,
                int bits) {
  // Loaded when a test asks for it, as the application does with its reader: most tests need no picture.
  using Write = void (*)(const fs::path&, int, int, int, const std::vector<float>&, int);
  static void* library = dlopen("libedge_test_pictures.so", RTLD_NOW | RTLD_LOCAL);
  if (!library) throw std::runtime_error(dlerror());
  reinterpret_cast<Write>(dlsym(library, "edgeWritePicture"))(file, width, height, channels, pixels, bits);
}

double TextbookSensor::trueRange(double snr) const {
  // x F / sqrt(x F + r^2) = s  =>  (xF)^2 - s^2 xF - s^2 r^2 = 0
  const double electrons = (snr * snr + std::sqrt(snr * snr * snr * snr + 4 * snr * snr * read * read)) / 2;
  return std::log2(fullWell / electrons);
}

std::vector<float> TextbookSensor::expose(const std::vector<float>& light, int width,
                                          std::uint64_t frame) const {
  static const NormalTable normal;
  std::vector<float> out(light.size());
  for (size_t i = 0; i < light.size(); i += static_cast<size_t>(width)) {
    RandomStream random(seed, frame, i);
    for (size_t x = i; x < i + static_cast<size_t>(width); ++x) {
      const std::uint64_t bits = random.next();
      const auto mean = static_cast<float>((light[x] + glareLinear) * fullWell);
      float e = poisson(mean, normal(static_cast<std::uint32_t>(bits)),
                        (static_cast<double>(bits >> 32) + 0.5) * 0x1p-32);
      e = std::min(e, static_cast<float>(fullWell)) +
          static_cast<float>(read) * normal(static_cast<std::uint32_t>(bits >> 16));
      out[x] = static_cast<float>(std::min<double>(e / fullWell, 1) + pedestalLinear);
    }
  }
  if (blurSigma > 0) {  // separable Gaussian, 7 taps
    float taps[7], sum = 0;
    for (int k = -3; k <= 3; ++k)
      sum += taps[k + 3] = static_cast<float>(std::exp(-k * k / (2 * blurSigma * blurSigma)));
    const int height = static_cast<int>(out.size()) / width;
    for (int pass = 0; pass < 2; ++pass) {
      std::vector<float> next(out.size());
      for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
          float v = 0;
          for (int k = -3; k <= 3; ++k) {
            const int xx = pass ? x : std::clamp(x + k, 0, width - 1),
                      yy = pass ? std::clamp(y + k, 0, height - 1) : y;
            v += taps[k + 3] * out[static_cast<size_t>(yy) * width + xx];
          }
          next[static_cast<size_t>(y) * width + x] = v / sum;
        }
      out = next;
    }
  }
  if (clampBlack)
    for (auto& v : out) v = std::max(v, static_cast<float>(pedestalLinear));
  return out;
}

WedgeClip writeWedge(const fs::path& folder, const std::string& extension, int bits,
                     const TextbookSensor& sensor, const Curve& curve, int frames, int steps, double over) {
  constexpr int kWidth = 640, kHeight = 300;
  std::vector<double> stops;
  for (int i = 0; i < steps; ++i) stops.push_back(-i);
  WedgeClip w;
  w.chart = wedgeChart(stops, kWidth, kHeight);
  w.clip = folder / ("wedge-" + extension);
  fs::create_directories(w.clip);
  w.chartFile = folder / "chart.json";
  writeText(w.chartFile, toJson(w.chart).dump());
  const SceneImage scene = renderWedge(w.chart, kWidth, kHeight);
  std::vector<float> light(static_cast<size_t>(kWidth) * kHeight);
  for (size_t i = 0; i < light.size(); ++i) light[i] = scene.rgb[3 * i] * static_cast<float>(std::exp2(over));
  for (int n = 0; n < frames; ++n) {
    std::vector<float> pixels(light.size() * 3);
    for (int c = 0; c < 3; ++c) {
      const auto channel = sensor.expose(light, kWidth, static_cast<std::uint64_t>(n * 3 + c));
      for (size_t i = 0; i < channel.size(); ++i)
        pixels[3 * i + static_cast<size_t>(c)] = static_cast<float>(curve.toCode(channel[i]));
    }
    writeImage(w.clip / fmt::format("w.{:04d}.{}", n, extension), kWidth, kHeight, 3, pixels, bits);
  }
  return w;
}

}  // namespace edge::test
