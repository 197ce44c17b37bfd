// Footage as it really comes, made without any of src/simulate: Gaussian noise of closed-form variance,
// faults as plain filters on pixels, and real encoders through libavcodec. Truth is arithmetic.
#pragma once
#include <filesystem>
#include <functional>
#include <random>
#include <string>
#include <vector>

#include "measure/range.h"

namespace edge::test {

struct PlainCamera {
  double well = 20000, read = 2;  // electrons of green at light 1
  double over = 1.5;              // first step over the clip of green, in stops
  double step = 0.97, chartError = 0.01;
  double scale = 4;  // scene-linear of the clip of green
  int steps = 18, side = 48, frames = 12;
  std::uint64_t seed = 1;

  // Range of luma from the clip of green down to this SNR, in stops: variance of each channel g (x + g
  // r^2/F)/F.
  [[nodiscard]] double trueRange(double snr) const;
};

// A random one, not noisier than a log curve's room below black.
[[nodiscard]] PlainCamera randomCamera(std::mt19937_64& random);

struct Footage {
  int width = 0, height = 0, columns = 6;
  PlainCamera camera;
  Chart chart;
  std::vector<double> light;               // by step, of the clip of green
  std::vector<std::vector<float>> frames;  // interleaved scene-linear R, G, B
  [[nodiscard]] size_t pixels() const { return static_cast<size_t>(width) * height; }
  [[nodiscard]] double levelAt(size_t pixel) const;  // of noise-free light, scene-linear
};
[[nodiscard]] Footage expose(const PlainCamera& camera);
// Fills the frames: light of the clip of green at each pixel.
void photograph(Footage& f, std::mt19937_64& random, const std::function<double(int, int)>& light);

// --- faults
void core(Footage& f, double sds, bool soft);  // residuals below so many read noises are cut
void stand(Footage& f);                        // all frames are the first
void repeat(Footage& f, int times);            // every frame so many times
void pullDown(Footage& f);             // 2:3, four frames become five (SMPTE ST 12-3 cadence; from memory)
void recursive(Footage& f, double a);  // y(t) = a y(t-1) + (1-a) x(t)
void blur(Footage& f, double sigmaX, double sigmaY);
void unsharp(Footage& f, double amount, double sigma);
void median3(Footage& f);
void withoutNoise(Footage& f);
void rowNoise(Footage& f, double reads,
              std::mt19937_64& random);  // of whole rows, new in every frame, in read noises
void hotPixels(Footage& f, int perStep);
void dimFirstStep(Footage& f, double stops);

// --- recording
enum class Sampling { Full444, Half422, Quarter420 };
struct Encoder {
  std::string name;  // of libavcodec, or how the long name of its codec begins
  std::vector<std::pair<std::string, std::string>> options;  // as it takes them
  int bits = 10;
  Sampling sampling = Sampling::Half422;
  int group = 1;                          // frames from one key frame to the next
  std::int64_t firstStamp = 0;            // of the first frame, in frames: a clip cut out of a longer one
  bool transcoded = false;                // decoded and stored without loss
  bool legal = true, taggedLegal = true;  // codes' range, and what the file says it is
};
inline constexpr const char* kVc3 =
    "VC3";  // SMPTE ST 2019-1; its profile 4 is the ten-bit one of high quality
[[nodiscard]] Encoder lossless(int bits = 10, Sampling sampling = Sampling::Half422);
// With a checksum a slice (RFC 9043): a flipped bit is noticed.
[[nodiscard]] Encoder checked(int bits = 10, Sampling sampling = Sampling::Half422);
[[nodiscard]] bool isThere(const Encoder& encoder);

// A log curve with black at 9 %, grey at 40 %, as code of scene-linear and as a curve file.
[[nodiscard]] double logCode(double linear);
void writeLogCurve(const std::filesystem::path& file);

void record(const Footage& f, const std::filesystem::path& file, const Encoder& encoder);

void flipABit(const std::filesystem::path& file);  // in its middle

struct Recording {
  WedgeMeasure wedge;
  double bitsPerPixel = 0;
};
// Recorded, measured and analysed.
[[nodiscard]] RangeResult measured(const Footage& f, const std::filesystem::path& folder,
                                   const Encoder& encoder, Recording* out = nullptr);
[[nodiscard]] bool warns(const RangeResult& r, const std::string& code);

}  // namespace edge::test
