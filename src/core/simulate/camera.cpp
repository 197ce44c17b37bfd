#include "simulate/camera.h"

#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/parallel.h"
#include "base/units.h"
#include "simulate/random.h"

namespace edge {
namespace {

constexpr int kTableSize = 1 << 16;
constexpr float kTableFrom = -0.02F;  // scene-linear share of the clip where the log table starts

double electronsPerLinear(const CameraModel& m, const GainCircuit& c) {
  return c.fullWellElectrons / m.clipLinear();
}
double topDn(const CameraModel& m) {
  return std::exp2(m.bits) - 1;
}
double electronsPerDn(const CameraModel& m, const GainCircuit& c) {
  return c.fullWellElectrons / (topDn(m) - m.pedestalDn);
}

// At the native ISO, electrons squared.
double readVariance(const GainCircuit& c) {
  return c.readNoiseElectrons * c.readNoiseElectrons + c.converterElectrons * c.converterElectrons;
}

double solveStops(const std::function<double(double)>& snrAtLinear, double snr) {
  double low = -25, high = 10;
  for (int i = 0; i < 80; ++i) {
    const double mid = (low + high) / 2;
    (snrAtLinear(kMiddleGrey * std::exp2(mid)) < snr ? low : high) = mid;
  }
  return (low + high) / 2;
}

// Luma as a weighted sum of white-balanced sites: Y = sum w_c raw_c.
Vec3 lumaOfSites(const CameraModel& m) {
  const Vec3 luma = lumaWeights(Primaries::Bt709);
  Vec3 w{};
  for (int c = 0; c < 3; ++c) {
    for (int r = 0; r < 3; ++r) w[c] += luma[r] * m.cameraToRgb[r][c];
    w[c] *= m.whiteBalance[c];
  }
  return w;
}

}  // namespace

const GainCircuit& CameraModel::circuitOf(double nativeIso) const {
  for (const auto& c : circuits)
    if (std::abs(c.nativeIso - nativeIso) < 0.5) return c;
  throw Error("this camera has no such native ISO", name, std::to_string(nativeIso),
              "choose one of its circuits");
}

double CameraModel::clipLinear() const {
  return kMiddleGrey * std::exp2(headroomStops);
}

CameraModel cameraFromJson(const nlohmann::json& j) {
  CameraModel m;
  m.name = j.at("name");
  for (const auto& c : j.at("circuits"))
    m.circuits.push_back(
        {c.at("native_iso"), c.at("full_well_e"), c.at("read_noise_e"), c.value("converter_e", 0.0)});
  m.analogueGain = j.value("analogue_gain", false);
  m.headroomStops = j.at("headroom_stops");
  m.photoResponse = j.at("prnu"), m.darkPatternElectrons = j.at("dsnu_e"),
  m.rowNoiseElectrons = j.at("row_noise_e");
  m.readoutSeconds = j.value("readout_ms", 0.0) / 1000;
  m.infraredLeak = j.value("infrared_leak", 0.0);
  m.bits = j.at("bits"), m.pedestalDn = j.at("pedestal_dn");
  for (int c = 0; c < 3; ++c) m.whiteBalance[c] = j.at("white_balance").at(c);
  for (int r = 0; r < 3; ++r)
    for (int c = 0; c < 3; ++c) m.cameraToRgb[r][c] = j.at("camera_to_bt709").at(r).at(c);
  const auto& log = j.at("log");
  m.logName = log.at("name");
  m.log = {
      log.at("base"),          log.at("logSideSlope"), log.at("logSideOffset"),      log.at("linSideSlope"),
      log.at("linSideOffset"), log.at("linSideBreak"), log.value("linearSlope", 0.0)};
  m.seed = j.at("seed");
  return m;
}

CameraTruth truthOf(const CameraModel& camera, double nativeIso, bool raw) {
  CameraTruth t;
  t.camera = camera, t.circuit = camera.circuitOf(nativeIso), t.raw = raw;
  t.clipStops = camera.headroomStops;
  return t;
}

double CameraTruth::lumaStopsAt(double snr) const {
  const Vec3 w = lumaOfSites(camera);
  const double perLinear = electronsPerLinear(camera, circuit);
  const double step = electronsPerDn(camera, circuit);
  const double read = readVariance(circuit) + step * step / 12;
  return solveStops(
      [&](double x) {
        double variance = 0;  // electrons^2 referred to green
        for (int c = 0; c < 3; ++c)
          variance += w[c] * w[c] * (x / camera.whiteBalance[c] * perLinear + read) / (c == 1 ? 2 : 1);
        const double row0 = w[0] + w[1] / 2, row1 = w[1] / 2 + w[2], rn = camera.rowNoiseElectrons;
        variance += rn * rn * (row0 * row0 + row1 * row1);
        return x * perLinear / std::sqrt(variance);
      },
      snr);
}

double CameraTruth::channelStopsAt(int c, double snr) const {
  const double perLinear = electronsPerLinear(camera, circuit) / camera.whiteBalance[c];
  const double step = electronsPerDn(camera, circuit);
  const double rn = camera.rowNoiseElectrons;
  const double read = readVariance(circuit) + step * step / 12 + rn * rn;
  return solveStops([&](double x) { return x * perLinear / std::sqrt(x * perLinear + read); }, snr);
}

double CameraTruth::channelClipStops(int c) const {
  return camera.headroomStops + std::log2(camera.whiteBalance[c]);
}

SimulatedCamera::SimulatedCamera(CameraModel model, double nativeIso, double gain)
    : model_(std::move(model)),
      circuit_(model_.circuitOf(nativeIso)),
      gain_(gain),
      curve_(logCameraCurve(model_.log)) {
  const auto inverted = inverse(model_.cameraToRgb);
  if (!inverted)
    throw Error("the camera matrix is singular", model_.name, "camera_to_bt709", "correct the demo data");
  rgbToCamera_ = *inverted;
  logTable_.resize(kTableSize + 2);
  // Steps even in the square root: fine where the curve bends.
  for (int i = 0; i < kTableSize + 2; ++i) {
    const double t = static_cast<double>(i) / kTableSize;
    logTable_[i] = static_cast<float>(
        curve_->toCode(digitalGain() * (kTableFrom + (1.5 - kTableFrom) * t * t) * model_.clipLinear()));
  }
}

// Digital numbers of one row of sites: light to electrons to numbers.
void SimulatedCamera::exposeRow(const SceneImage& scene, int sceneY, int siteY, int sitesPerPixel,
                                double exposure, std::uint64_t frame, float* dn) const {
  const auto perLinear = static_cast<float>(electronsPerLinear(model_, circuit_) * exposure);
  const auto perDn = static_cast<float>(electronsPerDn(model_, circuit_) / analogueGain());
  const auto top = static_cast<float>(topDn(model_)), pedestal = static_cast<float>(model_.pedestalDn);
  const auto read = static_cast<float>(
      std::hypot(circuit_.readNoiseElectrons, circuit_.converterElectrons / analogueGain()));
  const auto prnu = static_cast<float>(model_.photoResponse),
             dsnu = static_cast<float>(model_.darkPatternElectrons);
  const auto row = static_cast<std::uint64_t>(siteY);
  RandomStream random(model_.seed + static_cast<std::uint64_t>(circuit_.nativeIso), frame + 1, row);
  RandomStream pattern(model_.seed ^ 0xf1f1, 0, row);
  const float rowNoise =
      normal_(static_cast<std::uint32_t>(random.next() >> 20)) * static_cast<float>(model_.rowNoiseElectrons);
  float camera[3] = {0, 0, 0};
  for (int x = 0; x < scene.width * sitesPerPixel; ++x) {
    if (sitesPerPixel == 1 || (x & 1) == 0) {
      const float* p = scene.at(x / sitesPerPixel, sceneY);
      for (int c = 0; c < 3; ++c)
        camera[c] = std::max(0.0F, static_cast<float>((rgbToCamera_[c][0] * p[0] + rgbToCamera_[c][1] * p[1] +
                                                       rgbToCamera_[c][2] * p[2]) /
                                                      model_.whiteBalance[c]));
    }
    const std::uint64_t bits = random.next(), fixed = pattern.next();
    const float light =
        camera[siteColour(x, siteY)] * perLinear * (1 + prnu * normal_(static_cast<std::uint32_t>(fixed)));
    const double uniform = (static_cast<double>(bits >> 32) + 0.5) * 0x1p-32;
    const float electrons = poisson(light, normal_(static_cast<std::uint32_t>(bits >> 32)), uniform) +
                            read * normal_(static_cast<std::uint32_t>(bits)) + rowNoise +
                            dsnu * normal_(static_cast<std::uint32_t>(fixed >> 16));
    dn[x] = std::clamp(std::floor(electrons / perDn + pedestal + 0.5F), 0.0F, top);
  }
}

std::vector<std::uint16_t> SimulatedCamera::rawFrame(const SceneImage& scene, double exposure,
                                                     std::uint64_t frame) const {
  std::vector<std::uint16_t> mosaic(static_cast<size_t>(scene.width) * scene.height);
  parallelFor(scene.height, [&](int y) {
    std::vector<float> dn(scene.width);
    exposeRow(scene, y, y, 1, exposure, frame, dn.data());
    for (int x = 0; x < scene.width; ++x)
      mosaic[static_cast<size_t>(y) * scene.width + x] = static_cast<std::uint16_t>(dn[x]);
  });
  return mosaic;
}

SceneImage SimulatedCamera::developedFrame(const SceneImage& scene, double exposure,
                                           std::uint64_t frame) const {
  SceneImage out{scene.width, scene.height, std::vector<float>(scene.rgb.size())};
  const auto scale = static_cast<float>(model_.clipLinear() / (topDn(model_) - model_.pedestalDn));
  const auto pedestal = static_cast<float>(model_.pedestalDn), clip = static_cast<float>(model_.clipLinear());
  parallelFor(scene.height, [&](int y) {
    std::vector<float> upper(2 * static_cast<size_t>(scene.width)), lowerRow(upper.size());
    exposeRow(scene, y, 2 * y, 2, exposure, frame, upper.data());
    exposeRow(scene, y, 2 * y + 1, 2, exposure, frame, lowerRow.data());
    for (int x = 0; x < scene.width; ++x) {
      const float site[3] = {upper[2 * x], 0.5F * (upper[2 * x + 1] + lowerRow[2 * x]), lowerRow[2 * x + 1]};
      float cam[3];
      // All channels end where green ends: white stays white.
      for (int c = 0; c < 3; ++c)
        cam[c] = std::min(clip, (site[c] - pedestal) * scale * static_cast<float>(model_.whiteBalance[c]));
      float* p = out.at(x, y);
      for (int r = 0; r < 3; ++r)
        p[r] = static_cast<float>(model_.cameraToRgb[r][0]) * cam[0] +
               static_cast<float>(model_.cameraToRgb[r][1]) * cam[1] +
               static_cast<float>(model_.cameraToRgb[r][2]) * cam[2];
    }
  });
  return out;
}

SimulatedCamera::LogFrame SimulatedCamera::logFrame(const SceneImage& scene, double exposure,
                                                    std::uint64_t frame) const {
  const SceneImage linear = developedFrame(scene, exposure, frame);
  const int w = scene.width, h = scene.height;
  LogFrame f{std::vector<std::uint16_t>(static_cast<size_t>(w) * h),
             std::vector<std::uint16_t>(static_cast<size_t>(w) * h / 2),
             std::vector<std::uint16_t>(static_cast<size_t>(w) * h / 2)};
  const auto clip = static_cast<float>(model_.clipLinear());
  const auto code = [&](float v) {
    const float t =
        std::sqrt(std::clamp((v / clip - kTableFrom) / (1.5F - kTableFrom), 0.0F, 1.0F)) * kTableSize;
    const int i = static_cast<int>(t);
    return logTable_[i] + (t - static_cast<float>(i)) * (logTable_[i + 1] - logTable_[i]);
  };
  const auto legal = [](float v, float zero, float span) {
    return static_cast<std::uint16_t>(std::clamp(std::floor(zero + span * v + 0.5F), 4.0F, 1019.0F));
  };
  const Vec3 k = lumaWeights(Primaries::Bt709);
  parallelFor(h, [&](int y) {
    std::vector<float> cb(w), cr(w);
    for (int x = 0; x < w; ++x) {
      const float* p = linear.at(x, y);
      const float r = code(p[0]), g = code(p[1]), b = code(p[2]);
      const float luma =
          static_cast<float>(k[0]) * r + static_cast<float>(k[1]) * g + static_cast<float>(k[2]) * b;
      f.y[static_cast<size_t>(y) * w + x] = legal(luma, 64, 876);
      cb[x] = (b - luma) / static_cast<float>(2 * (1 - k[2]));
      cr[x] = (r - luma) / static_cast<float>(2 * (1 - k[0]));
    }
    for (int x = 0; x < w; x += 2) {  // co-sited with even luma, filtered 1 2 1
      const int left = std::max(0, x - 1), right = std::min(w - 1, x + 1);
      const size_t at = (static_cast<size_t>(y) * w + x) / 2;
      f.cb[at] = legal(0.25F * cb[left] + 0.5F * cb[x] + 0.25F * cb[right], 512, 896);
      f.cr[at] = legal(0.25F * cr[left] + 0.5F * cr[x] + 0.25F * cr[right], 512, 896);
    }
  });
  return f;
}

DngDescription SimulatedCamera::dngFor(const SceneImage& scene) const {
  DngDescription d;
  d.width = scene.width, d.height = scene.height;
  d.black = model_.pedestalDn, d.white = topDn(model_);
  for (int c = 0; c < 3; ++c) d.asShotNeutral[c] = 1 / model_.whiteBalance[c];
  // ColorMatrix1 takes XYZ to the camera's own channels, white balance not yet applied.
  Mat3 m = multiply(rgbToCamera_, *inverse(rgbToXyz(Primaries::Bt709)));
  for (int c = 0; c < 3; ++c)
    for (auto& v : m[c]) v /= model_.whiteBalance[c];
  d.xyzToCamera = m;
  d.baselineExposureStops = std::log2(model_.clipLinear() * digitalGain());
  d.iso = static_cast<int>(std::lround(circuit_.nativeIso * gain_));
  d.model = model_.name;
  return d;
}

}  // namespace edge
