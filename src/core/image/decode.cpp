#include "image/decode.h"

#include <Imath/half.h>
#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <cstring>

#include "base/error.h"

namespace edge {
namespace {

// Computed R'G'B' go through a table of this many steps a unit of code: interpolation error below 1e-7.
constexpr int kFinePerUnit = 16384;
constexpr float kFineFrom = -0.5F, kFineTo = 1.5F;

double legalZero(int depth) {
  return 16 * std::exp2(depth - 8);
}
double legalSpan(int depth) {
  return 219 * std::exp2(depth - 8);
}

template <class T>
const T* sampleAt(const ChannelView& v, int x, int y) {
  return reinterpret_cast<const T*>(v.data + y * v.rowBytes + static_cast<std::ptrdiff_t>(x) * v.stepBytes);
}

// Integer samples of any width as an index.
inline unsigned index(const ChannelView& v, int x, int y, SampleType type) {
  return type == SampleType::U8 ? *sampleAt<std::uint8_t>(v, x, y) : *sampleAt<std::uint16_t>(v, x, y);
}

constexpr int kRgbChannels[3] = {static_cast<int>(Channel::R), static_cast<int>(Channel::G),
                                 static_cast<int>(Channel::B)};

float* rowOf(std::vector<float>& plane, int row, const Block& block) {
  return plane.data() + static_cast<size_t>(row) * block.width;
}

float lumaOf(const Vec3& w, float r, float g, float b) {
  return static_cast<float>(w[0]) * r + static_cast<float>(w[1]) * g + static_cast<float>(w[2]) * b;
}

// A row of samples times a scale plus an offset.
template <class T>
void scaledRow(const ChannelView& v, int x0, int y, int n, float scale, float offset, float* out) {
  const T* row = sampleAt<T>(v, x0, y);
  const auto step = static_cast<std::ptrdiff_t>(v.stepBytes / static_cast<int>(sizeof(T)));
  if (step == 1) {
#pragma omp simd
    for (int i = 0; i < n; ++i) out[i] = static_cast<float>(row[i]) * scale + offset;
  } else {
    for (int i = 0; i < n; ++i) out[i] = static_cast<float>(row[i * step]) * scale + offset;
  }
}

}  // namespace

Decoder::Decoder(const PixelFormat& format, const DecodeOptions& options) : format_(format) {
  if (mosaic() && options.whiteBalance) format_.whiteBalance = *options.whiteBalance;
  curve_ = makeCurve(options.curve);
  range_ = options.range.value_or(
      format.range.value_or(format.layout == Layout::Yuv ? Range::Legal : Range::Full));
  matrix_ = options.matrix.value_or(format.matrix.value_or(Primaries::Bt709));
  primaries_ = options.primaries.value_or(matrix_);
  buildSampleTables();
  if (format_.layout == Layout::Yuv || format_.sample == SampleType::F32) buildFineTable();
  int greens = 0;
  for (int s = 0; s < 4; ++s) {
    const char c = format_.cfa[s];
    const Channel channel = c == 'R'   ? Channel::R
                            : c == 'B' ? Channel::B
                            : greens++ ? Channel::G2
                                       : Channel::G;
    siteChannel_[s] = static_cast<int>(channel);
  }
}

std::vector<Channel> Decoder::channels() const {
  if (mosaic()) return {Channel::R, Channel::G, Channel::G2, Channel::B, Channel::Y};
  return {Channel::R, Channel::G, Channel::B, Channel::Y};
}

double Decoder::topCode() const {
  if (format_.isFloat() || mosaic()) return format_.isFloat() ? 0 : 1;
  const double top = std::exp2(format_.bitDepth) - 1;
  return range_ == Range::Legal ? (top - legalZero(format_.bitDepth)) / legalSpan(format_.bitDepth) : 1;
}

void Decoder::buildSampleTables() {
  const int depth = format_.bitDepth;
  if (format_.sample == SampleType::F32) return;
  const size_t count = format_.sample == SampleType::U8 ? 256 : 65536;
  const double top = std::exp2(depth) - 1;
  const bool legal = range_ == Range::Legal && !format_.isFloat();
  levels_ = format_.isFloat() ? 0 : legal ? legalSpan(depth) : top;
  if (mosaic()) levels_ = format_.white - format_.black[0];
  const double toCode = format_.scaledTo16 ? top / 65535 : 1;
  codeScale_ = static_cast<float>(toCode / (legal ? legalSpan(depth) : top));
  codeOffset_ = static_cast<float>(legal ? -legalZero(depth) / legalSpan(depth) : 0);
  sampleCode_.resize(count);
  sampleLinear_.resize(count);
  for (size_t i = 0; i < count; ++i) {
    double code = 0;
    if (format_.sample == SampleType::F16) {
      half h;
      h.setBits(static_cast<std::uint16_t>(i));
      code = h;
    } else {
      const double v =
          format_.scaledTo16 ? std::round(static_cast<double>(i) * top / 65535) : static_cast<double>(i);
      code = mosaic() ? v / levels_ : legal ? (v - legalZero(depth)) / legalSpan(depth) : v / top;
    }
    sampleCode_[i] = static_cast<float>(code);
    // A mosaic's black differs by site: its rows subtract it and go through the curve one by one.
    if (format_.layout != Layout::Yuv && !mosaic())
      sampleLinear_[i] = static_cast<float>(std::isfinite(code) ? curve_.curve->toLinear(code) : code);
  }
}

void Decoder::buildFineTable() {
  const int count = static_cast<int>((kFineTo - kFineFrom) * kFinePerUnit) + 2;
  fine_.resize(count);
  for (int i = 0; i < count; ++i)
    fine_[i] = static_cast<float>(curve_.curve->toLinear(kFineFrom + static_cast<double>(i) / kFinePerUnit));
}

float Decoder::fineLinear(float code) const {
  if (!(code > kFineFrom && code < kFineTo))
    return std::isfinite(code) ? static_cast<float>(curve_.curve->toLinear(code)) : code;
  const float at = (code - kFineFrom) * kFinePerUnit;
  const int i = static_cast<int>(at);
  return fine_[i] + (at - static_cast<float>(i)) * (fine_[i + 1] - fine_[i]);
}

void Decoder::readRgbRow(const Frame& f, int y, int x0, int x1, float* linear, float* code) const {
  const int channels = static_cast<int>(f.channels.size());
  for (int c = 0; c < 3; ++c) {
    const ChannelView& v = f.channels[std::min(c, channels - 1)];
    float* lin = linear + c;
    if (format_.sample == SampleType::F32) {
      const bool straight = curve_.name == "linear";
      for (int x = x0; x < x1; ++x, lin += 3) {
        const float s = *sampleAt<float>(v, x, y);
        *lin = straight ? s : fineLinear(s);
        if (code) code[(x - x0) * 3 + c] = s;
      }
      continue;
    }
    // Two passes: the table of light stays in the cache, and codes of integers need no table at all.
    for (int x = x0; x < x1; ++x, lin += 3) *lin = sampleLinear_[index(v, x, y, format_.sample)];
    if (!code) continue;
    float* out = code + c;
    for (int x = x0; x < x1; ++x, out += 3) {
      const unsigned i = index(v, x, y, format_.sample);
      *out = format_.isFloat() ? sampleCode_[i] : codeScale_ * static_cast<float>(i) + codeOffset_;
    }
  }
}

void Decoder::scaledSamples(const ChannelView& v, int x0, int y, int n, float scale, float offset,
                            float* out) const {
  format_.sample == SampleType::U8 ? scaledRow<std::uint8_t>(v, x0, y, n, scale, offset, out)
                                   : scaledRow<std::uint16_t>(v, x0, y, n, scale, offset, out);
}

// Co-sited with even luma (BT.709 and BT.2020 4:2:2); between two samples their mean.
void Decoder::readChroma(const ChannelView& v, int y, int x0, int x1, bool between,
                         std::vector<float>& out) const {
  const int depth = format_.bitDepth, shift = format_.chromaShiftX, cy = y >> format_.chromaShiftY;
  const auto s = static_cast<float>(std::exp2(depth - 8));
  const float scale = range_ == Range::Legal ? 1 / (224 * s) : 1 / static_cast<float>(std::exp2(depth) - 1);
  const int from = x0 >> shift, to = std::min(((x1 - 1) >> shift) + 1, v.width - 1);
  std::vector<float> own(static_cast<size_t>(to - from) + 2);
  scaledSamples(v, from, cy, to - from + 1, scale, -128 * s * scale, own.data());
  own.back() = own[own.size() - 2];
  if (shift == 0) return own.swap(out);
  out.resize(2 * own.size());
  const float* c = own.data();
  float* o = out.data();
  const float next = between ? 0.5F : 0.0F, here = 1 - next;
  for (size_t i = 0; i + 1 < own.size(); ++i) {
    o[2 * i] = c[i];
    o[2 * i + 1] = here * c[i] + next * c[i + 1];
  }
  if (x0 & 1) out.erase(out.begin());
}

// With `pair` luma is the mean of the two pixels that share a chroma sample, which is not interpolated.
void Decoder::readYuvCodes(const Frame& f, int y, int x0, int x1, bool pair, CodeRow& out) const {
  const Vec3 w = lumaWeights(matrix_);
  const int n = x1 - x0;
  out.luma.resize(static_cast<size_t>(n));
  scaledSamples(f.channels[0], x0, y, n, codeScale_, codeOffset_, out.luma.data());
  if (pair) {
    const auto own = out.luma;
    for (int i = 0; i < n; ++i) {
      const int x = x0 + i, other = std::min(x ^ 1, format_.width - 1);
      out.luma[i] = 0.5F * (own[i] + sampleCode_[index(f.channels[0], other, y, format_.sample)]);
    }
  }
  readChroma(f.channels[1], y, x0, x1, !pair, out.cb);
  readChroma(f.channels[2], y, x0, x1, !pair, out.cr);
  for (auto& plane : out.rgb) plane.resize(static_cast<size_t>(n));
  const auto crToR = static_cast<float>(2 * (1 - w[0])), cbToB = static_cast<float>(2 * (1 - w[2]));
  const auto crToG = static_cast<float>(-2 * (1 - w[0]) * w[0] / w[1]);
  const auto cbToG = static_cast<float>(-2 * (1 - w[2]) * w[2] / w[1]);
  const float *luma = out.luma.data(), *cb = out.cb.data(), *cr = out.cr.data();
  float *r = out.rgb[0].data(), *g = out.rgb[1].data(), *b = out.rgb[2].data();
#pragma omp simd
  for (int i = 0; i < n; ++i) {
    r[i] = luma[i] + crToR * cr[i];
    g[i] = luma[i] + crToG * cr[i] + cbToG * cb[i];
    b[i] = luma[i] + cbToB * cb[i];
  }
}

void Decoder::fineRow(const std::vector<float>& code, float* linear) const {
  const size_t n = code.size();
  const float* v = code.data();
  int outside = 0;
#pragma omp simd reduction(+ : outside)
  for (size_t i = 0; i < n; ++i) outside += v[i] > kFineFrom && v[i] < kFineTo ? 0 : 1;
  if (outside > 0) {
    for (size_t i = 0; i < n; ++i) linear[i] = fineLinear(code[i]);
    return;
  }
  const float* table = fine_.data();
  for (size_t i = 0; i < n; ++i) {
    const float at = (code[i] - kFineFrom) * kFinePerUnit;
    const int k = static_cast<int>(at);
    linear[i] = table[k] + (at - static_cast<float>(k)) * (table[k + 1] - table[k]);
  }
}

void Decoder::readYuvRow(const Frame& f, int y, int x0, int x1, float* linear, float* code, bool pair) const {
  CodeRow row;
  readYuvCodes(f, y, x0, x1, false, row);
  const size_t n = row.luma.size();
  std::vector<float> plane(n);
  for (size_t c = 0; c < 3; ++c) {
    fineRow(row.rgb[c], plane.data());
    for (size_t i = 0; i < n; ++i) linear[3 * i + c] = plane[i];
  }
  if (!code) return;
  if (pair && format_.chromaShiftX == 1) readYuvCodes(f, y, x0, x1, true, row);
  for (size_t c = 0; c < 3; ++c)
    for (size_t i = 0; i < n; ++i) code[3 * i + c] = row.rgb[c][i];
}

// Cells of one row: the four sites black-subtracted and scaled (site), and the developed colour (rgb), either
// null.
// One site of every cell in a row: black taken off, white at 1.
void Decoder::readSite(const Frame& f, int s, int cellY, int x0, int x1, float* out) const {
  const ChannelView& v = f.channels[0];
  const double black = format_.black[s], scale = 1 / (format_.white - black);
  const int dx = s & 1, y = 2 * cellY + (s >> 1), n = x1 - x0;
  if (format_.sample == SampleType::U16 && v.stepBytes == 2) {
    const auto* row = reinterpret_cast<const std::uint16_t*>(v.data + y * v.rowBytes) + 2 * x0 + dx;
    const auto b = static_cast<float>(black), k = static_cast<float>(scale);
#pragma omp simd
    for (int i = 0; i < n; ++i) out[i] = (static_cast<float>(row[2 * i]) - b) * k;
  } else {
    for (int i = 0; i < n; ++i)
      out[i] = static_cast<float>((index(v, 2 * (x0 + i) + dx, y, format_.sample) - black) * scale);
  }
  if (curve_.name == "linear") return;
  for (int i = 0; i < n; ++i) out[i] = static_cast<float>(curve_.curve->toLinear(out[i]));
}

void Decoder::readCfaRow(const Frame& f, int cellY, int x0, int x1, float* const site[4], float* rgb) const {
  const int n = x1 - x0;
  for (int s = 0; s < 4; ++s) readSite(f, s, cellY, x0, x1, site[s]);
  if (!rgb) return;
  // Developed by cell: white balance and baseline exposure by channel, the greens averaged.
  float gain[4];
  int channel[4];
  const double scale = std::exp2(format_.baselineExposureStops);
  for (int s = 0; s < 4; ++s) {
    const char c = format_.cfa[s];
    channel[s] = c == 'R' ? 0 : c == 'G' ? 1 : 2;
    gain[s] = static_cast<float>(format_.whiteBalance[channel[s]] * scale * (c == 'G' ? 0.5 : 1));
  }
  float m[3][4];  // from the four sites to R, G, B
  for (int c = 0; c < 3; ++c)
    for (int s = 0; s < 4; ++s)
      m[c][s] = gain[s] * (format_.cameraToRgb ? static_cast<float>((*format_.cameraToRgb)[c][channel[s]])
                                               : (channel[s] == c ? 1.0F : 0.0F));
  for (int i = 0; i < n; ++i)
    for (int c = 0; c < 3; ++c)
      rgb[3 * i + c] =
          m[c][0] * site[0][i] + m[c][1] * site[1][i] + m[c][2] * site[2][i] + m[c][3] * site[3][i];
}

void Decoder::readRow(const Frame& frame, int y, int x0, int x1, float* linear, float* code,
                      bool pair) const {
  switch (format_.layout) {
    case Layout::Rgb:
    case Layout::Grey:
      return readRgbRow(frame, y, x0, x1, linear, code);
    case Layout::Yuv:
      return readYuvRow(frame, y, x0, x1, linear, code, pair);
    case Layout::Cfa: {
      std::vector<float> sites(4 * static_cast<size_t>(x1 - x0));
      const int n = x1 - x0;
      float* const site[4] = {sites.data(), sites.data() + n, sites.data() + 2 * n, sites.data() + 3 * n};
      readCfaRow(frame, y, x0, x1, site, linear);
      if (!code) return;
      // The code of a developed pixel is the brightest of its sites: that is what clips.
      for (int i = 0; i < n; ++i) {
        float best[3] = {-1e9F, -1e9F, -1e9F};
        for (int s = 0; s < 4; ++s) {
          const int c = format_.cfa[s] == 'R' ? 0 : format_.cfa[s] == 'G' ? 1 : 2;
          best[c] = std::max(best[c], site[s][i]);
        }
        std::copy_n(best, 3, code + i * 3);
      }
    }
  }
}

void Decoder::readBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const {
  const int div = mosaic() ? 2 : 1;
  out.width = area.width / div, out.height = area.height / div;
  const size_t n = static_cast<size_t>(out.width) * out.height;
  for (Channel c : channels()) {
    out.linear[static_cast<int>(c)].resize(n);
    out.code[static_cast<int>(c)].resize(wantCodes ? n : 0);
  }
  if (mosaic())
    readMosaicBlock(frame, area, out, wantCodes);
  else if (format_.layout == Layout::Yuv)
    readYuvBlock(frame, area, out, wantCodes);
  else
    readRgbBlock(frame, area, out, wantCodes);
  if (format_.isFloat()) checkFinite(frame, area, out);
}

void Decoder::readMosaicBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const {
  const Vec3 w = lumaWeights(primaries_);
  std::vector<float> rgb(3 * static_cast<size_t>(out.width));
  for (int r = 0; r < out.height; ++r) {
    float* site[4];
    for (int s = 0; s < 4; ++s) site[s] = rowOf(out.linear[siteChannel_[s]], r, out);
    readCfaRow(frame, area.y / 2 + r, area.x / 2, area.x / 2 + out.width, site, rgb.data());
    float* luma = rowOf(out.linear[static_cast<int>(Channel::Y)], r, out);
    for (int i = 0; i < out.width; ++i) luma[i] = lumaOf(w, rgb[3 * i], rgb[3 * i + 1], rgb[3 * i + 2]);
  }
  if (wantCodes && curve_.name == "linear")
    for (int s = 0; s < 4; ++s) out.code[siteChannel_[s]] = out.linear[siteChannel_[s]];
}

void Decoder::readYuvBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const {
  CodeRow row;
  for (int r = 0; r < out.height; ++r) {
    readYuvCodes(frame, area.y + r, area.x, area.x + out.width, false, row);
    for (int c = 0; c < 3; ++c) {
      fineRow(row.rgb[c], rowOf(out.linear[kRgbChannels[c]], r, out));
      if (wantCodes)
        std::copy(row.rgb[c].begin(), row.rgb[c].end(), rowOf(out.code[kRgbChannels[c]], r, out));
    }
    if (wantCodes)
      std::copy(row.luma.begin(), row.luma.end(), rowOf(out.code[static_cast<int>(Channel::Y)], r, out));
  }
  addLuma(out);
}

void Decoder::readRgbBlock(const Frame& frame, const Rect& area, Block& out, bool wantCodes) const {
  std::vector<float> rgb(3 * static_cast<size_t>(out.width)), code(rgb.size());
  for (int r = 0; r < out.height; ++r) {
    readRgbRow(frame, area.y + r, area.x, area.x + out.width, rgb.data(), wantCodes ? code.data() : nullptr);
    for (int c = 0; c < 3; ++c) {
      float* plane = rowOf(out.linear[kRgbChannels[c]], r, out);
      for (int i = 0; i < out.width; ++i) plane[i] = rgb[3 * i + c];
      if (!wantCodes) continue;
      float* codes = rowOf(out.code[kRgbChannels[c]], r, out);
      for (int i = 0; i < out.width; ++i) codes[i] = code[3 * i + c];
    }
  }
  addLuma(out);
}

void Decoder::addLuma(Block& out) const {
  const Vec3 w = lumaWeights(primaries_);
  const float *r = out.linear[kRgbChannels[0]].data(), *g = out.linear[kRgbChannels[1]].data(),
              *b = out.linear[kRgbChannels[2]].data();
  auto& luma = out.linear[static_cast<int>(Channel::Y)];
  for (size_t i = 0; i < luma.size(); ++i) luma[i] = lumaOf(w, r[i], g[i], b[i]);
}

void Decoder::checkFinite(const Frame& frame, const Rect& area, const Block& block) const {
  for (const auto& plane : block.linear)
    for (size_t i = 0; i < plane.size(); ++i)
      if (!std::isfinite(plane[i]))
        throw Error(
            "a pixel is not a finite number", "",
            fmt::format("frame {}, x {}, y {}", frame.number, area.x + static_cast<int>(i) % block.width,
                        area.y + static_cast<int>(i) / block.width),
            "write the frames again without NaN or infinity");
}

}  // namespace edge
