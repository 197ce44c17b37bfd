// What one take of a bracket says about the patches and objects of the scene, streamed once, in bounded
// memory.
#pragma once
#include <array>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "chart/chart.h"
#include "image/decode.h"
#include "media/clip.h"
#include "recover/area_top.h"
#include "recover/delivery.h"

namespace edge {

// Pixels of an area by their code value (mean over frames): bins of one ten-bit code up to 1, beyond it
// (scene-linear floating point) of 1/512 stop up to 2^10.
// Counts of ten-bit codes: a distance on the code scale that says what it is.
struct TenBitCodes {
  double count;
};

class CodeDistribution {
 public:
  static constexpr double kPerUnit = 1023;
  void add(double code);
  // Share 0..1 of pixels at or above a code value.
  [[nodiscard]] double shareFrom(double code) const;
  // Code value below which this share of pixels lies.
  [[nodiscard]] double quantile(double share) const;
  [[nodiscard]] double total() const { return total_; }
  // Share between two code values, the lower one included.
  [[nodiscard]] double shareBetween(double from, double to) const { return shareFrom(from) - shareFrom(to); }
  // So many ten-bit codes at this code value; above 1 the same share of it.
  [[nodiscard]] static double codesAt(double code, TenBitCodes n) {
    return n.count / kPerUnit * (code > 1 ? code : 1);
  }
  // Where the picture piles up although nothing lies above: the highest code that holds at least `least` of
  // all samples within three ten-bit codes, many times more than the codes below it. nullopt: no such end.
  [[nodiscard]] std::optional<double> pileUp(double least) const;

 private:
  static constexpr int kFrom = -256, kBins = 256 + 1024 + 5120;
  [[nodiscard]] static double position(double code);  // in bins, fractional
  [[nodiscard]] static double codeAt(double position);
  [[nodiscard]] std::uint32_t at(int bin) const {
    const int i = bin - first_;
    return i >= 0 && i < static_cast<int>(bins_.size()) ? bins_[static_cast<size_t>(i)] : 0;
  }
  // Of the bins only the run that holds something: an area spans few codes, and a bracket has many areas.
  int first_ = 0;
  std::vector<std::uint32_t> bins_;
  double total_ = 0;
};

struct AreaStats {
  std::string name, role;
  Vec3 mean{};  // scene-linear R, G, B, mean over pixels and frames
  double luma = 0;
  double lumaVariance = 0;  // temporal per pixel (patches of one frame: spatial)
  double pixels = 0;
  std::vector<double> frameLuma;
  std::array<CodeDistribution, 3> codes;
  std::array<AreaTop, 3> top{};
  CodeDistribution lowestCode;  // of mosaics: by pixel the channel that is farthest from its end
};

// A central block of an area over the first frames, scene-linear: for noise after the display transform, and
// of objects for their fine detail.
struct PatchSample {
  int width = 0, height = 0;
  int x = 0, y = 0;                        // of its first pixel in the picture
  std::vector<std::vector<float>> frames;  // interleaved R, G, B
};

struct TakeStats {
  std::int64_t frames = 0;  // without those that repeat the one before
  MissingFrames missing;
  std::int64_t repeatedFrames = 0;
  std::string lossyCodec;  // as in ClipInfo
  // Every frame was the same: nothing is known of noise.
  [[nodiscard]] bool still() const { return frames < 2 && repeatedFrames > 0; }
  std::vector<AreaStats> patches, regions;
  std::vector<PatchSample> samples;         // by patch
  std::vector<PatchSample> regionSamples;   // by region
  std::array<CodeDistribution, 3> picture;  // the whole picture, thinned out, over a few frames
  bool subsampled = false, mosaic = false;
  double levels = 0;  // code steps from 0 to 1; 0: floating point
  // As they could be served, in the order asked for, with the developed pixels to one of their raster.
  std::vector<std::pair<Delivery, RasterFactor>> deliveries;
};

// Fixed rows need sixteen frames (measure/noise.h).
inline constexpr int kSampleSide = 48, kSampleFrames = 16;
inline constexpr int kDetailSide = 96, kDetailFrames = 8;  // of objects

// What else wants to see each frame of the same pass.
using FrameListener = std::function<void(const Decoder&, const Frame&)>;

// deliveries: those at which noise will be judged; samples are taken that much larger. A raster of the first
// that is larger than the clip's is an error; of the others the clip's own serves.
// Errors: patches or regions too small or outside the picture, unreadable frames.
[[nodiscard]] TakeStats measureTake(ClipReader& reader, const DecodeOptions& decode, const Chart& chart,
                                    const std::vector<Patch>& regions, FrameWindow window,
                                    const Progress& progress, const FrameListener& also = nullptr,
                                    const std::vector<Delivery>& deliveries = {Delivery{}});

}  // namespace edge
