#include "measure/wedge_camera.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "media/clip.h"
#include "media/writers.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr int kColumns = 6;
constexpr double kGain[3] = {kRed, 1, kBlue};
constexpr double kRawBlack = 512, kRawWhite = 15871;  // DN of a fourteen-bit converter

// A log curve of our own with room below black for the noise of a dark camera: black at 9 %, grey at 40 %.
constexpr const char* kLog = R"({"base": 2, "logSideSlope": 0.075, "logSideOffset": 0.5133, "linSideSlope": 1,
 "linSideOffset": 0.02, "linSideBreak": 0})";

double normal(RandomStream& r) {
  return std::sqrt(-2 * std::log(r.uniform() + 1e-12)) * std::cos(6.283185307179586 * r.uniform());
}

// Electrons of one site, in shares of the well.
double site(const Wedge& w, int c, double light, RandomStream& r) {
  const double e = (light + w.glare) * w.well / kGain[c];
  double x = (e + std::sqrt(e + w.read * w.read) * normal(r)) / w.well;
  if (w.shoulder > 0 && x > w.shoulder)  // joins with slope one and ends at the clip
    x = w.shoulder + (1 - w.shoulder) * (1 - std::exp(-(x - w.shoulder) / (1 - w.shoulder)));
  return std::min(1.0, x);
}

// White-balanced light of one pixel as its camera gives it.
void expose(const Wedge& w, double light, RandomStream& r, double* rgb) {
  bool full[3];
  for (int c = 0; c < 3; ++c) {
    const double seen = site(w, c, light, r);
    full[c] = seen >= 1;
    rgb[c] = seen * kGain[c];
  }
  if (w.making == Making::Ends) {
    for (int c = 0; c < 3; ++c) rgb[c] = std::min(1.0, rgb[c]);
    return;
  }
  if (!full[1]) return;
  const double rest = full[2] ? rgb[0] : (rgb[0] + rgb[2]) / 2;
  rgb[1] = rest;
  if (w.making == Making::RebuiltGrey) rgb[0] = rgb[2] = rest;
}

std::vector<double> kernelOf(double sigma) {
  std::vector<double> k;
  double sum = 0;
  for (int i = -4; i <= 4; ++i) k.push_back(std::exp(-i * i / (2 * sigma * sigma))), sum += k.back();
  for (double& v : k) v /= sum;
  return k;
}

void blur(std::vector<double>& plane, int width, int height, double sigma) {
  const auto k = kernelOf(sigma);
  std::vector<double> pass(plane.size());
  for (int turn = 0; turn < 2; ++turn) {
    for (int y = 0; y < height; ++y)
      for (int x = 0; x < width; ++x) {
        double sum = 0;
        for (int i = -4; i <= 4; ++i) {
          const int u = turn ? x : std::clamp(x + i, 0, width - 1),
                    v = turn ? std::clamp(y + i, 0, height - 1) : y;
          sum += k[static_cast<size_t>(i + 4)] * plane[static_cast<size_t>(v) * width + u];
        }
        pass[static_cast<size_t>(y) * width + x] = sum;
      }
    plane.swap(pass);
  }
}

struct Setting {
  Chart chart;
  std::vector<double> light;  // by step
  int width, height;
};

Setting layOut(const Wedge& w) {
  Setting l;
  const int rows = (w.steps + kColumns - 1) / kColumns;
  l.width = w.side * kColumns, l.height = w.side * rows;
  l.chart.referenceWidth = l.width, l.chart.referenceHeight = l.height;
  RandomStream random(w.seed, 7, 3);
  for (int i = 0; i < w.steps; ++i) {
    const double x = w.side * (i % kColumns), y = w.side * (i / kColumns), s = w.side;
    Patch p;
    p.name = std::to_string(i + 1), p.stops = -i * w.step, p.stopsSigma = w.sigma;
    p.corners = {{{x, y}, {x + s, y}, {x + s, y + s}, {x, y + s}}};
    l.light.push_back(std::exp2(w.over - i * w.step + w.chartError * normal(random)));
    l.chart.patches.push_back(p);
  }
  return l;
}

size_t stepAt(const Wedge& w, int x, int y) {
  return std::min(static_cast<size_t>(x / w.side + kColumns * (y / w.side)),
                  static_cast<size_t>(w.steps - 1));
}

