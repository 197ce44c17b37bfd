// Shared by the tests: temporary folders, running the command line, synthetic wedges with analytic truth.
#pragma once
#include <filesystem>
#include <functional>
#include <string>
#include <vector>

#include "chart/chart.h"
#include "color/curve.h"
#include "image/frame.h"
#include "simulate/random.h"
#include "simulate/scene.h"

namespace edge::test {

// A folder that is removed with everything in it.
class TempFolder {
 public:
  TempFolder();
  ~TempFolder();
  TempFolder(const TempFolder&) = delete;
  TempFolder& operator=(const TempFolder&) = delete;
  [[nodiscard]] std::filesystem::path path() const { return path_; }
  std::filesystem::path operator/(const std::string& name) const { return path_ / name; }

 private:
  std::filesystem::path path_;
};

struct Ran {
  int exit = -1;
  std::string out, err;
};
// Runs edge-test-cli with these arguments (quoted by the caller where needed).
[[nodiscard]] Ran runCli(const std::string& arguments);

void writeText(const std::filesystem::path& file, const std::string& text);

// Interleaved pixels, 0..1 for integers, written by OpenImageIO as the extension says. bits: 8, 10, 16, 32
// (float), -16 (half).
void writeImage(const std::filesystem::path& file, int width, int height, int channels,
                const std::vector<float>& pixels, int bits);

// A wedge photographed by a textbook sensor: electrons = Poisson(light) + read noise, clipped at the full
// well. Scene-linear 1.0 = full well. Analytic: SNR(x) = x F / sqrt(x F + r^2).
struct TextbookSensor {
  double fullWell = 20000, read = 3;
  double pedestalLinear = 0;  // added after the clip at black
  double glareLinear = 0;     // veiling glare, before the sensor
  bool clampBlack = false;
  double blurSigma = 0;  // spatial filter on the noise
  std::uint64_t seed = 1;

  // Range in stops from the clip down to SNR.
  [[nodiscard]] double trueRange(double snr) const;
  // One channel, one frame, of these linear light levels.
  [[nodiscard]] std::vector<float> expose(const std::vector<float>& light, int width,
                                          std::uint64_t frame) const;
};

struct WedgeClip {
  Chart chart;
  std::filesystem::path clip, chartFile;
};
// Writes a sequence NAME.NNNN.EXT of a wedge (steps of one stop, first over the clip by `over` stops).
WedgeClip writeWedge(const std::filesystem::path& folder, const std::string& extension, int bits,
                     const TextbookSensor& sensor, const Curve& curve, int frames, int steps, double over);

}  // namespace edge::test
