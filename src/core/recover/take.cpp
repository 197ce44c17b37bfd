#include "recover/take.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/parallel.h"
#include "image/accumulator.h"
#include "measure/noise.h"

namespace edge {
namespace {

constexpr std::int64_t kPictureFrames = 2;
constexpr double kPictureSamples = 120000;

// An area while the clip streams by: spans of developed pixels, sums of code and linear per pixel.
struct AreaStream {
  std::string name, role;
  std::vector<Span> spans;
  size_t pixels = 0;
  // Interleaved R, G, B by pixel: code of the first frame, and what the frames move from it.
  std::vector<float> firstCode, moveSum, moveSquares;
  std::vector<double> lumaSum, lumaSquares;
  Vec3 linearSum{};
  std::vector<double> frameLuma;
  std::vector<float> lastRow;  // its middle row in the frame before
  Rect sampleArea;             // developed pixels
  int sampleFrames = 0;
  PatchSample sample;
};

// factor: pixels of the coarsest delivery, by which samples are larger.
AreaStream openArea(const Patch& patch, const Chart& chart, const Decoder& decoder, bool inChart,
                    double factor) {
  AreaStream a;
  a.name = patch.name, a.role = patch.role;
  const int w = decoder.developedWidth(), h = decoder.developedHeight();
  const Quad q = scaled(patch.corners, w / chart.referenceWidth, h / chart.referenceHeight);
  if (inChart) {
    // The rectangle inside the patch, so that no edge is measured.
    const Rect r = innerRect(q, 0.1, 2, 1 << 20);
    for (int y = r.y; y < r.y + r.height; ++y) a.spans.push_back({y, r.x, r.x + r.width});
  } else {
    a.spans = rasterise(q, w, h);
  }
  a.sampleArea = innerRect(q, 0.1, 2, static_cast<int>((inChart ? kSampleSide : kDetailSide) * factor));
  a.sampleFrames = inChart ? kSampleFrames : kDetailFrames;
  for (auto& s : a.spans) s.x0 &= ~1, a.pixels += static_cast<size_t>(s.x1 - s.x0);
  if (a.pixels < 16)
    throw Error("too small to measure", "", (inChart ? "patch " : "region ") + a.name,
                "draw it larger or move the camera closer");
  a.firstCode.resize(3 * a.pixels);
  a.moveSum.resize(3 * a.pixels);
  a.moveSquares.resize(3 * a.pixels);
  a.lumaSum.resize(a.pixels);
  a.lumaSquares.resize(a.pixels);
  return a;
}

void readSample(AreaStream& a, const Decoder& decoder, const Frame& frame) {
  const Rect& r = a.sampleArea;
  if (r.pixels() == 0 || static_cast<int>(a.sample.frames.size()) >= a.sampleFrames) return;
  a.sample.width = r.width, a.sample.height = r.height;
  a.sample.x = r.x, a.sample.y = r.y;
  std::vector<float> block(3 * static_cast<size_t>(r.pixels()));
  for (int y = 0; y < r.height; ++y)
    decoder.readRow(frame, r.y + y, r.x, r.x + r.width, block.data() + 3 * static_cast<size_t>(y) * r.width,
                    nullptr, false);
  a.sample.frames.push_back(std::move(block));
}

// Whether the middle row is that of the frame before, to the last bit: noise makes that impossible.
bool repeats(AreaStream& a, const Decoder& decoder, const Frame& frame) {
  const Span& s = a.spans[a.spans.size() / 2];
  std::vector<float> row(3 * static_cast<size_t>(s.x1 - s.x0));
  decoder.readRow(frame, s.y, s.x0, s.x1, row.data(), nullptr, false);
  const bool same = row == a.lastRow;
  a.lastRow = std::move(row);
  return same;
}

void accumulate(AreaStream& a, const Decoder& decoder, const Frame& frame) {
  const Vec3 w = lumaWeights(decoder.primaries());
  std::vector<float> linear, code;
  size_t at = 0;
  double frameSum = 0;
  for (const auto& s : a.spans) {
    const auto n = static_cast<size_t>(s.x1 - s.x0);
    linear.resize(3 * n), code.resize(3 * n);
    // Clipping of 4:2:2 is judged on codes averaged over the chroma pair, else clipped red is missed.
    decoder.readRow(frame, s.y, s.x0, s.x1, linear.data(), code.data(), true);
    for (size_t i = 0; i < n; ++i, ++at) {
      const float* p = linear.data() + 3 * i;
      const double y = w[0] * p[0] + w[1] * p[1] + w[2] * p[2];
      if (!std::isfinite(y))
        throw Error("a pixel is not a finite number", "", a.name,
                    "write the frames again without NaN or infinity");
      for (size_t c = 0; c < 3; ++c) {
        const size_t k = 3 * at + c;
        a.linearSum[c] += p[c];
        if (a.frameLuma.empty()) a.firstCode[k] = code[3 * i + c];
        const float moved = code[3 * i + c] - a.firstCode[k];
        a.moveSum[k] += moved;
        a.moveSquares[k] += moved * moved;
      }
      frameSum += y;
      a.lumaSum[at] += y;
      a.lumaSquares[at] += y * y;
    }
  }
  a.frameLuma.push_back(frameSum / static_cast<double>(a.pixels));
  readSample(a, decoder, frame);
}

// Every so many rows of the picture, so that about kPictureSamples are counted.
void addPicture(const Decoder& decoder, const Frame& frame, std::array<CodeDistribution, 3>& picture) {
  const int w = decoder.developedWidth(), h = decoder.developedHeight();
  const int every = std::max(1, static_cast<int>(static_cast<double>(w) * h / kPictureSamples));
  std::vector<float> linear(3 * static_cast<size_t>(w)), code(linear.size());
  for (int y = every / 2; y < h; y += every) {
    decoder.readRow(frame, y, 0, w, linear.data(), code.data(), true);
    for (size_t i = 0; i < static_cast<size_t>(w); ++i)
      for (size_t c = 0; c < 3; ++c)
        if (std::isfinite(code[3 * i + c])) picture[c].add(code[3 * i + c]);
  }
}

// Temporal variance of luma over all pixels of an area.
double temporalOf(const AreaStream& a) {
  const auto frames = static_cast<double>(a.frameLuma.size());
  if (frames < 2) return 0;
  double sum = 0;
  for (size_t i = 0; i < a.pixels; ++i) sum += a.lumaSquares[i] - a.lumaSum[i] * a.lumaSum[i] / frames;
  return std::max(0.0, sum) / (static_cast<double>(a.pixels) * (frames - 1));
}

// Luma noise of the patch per pixel: from the unpaired samples of the block.
double sampleVariance(const PatchSample& sample, const Vec3& w) {
  RegionAccumulator acc(sample.width, sample.height);
  std::vector<float> luma(static_cast<size_t>(sample.width) * sample.height);
  for (const auto& frame : sample.frames) {
    for (size_t i = 0; i < luma.size(); ++i)
      luma[i] = static_cast<float>(w[0] * frame[3 * i] + w[1] * frame[3 * i + 1] + w[2] * frame[3 * i + 2]);
    acc.add(luma.data());
  }
  const NoiseSums s = acc.sums();
  return temporalVariance(s).value_or(s.spatialResidual /
                                      std::max<double>(1, static_cast<double>(luma.size()) - 6));
}

AreaStats finishArea(const AreaStream& a, const Vec3& weights, bool inChart) {
  AreaStats s;
  s.name = a.name, s.role = a.role;
  s.pixels = static_cast<double>(a.pixels);
  s.frameLuma = a.frameLuma;
  const auto frames = static_cast<double>(a.frameLuma.size());
  for (int c = 0; c < 3; ++c) s.mean[c] = a.linearSum[c] / (frames * s.pixels);
  s.luma = weights[0] * s.mean[0] + weights[1] * s.mean[1] + weights[2] * s.mean[2];
  const auto n = static_cast<float>(frames);
  std::array<std::vector<float>, 3> codes, variances;
  for (size_t c = 0; c < 3; ++c) {
    codes[c].resize(a.pixels);
    for (size_t i = 0; i < a.pixels; ++i) {
      codes[c][i] = a.firstCode[3 * i + c] + a.moveSum[3 * i + c] / n;
      s.codes[c].add(codes[c][i]);
    }
    if (frames > 1) variances[c].resize(a.pixels);
    for (size_t i = 0; i < variances[c].size(); ++i) {
      const float sum = a.moveSum[3 * i + c];
      variances[c][i] = std::max(0.0F, a.moveSquares[3 * i + c] - sum * sum / n) / (n - 1);
    }
    s.top[c] = topOf(codes[c], variances[c], frames);
  }
  for (size_t i = 0; i < a.pixels; ++i) s.lowestCode.add(std::min({codes[0][i], codes[1][i], codes[2][i]}));
  s.lumaVariance = inChart && !a.sample.frames.empty() ? sampleVariance(a.sample, weights) : temporalOf(a);
  return s;
}

}  // namespace

double CodeDistribution::position(double code) {
  const double at = code <= 1 ? code * kPerUnit : kPerUnit + 512 * std::log2(code);
  return std::clamp(at - kFrom, 0.0, kBins - 1.0);
}

double CodeDistribution::codeAt(double position) {
  const double at = position + kFrom;
  return at <= kPerUnit ? at / kPerUnit : std::exp2((at - kPerUnit) / 512);
}

void CodeDistribution::add(double code) {
  constexpr int kSpare = 64;  // bins made at once where the run grows downwards
  const int bin = static_cast<int>(std::lround(position(code)));
  if (bins_.empty()) first_ = bin;
  if (bin < first_) {
    const int from = std::max(0, bin - kSpare);
    bins_.insert(bins_.begin(), static_cast<size_t>(first_ - from), 0);
    first_ = from;
  }
  const auto i = static_cast<size_t>(bin - first_);
  if (i >= bins_.size()) bins_.resize(i + 1);
  ++bins_[i];
  total_ += 1;
}

double CodeDistribution::shareFrom(double code) const {
  double sum = 0;
  for (int b = static_cast<int>(std::ceil(position(code) - 1e-6)); b < kBins; ++b) sum += at(b);
  return total_ > 0 ? sum / total_ : 0;
}

double CodeDistribution::quantile(double share) const {
  double sum = 0;
  for (int b = 0; b < kBins; ++b)
    if ((sum += at(b)) >= share * total_) return codeAt(b);
  return codeAt(kBins - 1);
}

std::optional<double> CodeDistribution::pileUp(double least) const {
  constexpr int kWide = 3, kBelowFrom = 8, kBelowTo = 24;
  constexpr double kPiled = 4;     // times the density of the codes below
  constexpr double kBeyond = 0.1;  // of the pile, that may lie above it: colours beyond the camera's matrix
  constexpr double kOverMiddle = 0.1;  // code by which an end lies over the middle of the picture
  const auto sum = [&](int from, int to) {
    double n = 0;
    for (int b = std::max(0, from); b <= std::min(kBins - 1, to); ++b) n += at(b);
    return n;
  };
  double above = 0;
  for (int b = kBins - 1; b >= kBelowTo; --b) {
    above += at(b);
    const double pile = sum(b - 2 * kWide, b);
    if (pile < least * total_ || pile < 2.0 / 3 * sum(b - 3 * kWide, b + kWide)) continue;
    const double below = sum(b - kBelowTo, b - kBelowFrom) / (kBelowTo - kBelowFrom + 1) * (2 * kWide + 1);
    const double beyond = above - at(b);
    if (pile < kPiled * below || beyond > kBeyond * pile) return std::nullopt;
    // The middle of the pile.
    double at = 0;
    for (int i = b - 2 * kWide; i <= b; ++i) at += i * static_cast<double>(this->at(i)) / pile;
    return codeAt(at) > quantile(0.5) + kOverMiddle ? std::optional(codeAt(at)) : std::nullopt;
  }
  return std::nullopt;
}

TakeStats measureTake(ClipReader& reader, const DecodeOptions& options, const Chart& chart,
                      const std::vector<Patch>& regions, FrameWindow window, const Progress& progress,
                      const FrameListener& also, const std::vector<Delivery>& deliveries) {
  const Decoder decoder(reader.info().format, options);
  TakeStats t;
  const int width = decoder.developedWidth(), height = decoder.developedHeight();
  double coarsest = 1;
  for (const auto& asked : deliveries) {
    const Delivery d = t.deliveries.empty() ? asked : servedBy(asked, width, height);
    const RasterFactor factor = factorOf(width, height, d.raster);
    coarsest = std::max({coarsest, factor.x, factor.y});
    t.deliveries.emplace_back(d, factor);
  }
  std::vector<AreaStream> areas;
  for (const auto& p : chart.patches) areas.push_back(openArea(p, chart, decoder, true, coarsest));
  for (const auto& r : regions) areas.push_back(openArea(r, chart, decoder, false, coarsest));
  std::int64_t seen = 0;
  const FramesRead read = forEachFrame(reader, window, progress, [&](const Frame& frame) {
    int again = 0;
    for (auto& a : areas) again += repeats(a, decoder, frame);
    if (again < static_cast<int>(areas.size()))
      parallelFor(static_cast<int>(areas.size()), [&](int i) { accumulate(areas[i], decoder, frame); });
    else
      ++t.repeatedFrames;
    if (seen++ < kPictureFrames) addPicture(decoder, frame, t.picture);
    if (also) also(decoder, frame);
  });
  t.lossyCodec = reader.info().lossyCodec;
  t.frames = read.frames - t.repeatedFrames, t.missing = read.missing;
  t.subsampled = decoder.format().subsampled();
  t.mosaic = decoder.mosaic();
  t.levels = decoder.levels();
  const Vec3 weights = lumaWeights(decoder.primaries());
  for (size_t i = 0; i < areas.size(); ++i) {
    const bool patch = i < chart.patches.size();
    (patch ? t.patches : t.regions).push_back(finishArea(areas[i], weights, patch));
    (patch ? t.samples : t.regionSamples).push_back(std::move(areas[i].sample));
  }
  return t;
}

}  // namespace edge