// Developed scene-linear planes of one frame.
void developed(const Wedge& w, const Setting& l, double flicker, RandomStream& r,
               std::vector<double> (&plane)[3]) {
  for (auto& p : plane) p.resize(static_cast<size_t>(l.width) * l.height);
  for (int y = 0; y < l.height; ++y)
    for (int x = 0; x < l.width; ++x) {
      double rgb[3];
      expose(w, l.light[stepAt(w, x, y)] * flicker, r, rgb);
      for (int c = 0; c < 3; ++c) plane[c][static_cast<size_t>(y) * l.width + x] = rgb[c];
    }
  for (auto& p : plane) {
    if (w.blur > 0) blur(p, l.width, l.height, w.blur);
    for (double& v : p) v = (w.clamp ? std::max(0.0, v) : v) * w.scale;
  }
}

struct Codes {
  std::vector<std::uint16_t> y, cb, cr;
};

// Ten-bit legal 4:2:2 of R'G'B' codes; chroma is the mean of two pixels (ITU-R BT.709-6, 3.2 to 3.4).
Codes videoCodes(const std::vector<float>& rgb, int width, int height) {
  const Vec3 k = lumaWeights(Primaries::Bt709);
  Codes out;
  double cb = 0, cr = 0;
  for (int i = 0; i < width * height; ++i) {
    const float* p = &rgb[3 * static_cast<size_t>(i)];
    const double y = k[0] * p[0] + k[1] * p[1] + k[2] * p[2];
    out.y.push_back(static_cast<std::uint16_t>(std::clamp(std::lround(64 + 876 * y), 4L, 1019L)));
    cb += (p[2] - y) / (2 * (1 - k[2])) / 2, cr += (p[0] - y) / (2 * (1 - k[0])) / 2;
    if (i % 2 == 0) continue;
    out.cb.push_back(static_cast<std::uint16_t>(std::clamp(std::lround(512 + 896 * cb), 4L, 1019L)));
    out.cr.push_back(static_cast<std::uint16_t>(std::clamp(std::lround(512 + 896 * cr), 4L, 1019L)));
    cb = cr = 0;
  }
  return out;
}

std::vector<float> encoded(const Wedge& w, const std::vector<double> (&plane)[3], const Curve& curve) {
  std::vector<float> pixels(3 * plane[0].size());
  for (size_t i = 0; i < plane[0].size(); ++i)
    for (size_t c = 0; c < 3; ++c)
      pixels[3 * i + c] = static_cast<float>(
          w.recording == Recording::Exr ? plane[c][i] : std::clamp(curve.toCode(plane[c][i]), 0.0, 1.0));
  return pixels;
}

void writeRaw(const Wedge& w, const Setting& l, const fs::path& file, double flicker, RandomStream& r) {
  DngDescription d;
  d.width = l.width, d.height = l.height, d.black = kRawBlack, d.white = kRawWhite;
  d.asShotNeutral = {1 / kRed, 1, 1 / kBlue};
  d.xyzToCamera[0][0] = d.xyzToCamera[1][1] = d.xyzToCamera[2][2] = 1;
  d.model = "Corvane 35";
  std::vector<std::uint16_t> mosaic;
  for (int y = 0; y < l.height; ++y)
    for (int x = 0; x < l.width; ++x) {
      const int c = (x % 2) + (y % 2);  // RGGB
      double v = kRawBlack + (kRawWhite - kRawBlack) * site(w, c, l.light[stepAt(w, x, y)] * flicker, r);
      if (w.clamp) v = std::max(v, kRawBlack);
      mosaic.push_back(static_cast<std::uint16_t>(std::clamp(std::lround(v), 0L, 16383L)));
    }
  writeDng(file, d, mosaic);
}

