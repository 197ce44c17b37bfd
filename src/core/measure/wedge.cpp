#include "measure/wedge.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>

#include "base/parallel.h"
#include "measure/coding.h"
#include "measure/noise.h"
#include "measure/patch_stream.h"
#include "measure/second_order.h"

namespace edge {
namespace {

constexpr double kMargin = 0.08;  // share of a side left out at each edge
constexpr int kMarginPixels = 3;
constexpr int kCodeFrames = 24;  // of which codes are read: enough for their mean, top, rounding and chroma
constexpr double kBendFrom = 0.01, kBendTo = 0.6, kBendSnr = 8;  // levels that show it, of the top
constexpr const char* kEarlierCodec = "an earlier lossy codec (by its trace in the noise)";
constexpr double kBent = 0.08, kStraight = 0.05;  // rms in stops

std::vector<PatchStream> layOut(const Chart& chart, const Decoder& decoder, const RasterFactor& factor) {
  const PixelFormat& f = decoder.format();
  const int div = decoder.mosaic() ? 2 : 1;
  std::vector<PatchStream> streams;
  for (const auto& patch : chart.patches) {
    PatchStream s(lumaWeights(decoder.matrix()));
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
    s.tops.resize(count);
    s.codeSum.assign(count, 0);
    if (factor.none() && !decoder.mosaic())
      s.coefficients.emplace(s.area.x, s.area.y, s.area.width, s.area.height);
    streams.push_back(std::move(s));
  }
  return streams;
}

// Reads the patch and notes which of its lines are those of the frame before, to the last bit.
void readPatch(PatchStream& s, const Decoder& decoder, const Frame& frame) {
  decoder.readBlock(frame, s.area, s.block, s.codeFrames < kCodeFrames);
  const auto& luma = s.block.linear[static_cast<int>(Channel::Y)];
  const auto same = [&](int from) {
    if (s.last.size() != luma.size()) return false;
    for (int y = from; y < s.block.height; y += 2) {
      const auto at = static_cast<std::ptrdiff_t>(y) * s.block.width;
      if (!std::equal(luma.begin() + at, luma.begin() + at + s.block.width, s.last.begin() + at))
        return false;
    }
    return true;
  };
  s.evenRepeated = same(0), s.oddRepeated = same(1);
  s.last = luma;
}

void accumulate(PatchStream& s, const Decoder& decoder, const CodeGrid& grid, const RasterFactor& factor) {
  if (!factor.none()) s.block = resampled(s.block, factor.x, factor.y);
  const auto channels = decoder.channels();
  for (size_t i = 0; i < channels.size(); ++i) {
    const int c = static_cast<int>(channels[i]);
    s.channels[i].add(s.block.linear[c].data());
    const auto& code = s.block.code[c];
    if (code.empty() || s.codeFrames >= kCodeFrames) continue;
    double sum = 0;
    for (float v : code) sum += v;
    s.codeSum[i] += sum / static_cast<double>(code.size());
    s.tops[i].add(code);
    if (grid.levels > 0 && !decoder.mosaic()) s.codes[i].add(code, grid);
  }
  if (s.coefficients) {
    const auto& luma = s.block.linear[static_cast<int>(Channel::Y)];
    s.coefficients->add(luma.data(), luma.size());
  }
  if (s.codeFrames++ >= kCodeFrames) return;
  const auto* code = s.block.code;
  if (!decoder.mosaic() && !code[static_cast<int>(Channel::R)].empty())
    s.chroma.add(code[static_cast<int>(Channel::R)], code[static_cast<int>(Channel::G)],
                 code[static_cast<int>(Channel::B)]);
}

void finishShape(const PatchStream& s, size_t i, bool recorded, ChannelMeasure& m) {
  const NoiseSums& sums = s.sums[i];
  if (const auto shape = shapeOf(sums)) m.kurtosis = shape->kurtosis, m.kurtosisSigma = shape->sigma;
  const double changes = sums.changeCount + sums.changeDefects;
  m.defects = changes > 0 ? sums.changeDefects / changes : 0;
  if (const auto filtering = filteringOf(s.channels[i].lags()))
    m.verticalLag = filtering->verticalLag, m.horizontalLag = filtering->horizontalLag;
  m.topCode = std::numeric_limits<double>::quiet_NaN();
  const CodeTop& top = s.tops[i];
  if (!recorded || top.count == 0) return;
  m.topCode = top.code, m.topShare = static_cast<double>(top.at) / static_cast<double>(top.count);
}

ChannelMeasure finishChannel(const PatchStream& s, size_t i, bool recorded, const Decoder& decoder,
                             double levels) {
  const NoiseSums& sums = s.sums[i];
  ChannelMeasure m;
  m.mean = sums.level;
  m.samples = static_cast<double>(sums.rows) * sums.columns;
  m.code =
      recorded ? s.codeSum[i] / std::min(sums.frames, kCodeFrames) : std::numeric_limits<double>::quiet_NaN();
  m.variance = temporalVariance(sums).value_or(sums.spatialResidual / std::max(1.0, m.samples - 6));
  m.skewness = skewness(sums);
  finishShape(s, i, recorded, m);
  m.frameSd = sums.frames > 1 ? std::sqrt(sums.frameMeanSquares / (sums.frames - 1)) : 0;
  if (const auto split = splitNoise(sums)) {
    m.rowVariance = split->rowTemporal, m.columnVariance = split->columnTemporal;
    m.flickerVariance = split->flicker;
    m.fixedVariance = split->pixelFixed, m.fixedRowVariance = split->rowFixed;
    m.fixedColumnVariance = split->columnFixed;
  }
  if (recorded && levels > 0) {
    m.step = std::abs(slopeAt(decoder.curve(), m.code, levels)) / levels;
    if (!decoder.mosaic()) {
      const auto q = quantisationOf(m.variance, m.step, s.codes[i]);
      m.quantisation = q.kind, m.quantisationVariance = q.variance;
    }
    m.meanRounding = meanRoundingOf(m.variance - m.quantisationVariance, m.step);
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
  m.kurtosis = (a.kurtosis + b.kurtosis) / 2, m.kurtosisSigma = a.kurtosisSigma / std::sqrt(2.0);
  m.verticalLag = (a.verticalLag + b.verticalLag) / 2,
  m.horizontalLag = (a.horizontalLag + b.horizontalLag) / 2;
  m.defects = (a.defects + b.defects) / 2;
  m.topCode = std::max(a.topCode, b.topCode), m.topShare = (a.topShare + b.topShare) / 2;
  return m;
}

// Luma of R'G'B' clips is computed, so its rounding error is that of the channels, weighted.
void spreadQuantisation(PatchMeasure& p, const Vec3& weights) {
  for (int c = 0; c < 3; ++c) {
    p.channel[kY].quantisationVariance += weights[c] * weights[c] * p.channel[c].quantisationVariance;
    // Neutral channels lie on the same code and round alike: their errors add up, not their squares.
    p.channel[kY].meanRounding += weights[c] * std::sqrt(p.channel[c].meanRounding);
    p.channel[kY].step += weights[c] * p.channel[c].step;
    p.channel[kY].quantisation = std::max(p.channel[kY].quantisation, p.channel[c].quantisation);
  }
  p.channel[kY].quantisationVariance = std::min(p.channel[kY].quantisationVariance, p.channel[kY].variance);
  p.channel[kY].meanRounding *= p.channel[kY].meanRounding;
}

PatchMeasure finishPatch(const Patch& patch, const PatchStream& s, const Decoder& decoder, double levels) {
  PatchMeasure p;
  p.name = patch.name, p.stops = patch.stops.value_or(0), p.stopsSigma = patch.stopsSigma;
  p.width = s.block.width, p.height = s.block.height;
  if (s.coefficients) p.coefficients = s.coefficients->moments();
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
    if (yuv) p.channel[c].code = s.codeSum[c] / std::min(s.channels[c].frames(), kCodeFrames);
  }
  p.channel[kY] = finish(3, yuv);
  const double light = p.channel[kY].mean, code = decoder.curve().toCode(light);
  const double slope = slopeAt(decoder.curve(), code, levels > 0 ? levels : 1023);
  p.codeSlope = slope > 0 ? light / slope : 0;
  if (yuv) {
    const PixelFormat& f = decoder.format();
    const ChannelMeasure& y = p.channel[kY];
    p.channel[kY].secondOrder = secondOrderOf({light, y.variance - y.quantisationVariance, p.chromaVariance,
                                               1 << f.chromaShiftX, 1 << f.chromaShiftY},
                                              decoder.curve(), lumaWeights(decoder.matrix()));
  }
  if (!yuv && decoder.format().layout == Layout::Grey)
    p.channel[kY] = p.channel[kG];
  else if (!yuv)
    spreadQuantisation(p, lumaWeights(decoder.primaries()));
  return p;
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
  w.topCode = decoder.topCode();
}

// How far levels bend from their light: rms of log2 m - stops over the clear steps, codes read through
// `toCode`.
std::optional<double> bendOf(const WedgeMeasure& w, const Curve& curve,
                             const std::function<double(double)>& toCode) {
  std::vector<double> off;
  double top = 0;
  for (const auto& p : w.patches) top = std::max(top, curve.toLinear(toCode(p.channel[kY].code)));
  for (const auto& p : w.patches) {
    const ChannelMeasure& y = p.channel[kY];
    const double m = curve.toLinear(toCode(std::isfinite(y.code) ? y.code : p.channel[kG].code));
    if (m < kBendTo * top && m > kBendFrom * top && y.mean > kBendSnr * std::sqrt(y.variance))
      off.push_back(std::log2(m) - p.stops);
  }
  if (off.size() < 4) return std::nullopt;
  double mean = 0, squares = 0;
  for (double v : off) mean += v / static_cast<double>(off.size());
  for (double v : off) squares += (v - mean) * (v - mean);
  return std::sqrt(squares / static_cast<double>(off.size() - 1));
}

bool otherRangeFits(const WedgeMeasure& w, const Decoder& decoder) {
  const PixelFormat& f = decoder.format();
  if (f.isFloat() || decoder.mosaic() || decoder.curveName() == "linear") return false;
  const double legalFrom = 16.0 / 255, legalSpan = 219.0 / 255;  // ITU-R BT.709-6, 3.5, in shares of full
  const bool legal = decoder.range() == Range::Legal;
  const auto other = [&](double c) {
    return legal ? c * legalSpan + legalFrom : (c - legalFrom) / legalSpan;
  };
  const auto now = bendOf(w, decoder.curve(), [](double c) { return c; }),
             then = bendOf(w, decoder.curve(), other);
  return now && then && *now > kBent && *then < kStraight;
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
  const RasterFactor factor = factorOf(decoder.format().width, decoder.format().height, raster);
  auto streams = layOut(chart, decoder, factor);
  // Means of several pixels are no codes: their rounding has become part of the noise.
  CodeGrid grid{factor.none() ? decoder.levels() : 0};
  WedgeMeasure w;
  const auto all = [&](auto test) { return std::all_of(streams.begin(), streams.end(), test); };
  const FramesRead read = forEachFrame(reader, window, progress, [&](const Frame& frame) {
    const int count = static_cast<int>(streams.size());
    parallelFor(count, [&](int k) { readPatch(streams[k], decoder, frame); });
    const bool even = all([](const PatchStream&s) { return s.evenRepeated; }),
               odd = all([](const PatchStream&s) { return s.oddRepeated; });
    w.repeatedFields = w.repeatedFields || even != odd;
    if (even || odd) return void(++w.repeatedFrames);
    if (factor.none() && streams[0].channels[0].frames() == 0)
      grid = effectiveGrid(frame, decoder, chart.patches.size(), [&](size_t k) { return streams[k].area; });
    parallelFor(count, [&](int k) { accumulate(streams[k], decoder, grid, factor); });
  });
  describe(w, decoder, grid.levels);
  w.lossyCodec = reader.info().lossyCodec, w.predictsFrames = reader.info().predictsFrames;
  w.developedWidth = static_cast<int>(w.developedWidth / factor.x + 1e-9),
  w.developedHeight = static_cast<int>(w.developedHeight / factor.y + 1e-9);
  w.frames = read.frames - w.repeatedFrames, w.missing = read.missing;
  parallelFor(static_cast<int>(streams.size()), [&](int k) {
    for (const auto& c : streams[k].channels) streams[k].sums.push_back(c.sums());
  });
  if (!w.predictsFrames) {
    const auto again = repeatsIn(streams, decoder.channels().size() - 1);
    w.nearRepeats = static_cast<std::int64_t>(again.size());
    if (!again.empty()) countOnce(streams, again);
  }
  w.patches.resize(streams.size());
  parallelFor(static_cast<int>(streams.size()),
              [&](int k) { w.patches[k] = finishPatch(chart.patches[k], streams[k], decoder, grid.levels); });
  if (w.lossyCodec.empty() && wasCoded(w)) w.lossyCodec = kEarlierCodec;
  parallelFor(kMeasured, [&](int c) {
    const std::vector<int> sources = !decoder.mosaic() ? std::vector<int>{c}
                                     : c == kR         ? std::vector<int>{0}
                                     : c == kG         ? std::vector<int>{1, 2}
                                                       : std::vector<int>{c + 1};
    w.filtering[c] = poolFiltering(streams, w.patches, sources, c, !w.lossyCodec.empty());
  });
  w.otherRangeFits = otherRangeFits(w, decoder);
  if (const auto said = reader.info().metadata.find("interlaced"); said != reader.info().metadata.end())
    w.interlaced = true;
  if (chart.grey) w.grey = chart.find(*chart.grey)->stops;
  return w;
}

}  // namespace edge
