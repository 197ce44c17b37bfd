// A simulated camera: photon noise, read noise, fixed pattern, row noise, full well, converter with pedestal,
// gain circuits, white balance, matrix, log curve. It writes what real cameras write, and knows its own
// analytic truth.
#pragma once
#include <nlohmann/json_fwd.hpp>
#include <string>
#include <vector>

#include "color/curve.h"
#include "media/writers.h"
#include "simulate/random.h"
#include "simulate/scene.h"

namespace edge {

struct GainCircuit {
  double nativeIso = 0;
  double fullWellElectrons = 0;
  double readNoiseElectrons = 0;
  double converterElectrons = 0;  // of noise behind the amplifier, at the native ISO
};

struct CameraModel {
  std::string name;
  std::vector<GainCircuit> circuits;
  double headroomStops = 6;           // clip above grey at native ISO
  double photoResponse = 0.004;       // PRNU, relative sd
  double darkPatternElectrons = 0.1;  // DSNU
  double rowNoiseElectrons = 0.1;
  int bits = 14;
  double pedestalDn = 512;
  std::array<double, 3> whiteBalance = {2, 1, 1.6};
  Mat3 cameraToRgb{};  // white-balanced camera to BT.709, rows sum to 1
  LogCamera log;
  std::string logName;
  bool analogueGain = false;  // ISO amplifies before the converter, else it multiplies numbers
  double readoutSeconds = 0;  // first row to last
  double infraredLeak = 0;    // withInfrared
  std::uint64_t seed = 1;

  [[nodiscard]] const GainCircuit& circuitOf(double nativeIso) const;
  [[nodiscard]] double clipLinear() const;  // scene-linear at which green clips
};

[[nodiscard]] CameraModel cameraFromJson(const nlohmann::json& j);

// Exact figures of the model for neutral light.
struct CameraTruth {
  double lumaRange(double snr) const { return clipStops - lumaStopsAt(snr); }
  [[nodiscard]] double lumaStopsAt(double snr) const;                  // stops from grey where luma SNR = snr
  [[nodiscard]] double channelStopsAt(int channel, double snr) const;  // raw mosaic, R G B
  [[nodiscard]] double channelClipStops(int channel) const;            // raw mosaic
  CameraModel camera;
  GainCircuit circuit;
  bool raw = false;
  double clipStops = 0;  // colour-complete, from grey
};
[[nodiscard]] CameraTruth truthOf(const CameraModel& camera, double nativeIso, bool raw);

// Exposes scenes. One sensor for both modes: raw takes the mosaic at the scene's raster; log combines a 2x2
// cell of sites for every pixel.
class SimulatedCamera {
 public:
  // gain: ISO as set over the native ISO of its circuit; it multiplies what the sensor saw.
  SimulatedCamera(CameraModel model, double nativeIso, double gain = 1);

  // One raw frame of scene.width x scene.height sites. exposure: factor on the scene's light.
  [[nodiscard]] std::vector<std::uint16_t> rawFrame(const SceneImage& scene, double exposure,
                                                    std::uint64_t frame) const;
  struct LogFrame {
    std::vector<std::uint16_t> y, cb, cr;  // ten-bit legal, 4:2:2
  };
  [[nodiscard]] LogFrame logFrame(const SceneImage& scene, double exposure, std::uint64_t frame) const;
  // Scene-linear developed R, G, B before the curve (what the log mode encodes), for direct tests.
  [[nodiscard]] SceneImage developedFrame(const SceneImage& scene, double exposure,
                                          std::uint64_t frame) const;

  [[nodiscard]] DngDescription dngFor(const SceneImage& scene) const;
  [[nodiscard]] const CameraModel& model() const { return model_; }

 private:
  struct Row;
  void exposeRow(const SceneImage& scene, int sceneY, int siteY, int sitesPerPixel, double exposure,
                 std::uint64_t frame, float* dn) const;
  [[nodiscard]] double digitalGain() const { return model_.analogueGain ? 1 : gain_; }
  [[nodiscard]] double analogueGain() const { return gain_ / digitalGain(); }
  [[nodiscard]] int siteColour(int x, int y) const { return (y & 1) ? ((x & 1) ? 2 : 1) : ((x & 1) ? 1 : 0); }

  CameraModel model_;
  GainCircuit circuit_;
  double gain_;
  Mat3 rgbToCamera_{};
  std::shared_ptr<const Curve> curve_;
  NormalTable normal_;
  std::vector<float> logTable_;
};

}  // namespace edge