void writeClip(const Wedge& w, const Setting& l, const fs::path& folder) {
  const auto curve = makeCurve((folder.parent_path() / "log.json").string()).curve;
  const bool movie = w.recording == Recording::Movie;
  std::unique_ptr<MovieWriter> writer;
  if (movie) writer = std::make_unique<MovieWriter>(folder / "clip.mkv", l.width, l.height, 24);
  std::vector<double> plane[3];
  for (int f = 0; f < w.frames; ++f) {
    RandomStream r(w.seed, static_cast<std::uint64_t>(f), 5);
    const double flicker = 1 + w.flicker * normal(r);
    const std::string name = fmt::format("f.{:04}", f);
    if (w.recording == Recording::Raw) {
      writeRaw(w, l, folder / (name + ".dng"), flicker, r);
      continue;
    }
    developed(w, l, flicker, r, plane);
    const auto pixels = encoded(w, plane, *curve);
    if (movie) {
      const Codes c = videoCodes(pixels, l.width, l.height);
      writer->add(c.y, c.cb, c.cr);
      continue;
    }
    const auto [extension, bits] = w.recording == Recording::Exr         ? std::pair("exr", 32)
                                   : w.recording == Recording::Log16     ? std::pair("tif", 16)
                                   : w.recording == Recording::Log10Tiff ? std::pair("tif", 10)
                                   : w.recording == Recording::Log8      ? std::pair("png", 8)
                                                                         : std::pair("dpx", 10);
    test::writeImage(folder / (name + "." + extension), l.width, l.height, 3, pixels, bits);
  }
  if (movie) writer->finish();
}

}  // namespace

std::string wordOf(Recording r) {
  constexpr const char* kWords[] = {"EXR",         "16-bit TIFF", "10-bit TIFF", "10-bit DPX",
                                    "10-bit FFV1", "8-bit PNG",   "DNG"};
  return kWords[static_cast<int>(r)];
}

namespace {

WedgeMeasure measured(const Wedge& w, const fs::path& folder) {
  const Setting l = layOut(w);
  fs::create_directories(folder);
  test::writeText(folder.parent_path() / "log.json", kLog);
  writeClip(w, l, folder);
  DecodeOptions decode;
  const bool linear = w.recording == Recording::Exr || w.recording == Recording::Raw;
  decode.curve = linear ? "linear" : (folder.parent_path() / "log.json").string();
  decode.range = w.recording == Recording::Movie ? Range::Legal : Range::Full;
  if (!w.decodeAs.empty()) decode.curve = w.decodeAs;
  const auto reader = openClip(w.recording == Recording::Movie ? folder / "clip.mkv" : folder);
  const WedgeMeasure m = measureWedge(*reader, decode, l.chart, {}, Progress());
  fs::remove_all(folder);
  return m;
}

}  // namespace

RangeResult analyse(const Wedge& w, const fs::path& folder, WedgeMeasure* measure) {
  *measure = measured(w, folder);
  RangeOptions options;
  if (w.black) {
    Wedge cap = w;
    cap.over = -60, cap.glare = 0, cap.seed += 500000;
    const WedgeMeasure dark = measured(cap, folder);
    for (int c = 0; c < kMeasured; ++c) options.black[c] = dark.patches[0].channel[c];
  }
  return analyseRange(*measure, options);
}

// SNR(x) = x / sqrt(sum w^2 g (x + g r^2/F)/F), photons of the glare with those of the step.
double trueLumaRange(const Wedge& w, double snr) {
  const Vec3 k = lumaWeights(Primaries::Bt709);
  const bool raw = w.recording == Recording::Raw;
  const double rounding = raw ? 1.0 / 12 / std::pow(kRawWhite - kRawBlack, 2) : 0;
  double low = -30, high = 0;
  for (int i = 0; i < 80; ++i) {
    const double mid = (low + high) / 2, x = std::exp2(mid);
    double v = 0;
    for (int c = 0; c < 3; ++c) {
      const double one = kGain[c] * (x + w.glare + kGain[c] * w.read * w.read / w.well) / w.well +
                         kGain[c] * kGain[c] * rounding;
      v += k[static_cast<size_t>(c)] * k[static_cast<size_t>(c)] * one / (raw && c == 1 ? 2 : 1);
    }
    (x / std::sqrt(v) < snr ? low : high) = mid;
  }
  // The well is full at light 1 less the glare.
  return std::log2(1 - w.glare) - low;
}

double trueMosaicRange(const Wedge& w, int channel, double snr) {
  const double dn = w.well / (kRawWhite - kRawBlack);  // electrons
  const double glare = w.glare * w.well / kGain[channel], rest = w.read * w.read + dn * dn / 12 + glare;
  const double e = (snr * snr + std::sqrt(std::pow(snr, 4) + 4 * snr * snr * rest)) / 2;
  return std::log2((w.well - glare) / e);
}

}  // namespace edge
