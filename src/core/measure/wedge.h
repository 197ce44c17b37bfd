// What a clip says about the patches of a chart: the statistics from which every figure of the range is
// arithmetic.
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <optional>
#include <string>
#include <vector>

#include "base/progress.h"
#include "chart/chart.h"
#include "image/coefficients.h"
#include "image/decode.h"
#include "media/clip.h"

namespace edge {

enum class Quantisation { None, Subtracted, Fitted, Limited };

// One channel of one patch, scene-linear. Mosaic: R, G (both greens) and B of the sites, Y of the developed
// cells.
struct ChannelMeasure {
  double mean = 0;
  double code = 0;                  // mean code value 0..1; NaN where the channel is computed, not recorded
  double variance = 0;              // temporal per pixel; of one frame: spatial, shading removed
  double quantisationVariance = 0;  // of it, what rounding added
  double secondOrder = 0;           // ln of what curve and shared chroma make of the variance of luma
  double meanRounding = 0;          // variance of the mean where noise is too small to smooth the rounding
  double step = 0;                  // scene-linear size of one code here; 0: floating point
  Quantisation quantisation = Quantisation::None;
  double skewness = 0;
  double rowVariance = 0, columnVariance = 0, flickerVariance = 0;             // temporal, signed
  std::optional<double> fixedVariance, fixedRowVariance, fixedColumnVariance;  // signed
  double samples = 0;                                                          // pixels (both greens counted)
  double frameSd = 0;                                                          // sd of the frame means
  // Of frame-to-frame changes: excess kurtosis with its standard error, autocorrelation one line down and one
  // pixel on. 0 where nothing changes.
  double kurtosis = 0, kurtosisSigma = 0, verticalLag = 0, horizontalLag = 0;
  double defects = 0;   // share of changes set apart as defect pixels
  double topCode = 0;   // highest code of the patch; NaN where computed
  double topShare = 0;  // of samples that lie on it
};

// By Channel R, G, B, Y in this order.
inline constexpr int kR = 0, kG = 1, kB = 2, kY = 3, kMeasured = 4;

struct PatchMeasure {
  std::string name;
  double stops = 0, stopsSigma = 0.02;
  int width = 0, height = 0;  // measured rectangle in samples of the raster of Y
  ChannelMeasure channel[kMeasured];
  CoefficientMoments coefficients;  // of luma
  // Developed clips: variance of Cb plus Cr and their means, in code; d code / d ln light at the patch's
  // luma.
  double chromaVariance = 0, chromaCb = 0, chromaCr = 0, codeSlope = 0;
};

// Pooled over the patches that tell: neither clipped nor hidden by rounding.
struct ChannelFiltering {
  double verticalLag = 0, inflation = 1, temporalRho = 0;
  int patches = 0;
  double samples = 0;  // of their residuals
  double horizontalLag = 0, lowestLag = 0, inflationSigma = 0;
  bool settled = true;                                 // the autocorrelation has died out within the window
  bool sameForAll = true;                              // bright and dark patches are filtered alike
  double temporalSigma = 0;                            // of temporalRho
  double temporalFactor = 1, temporalFactorSigma = 0;  // on the variance; sigma of its logarithm
  bool temporalKnown = true;                           // a filter whose factor can be told
  double rounding =
      0;  // share of rounding in the variance: correlated noise under a code is not rounded like white
  double edgeKurtosis = 0, edgeKurtosisSigma = 0;  // excess, of differences of neighbouring pixels
};

struct WedgeMeasure {
  std::vector<PatchMeasure> patches;
  ChannelFiltering filtering[kMeasured];
  std::int64_t frames = 0;  // those that count, without repeats
  MissingFrames missing;
  std::int64_t repeatedFrames = 0;  // the same frame again, or one field of it
  std::int64_t nearRepeats = 0;     // again but coded anew
  bool repeatedFields = false;
  std::string lossyCodec;  // its name; empty: decoding gives back what was recorded
  bool predictsFrames = false;
  bool otherRangeFits = false;  // levels bend as read, and are straight read in the other range (legal, full)
  bool interlaced = false;      // as the file says
  double topCode = 1;           // the highest code value the format can hold; 0: floating point
  int rasterWidth = 0, rasterHeight = 0;        // of the clip
  int developedWidth = 0, developedHeight = 0;  // of Y
  bool mosaic = false, subsampled = false;
  std::string curve, range, matrix;
  double levels = 0;           // effective code steps of 0..1; 0: floating point
  std::optional<double> grey;  // stops of the chart's grey patch
};

// Streams the clip once; with a raster every frame is really resampled (area average in scene-linear) before
// it is measured. Errors: chart outside the picture, NaN, unreadable frames, a raster larger than the clip's.
[[nodiscard]] WedgeMeasure measureWedge(ClipReader& reader, const DecodeOptions& decode, const Chart& chart,
                                        FrameWindow window, const Progress& progress,
                                        std::optional<Raster> raster = std::nullopt);

// The rectangle of a patch that is measured, in pixels of the clip: no edge of the patch is inside.
[[nodiscard]] Rect measuredRect(const Patch& patch, const Chart& chart, const Decoder& decoder);

[[nodiscard]] nlohmann::json toJson(const WedgeMeasure& m);
[[nodiscard]] WedgeMeasure wedgeFromJson(const nlohmann::json& j);

// Largest side of a measured rectangle: more pixels would not make the figures better (relative sd of a noise
// variance is sqrt(2/(n(N-1))), 0.4 % here at eight frames), only slower.
inline constexpr int kMaxPatchSide = 128;

}  // namespace edge
