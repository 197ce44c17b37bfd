#include "measure/wedge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>

#include "base/parallel.h"
#include "measure/chroma.h"
#include "measure/noise.h"
#include "measure/quantisation.h"

namespace edge {
namespace {

constexpr double kMargin = 0.08;  // share of a side left out at each edge
constexpr int kMarginPixels = 3;

// One patch while the clip streams by.
struct PatchStream {
  Rect area;
  Block block;
  std::vector<RegionAccumulator> channels;  // in the order of Decoder::channels()
  std::vector<NoiseSums> sums;              // of the channels, once the clip is over
  std::vector<CodeHistogram> codes;
  std::vector<double> codeSum;
  ChromaStream chroma;
};

// Pixels of the clip to one of the raster that is measured.
struct Factor {
  double x = 1, y = 1;
  [[nodiscard]] bool none() const { return x == 1 && y == 1; }
};

Factor factorOf(const PixelFormat& f, const std::optional<Raster>& raster) {
  if (!raster) return {};
  const Factor k{static_cast<double>(f.width) / raster->width,
                 static_cast<double>(f.height) / raster->height};
  if (!(k.x >= 1 && k.y >= 1 && std::isfinite(k.x) && std::isfinite(k.y)))
    throw Error(fmt::format("a raster of {} x {} is larger than the clip's {} x {}", raster->width,
                            raster->height, f.width, f.height),
                "", "raster", "choose the delivery raster, not larger than the clip");
  return k;
}

std::vector<PatchStream> layOut(const Chart& chart, const Decoder& decoder, const Factor& factor) {
  const PixelFormat& f = decoder.format();
  const int div = decoder.mosaic() ? 2 : 1;
  std::vector<PatchStream> streams;
  for (const auto& patch : chart.patches) {
    PatchStream s{{}, {}, {}, {}, {}, {}, ChromaStream(lumaWeights(decoder.matrix()))};
    s.area = measuredRect(patch, chart, decoder);
    const int wide = static_cast<int>(s.area.width / div / factor.x + 1e-9),
              high = static_cast<int>(s.area.height / div / factor.y + 1e-9);
    if (wide < 4 || high < 4)
      throw Error("the patch is too small to measure", "", "patch " + patch.name,
                  "ask for at least 32 x 32 pixels a patch: move the camera closer or correct the corners");
    if (s.area.x < 0 || s.area.y < 0 || s.area.x + s.area.width > f.width ||
        s.area.y + s.area.height > f.height)
      throw Error("the patch lies outside the picture", "", "patch " + patch.name, "correct the corners");
    const size_t count = decoder.channels().size();
    s.channels.assign(count, RegionAccumulator(wide, high));
    s.codes.resize(count);
    s.codeSum.assign(count, 0);
    streams.push_back(std::move(s));
  }
  return streams;
}

void accumulate(PatchStream& s, const Decoder& decoder, const Frame& frame, const CodeGrid& grid,
                const Factor& factor) {
  decoder.readBlock(frame, s.area, s.block, true);
  if (!factor.none()) s.block = resampled(s.block, factor.x, factor.y);
  const auto channels = decoder.channels();
  for (size_t i = 0; i < channels.size(); ++i) {
    const int c = static_cast<int>(channels[i]);
    s.channels[i].add(s.block.linear[c].data());
    const auto& code = s.block.code[c];
    if (code.empty()) continue;
    double sum = 0;
    for (float v : code) sum += v;
    s.codeSum[i] += sum / static_cast<double>(code.size());
    if (grid.levels > 0 && !decoder.mosaic()) s.codes[i].add(code, grid);
  }
  const auto* code = s.block.code;
  if (!decoder.mosaic() && !code[static_cast<int>(Channel::R)].empty())
    s.chroma.add(code[static_cast<int>(Channel::R)], code[static_cast<int>(Channel::G)],
                 code[static_cast<int>(Channel::B)]);
}

ChannelMeasure finishChannel(const PatchStream& s, size_t i, bool recorded, const Decoder& decoder,
                             double levels) {
  const NoiseSums& sums = s.sums[i];
  ChannelMeasure m;
  m.mean = sums.level;
  m.samples = static_cast<double>(sums.rows) * sums.columns;
  m.code = recorded ? s.codeSum[i] / sums.frames : std::numeric_limits<double>::quiet_NaN();
  m.variance = temporalVariance(sums).value_or(sums.spatialResidual / std::max(1.0, m.samples - 6));
  m.skewness = skewness(sums);
  m.frameSd = sums.frames > 1 ? std::sqrt(sums.frameMeanSquares / (sums.frames - 1)) : 0;
  if (const auto split = splitNoise(sums)) {
    m.rowVariance = split->rowTemporal, m.columnVariance = split->columnTemporal;
    m.flickerVariance = split->flicker;
    m.fixedVariance = split->pixelFixed, m.fixedRowVariance = split->rowFixed;
    m.fixedColumnVariance = split->columnFixed;
  }
  if (recorded && levels > 0) {
    const double step = std::abs(slopeAt(decoder.curve(), m.code, levels)) / levels;
    if (!decoder.mosaic()) {
      const auto q = quantisationOf(m.variance, step, s.codes[i]);
      m.quantisation = q.kind, m.quantisationVariance = q.variance;
    }
    m.meanRounding = meanRoundingOf(m.variance - m.quantisationVariance, step);
  }
  return m;
}

ChannelMeasure mergeGreens(const ChannelMeasure& a, const ChannelMeasure& b) {
  ChannelMeasure m = a;
  const auto mean = [](const std::optional<double>& x, const std::optional<double>& y) {
    return x && y ? std::optional((*x + *y) / 2) : std::nullopt;
  };
  m.mean = (a.mean + b.mean) / 2, m.code = (a.code + b.code) / 2;
  m.variance = (a.variance + b.variance) / 2, m.skewness = (a.skewness + b.skewness) / 2;
  m.rowVariance = (a.rowVariance + b.rowVariance) / 2,
  m.columnVariance = (a.columnVariance + b.columnVariance) / 2;
  m.flickerVariance = (a.flickerVariance + b.flickerVariance) / 2;
  m.fixedVariance = mean(a.fixedVariance, b.fixedVariance);
  m.fixedRowVariance = mean(a.fixedRowVariance, b.fixedRowVariance);
  m.fixedColumnVariance = mean(a.fixedColumnVariance, b.fixedColumnVariance);
  m.samples = a.samples + b.samples;
  return m;
}

// Luma of R'G'B' clips is computed, so its rounding error is that of the channels, weighted.
void spreadQuantisation(PatchMeasure& p, const Vec3& weights) {
  for (int c = 0; c < 3; ++c) {
    p.channel[kY].quantisationVariance += weights[c] * weights[c] * p.channel[c].quantisationVariance;
    // Neutral channels lie on the same code and round alike: their errors add up, not their squares.
    p.channel[kY].meanRounding += weights[c] * std::sqrt(p.channel[c].meanRounding);
    p.channel[kY].quantisation = std::max(p.channel[kY].quantisation, p.channel[c].quantisation);
  }
  p.channel[kY].quantisationVariance = std::min(p.channel[kY].quantisationVariance, p.channel[kY].variance);
  p.channel[kY].meanRounding *= p.channel[kY].meanRounding;
}

PatchMeasure finishPatch(const Patch& patch, const PatchStream& s, const Decoder& decoder, double levels) {
  PatchMeasure p;
  p.name = patch.name, p.stops = patch.stops.value_or(0), p.stopsSigma = patch.stopsSigma;
  p.width = s.block.width, p.height = s.block.height;
  const bool yuv = decoder.format().layout == Layout::Yuv;
  if (!decoder.mosaic()) {
    p.chromaVariance = s.chroma.variance();
    p.chromaCb = s.chroma.meanCb(), p.chromaCr = s.chroma.meanCr();
  }
  const auto finish = [&](size_t i, bool recorded) { return finishChannel(s, i, recorded, decoder, levels); };
  if (decoder.mosaic()) {
    p.channel[kR] = finish(0, true);
    p.channel[kG] = mergeGreens(finish(1, true), finish(2, true));
    p.channel[kB] = finish(3, true);
    p.channel[kY] = finish(4, false);
    return p;
  }
  for (int c = 0; c < 3; ++c) {
    p.channel[c] = finish(c, !yuv);
    if (yuv) p.channel[c].code = s.codeSum[c] / static_cast<double>(s.channels[c].frames());
  }
  p.channel[kY] = finish(3, yuv);
  const double light = p.channel[kY].mean, code = decoder.curve().toCode(light);
  const double slope = slopeAt(decoder.curve(), code, levels > 0 ? levels : 1023);
  p.codeSlope = slope > 0 ? light / slope : 0;
  if (!yuv && decoder.format().layout == Layout::Grey)
    p.channel[kY] = p.channel[kG];
  else if (!yuv)
    spreadQuantisation(p, lumaWeights(decoder.primaries()));
  return p;
}

// Correlation is pooled over patches that are neither clipped nor below what rounding leaves of them.
ChannelFiltering poolFiltering(const std::vector<PatchStream>& streams,
                               const std::vector<PatchMeasure>& patches, const std::vector<int>& sources,
                               int target) {
  ChannelFiltering f;
  LagSums lags;
  double products = 0, squares = 0, brightest = 0;
  int frames = 0;
  for (const auto& p : patches) brightest = std::max(brightest, p.channel[target].mean);
  for (size_t k = 0; k < streams.size(); ++k) {
    const ChannelMeasure& m = patches[k].channel[target];
    const double noise = m.variance - m.quantisationVariance;
    const bool usable =
        m.mean < 0.7 * brightest && m.quantisation != Quantisation::Limited && noise > 0.3 * m.variance;
    if (!usable) continue;
    for (int i : sources) {
      LagSums own = streams[k].channels[i].lags();
      if (i == sources[0]) ++f.patches;
      f.samples += own.count[0][3];
      own.product[0][3] *= noise / m.variance;  // rounding is white: it hides filtering
      for (auto& row : own.product)
        for (auto& v : row) v /= noise;  // every patch counts by its pixels, not by its brightness
      lags.add(own);
      const NoiseSums& s = streams[k].sums[i];
      products += s.lagTime / noise;
      squares += (s.total - s.pixelMeans) / m.variance;
      frames = s.frames;
    }
  }
  if (const auto found = filteringOf(lags))
    f.verticalLag = found->verticalLag, f.inflation = found->inflation;
  f.temporalRho = temporalLag(products, squares, frames);
  return f;
}

void describe(WedgeMeasure& w, const Decoder& decoder, double levels) {
  const PixelFormat& f = decoder.format();
  w.rasterWidth = f.width, w.rasterHeight = f.height;
  w.developedWidth = decoder.developedWidth(), w.developedHeight = decoder.developedHeight();
  w.mosaic = decoder.mosaic(), w.subsampled = f.subsampled();
  w.curve = decoder.curveName();
  w.range = decoder.range() == Range::Legal ? "legal" : "full";
  w.matrix = nameOf(decoder.matrix());
  w.levels = levels;
}

}  // namespace

Rect measuredRect(const Patch& patch, const Chart& chart, const Decoder& decoder) {
  const double sx = decoder.format().width / chart.referenceWidth,
               sy = decoder.format().height / chart.referenceHeight;
  const int div = decoder.mosaic() ? 2 : 1;
  return innerRect(scaled(patch.corners, sx, sy), kMargin, kMarginPixels * div, kMaxPatchSide * div);
}

WedgeMeasure measureWedge(ClipReader& reader, const DecodeOptions& options, const Chart& chart,
                          FrameWindow window, const Progress& progress, std::optional<Raster> raster) {
  const Decoder decoder(reader.info().format, options);
  const Factor factor = factorOf(decoder.format(), raster);
  auto streams = layOut(chart, decoder, factor);
  // Means of several pixels are no codes: their rounding has become part of the noise.
  CodeGrid grid{factor.none() ? decoder.levels() : 0};
  const FramesRead read = forEachFrame(reader, window, progress, [&](const Frame& frame) {
    if (factor.none() && streams[0].channels[0].frames() == 0)
      grid = effectiveGrid(frame, decoder, chart.patches.size(), [&](size_t k) { return streams[k].area; });
    parallelFor(static_cast<int>(streams.size()),
                [&](int k) { accumulate(streams[k], decoder, frame, grid, factor); });
  });
  WedgeMeasure w;
  describe(w, decoder, grid.levels);
  w.developedWidth = static_cast<int>(w.developedWidth / factor.x + 1e-9),
  w.developedHeight = static_cast<int>(w.developedHeight / factor.y + 1e-9);
  w.frames = read.frames, w.missingFrames = read.missing;
  w.patches.resize(streams.size());
  parallelFor(static_cast<int>(streams.size()), [&](int k) {
    for (const auto& c : streams[k].channels) streams[k].sums.push_back(c.sums());
    w.patches[k] = finishPatch(chart.patches[k], streams[k], decoder, grid.levels);
  });
  for (int c = 0; c < kMeasured; ++c) {
    const std::vector<int> sources = !decoder.mosaic() ? std::vector<int>{c}
                                     : c == kR         ? std::vector<int>{0}
                                     : c == kG         ? std::vector<int>{1, 2}
                                                       : std::vector<int>{c + 1};
    w.filtering[c] = poolFiltering(streams, w.patches, sources, c);
  }
  if (chart.grey) w.grey = chart.find(*chart.grey)->stops;
  return w;
}

}  // namespace edge
