#include "support/spoiled.h"

extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
}

#include <algorithm>
#include <cmath>
#include <cstring>
#include <stdexcept>

#include "base/files.h"
#include "media/clip.h"
#include "support/support.h"

namespace edge::test {
namespace {

constexpr double kGain[3] = {2, 1, 1.6};                 // white balance: red and blue see less
constexpr double kWeight[3] = {0.2126, 0.7152, 0.0722};  // ITU-R BT.709-6, 3.2
constexpr double kSlope = 0.075, kOffset = 0.5133, kToe = 0.02;

using Plane = std::vector<float>;

// One channel of one frame through a function of the whole plane.
template <class F>
void everyPlane(Footage& f, F body) {
  Plane plane(f.pixels());
  for (auto& frame : f.frames)
    for (size_t c = 0; c < 3; ++c) {
      for (size_t i = 0; i < plane.size(); ++i) plane[i] = frame[3 * i + c];
      plane = body(plane);
      for (size_t i = 0; i < plane.size(); ++i) frame[3 * i + c] = plane[i];
    }
}

Plane along(const Plane& p, int w, int h, double sigma, bool rows) {
  if (!(sigma > 0)) return p;
  const int reach = static_cast<int>(std::ceil(4 * sigma));
  std::vector<double> kernel;
  double sum = 0;
  for (int i = -reach; i <= reach; ++i)
    kernel.push_back(std::exp(-i * i / (2 * sigma * sigma))), sum += kernel.back();
  Plane out(p.size());
  for (int y = 0; y < h; ++y)
    for (int x = 0; x < w; ++x) {
      double v = 0;
      for (int i = -reach; i <= reach; ++i) {
        const int u = rows ? std::clamp(x + i, 0, w - 1) : x, t = rows ? y : std::clamp(y + i, 0, h - 1);
        v += kernel[static_cast<size_t>(i + reach)] / sum * p[static_cast<size_t>(t) * w + u];
      }
      out[static_cast<size_t>(y) * w + x] = static_cast<float>(v);
    }
  return out;
}

Plane blurred(const Plane& p, int w, int h, double sx, double sy) {
  return along(along(p, w, h, sx, true), w, h, sy, false);
}

void require(bool good, const char* what) {
  if (!good) throw std::runtime_error(std::string("test encoder: ") + what);
}

const AVCodec* find(const std::string& name) {
  if (const AVCodec* c = avcodec_find_encoder_by_name(name.c_str())) return c;
  void* at = nullptr;
  while (const AVCodec* c = av_codec_iterate(&at)) {
    const AVCodecDescriptor* d = avcodec_descriptor_get(c->id);
    if (av_codec_is_encoder(c) && d && d->long_name && std::string(d->long_name).starts_with(name)) return c;
  }
  return nullptr;
}

AVPixelFormat pixelFormat(const Encoder& e) {
  const bool ten = e.bits == 10;
  if (e.sampling == Sampling::Full444) return ten ? AV_PIX_FMT_YUV444P10LE : AV_PIX_FMT_YUV444P;
  if (e.sampling == Sampling::Half422) return ten ? AV_PIX_FMT_YUV422P10LE : AV_PIX_FMT_YUV422P;
  return ten ? AV_PIX_FMT_YUV420P10LE : AV_PIX_FMT_YUV420P;
}

// Planes of Y', Cb, Cr codes of one frame (ITU-R BT.709-6, 3.2 to 3.5); chroma is the mean of its pixels.
std::vector<std::vector<unsigned>> codesOf(const Footage& f, const std::vector<float>& rgb,
                                           const Encoder& e) {
  const int w = f.width, h = f.height, sx = e.sampling == Sampling::Full444 ? 1 : 2,
            sy = e.sampling == Sampling::Quarter420 ? 2 : 1;
  const double s = std::exp2(e.bits - 8), top = std::exp2(e.bits) - 1;
  const bool legal = e.legal;
  const auto put = [&](double v, double zero, double span) {
    return static_cast<unsigned>(
        std::clamp(std::round(zero + span * v), legal ? s : 0.0, legal ? 255 * s - 1 : top));
  };
  std::vector<double> y(f.pixels()), cb(f.pixels()), cr(f.pixels());
  for (size_t i = 0; i < f.pixels(); ++i) {
    double c[3];
    for (size_t k = 0; k < 3; ++k) c[k] = logCode(rgb[3 * i + k]);
    y[i] = kWeight[0] * c[0] + kWeight[1] * c[1] + kWeight[2] * c[2];
    cb[i] = (c[2] - y[i]) / (2 * (1 - kWeight[2])), cr[i] = (c[0] - y[i]) / (2 * (1 - kWeight[0]));
  }
  std::vector<std::vector<unsigned>> planes(3);
  for (double v : y) planes[0].push_back(put(v, legal ? 16 * s : 0, legal ? 219 * s : top));
  for (int row = 0; row < h; row += sy)
    for (int x = 0; x < w; x += sx)
      for (int p : {1, 2}) {
        double sum = 0;
        for (int j = 0; j < sy; ++j)
          for (int i = 0; i < sx; ++i) sum += (p == 1 ? cb : cr)[static_cast<size_t>(row + j) * w + x + i];
        planes[static_cast<size_t>(p)].push_back(put(sum / (sx * sy), 128 * s, legal ? 224 * s : top));
      }
  return planes;
}

class Writer {
 public:
  Writer(const Footage& f, const std::filesystem::path& file, const Encoder& e) : e_(e) {
    av_log_set_level(AV_LOG_QUIET);
    require(avformat_alloc_output_context2(&container_, nullptr, nullptr, file.c_str()) >= 0, "container");
    const AVCodec* encoder = find(e.name);
    require(encoder, e.name.c_str());
    codec_ = avcodec_alloc_context3(encoder);
    codec_->width = f.width, codec_->height = f.height, codec_->pix_fmt = pixelFormat(e);
    codec_->time_base = {1, 24}, codec_->framerate = {24, 1}, codec_->gop_size = e.group;
    codec_->color_range = e.taggedLegal ? AVCOL_RANGE_MPEG : AVCOL_RANGE_JPEG,
    codec_->colorspace = AVCOL_SPC_BT709;
    codec_->strict_std_compliance = FF_COMPLIANCE_UNOFFICIAL, codec_->thread_count = 1;
    codec_->flags |= AV_CODEC_FLAG_GLOBAL_HEADER;
    AVDictionary* options = nullptr;
    for (const auto& [key, value] : e.options) av_dict_set(&options, key.c_str(), value.c_str(), 0);
    require(avcodec_open2(codec_, encoder, &options) >= 0, "open");
    av_dict_free(&options);
    stream_ = avformat_new_stream(container_, nullptr);
    stream_->time_base = codec_->time_base, stream_->avg_frame_rate = codec_->framerate;
    avcodec_parameters_from_context(stream_->codecpar, codec_);
    require(avio_open(&container_->pb, file.c_str(), AVIO_FLAG_WRITE) >= 0, "file");
    require(avformat_write_header(container_, nullptr) >= 0, "header");
    frame_ = av_frame_alloc(), packet_ = av_packet_alloc();
    frame_->format = codec_->pix_fmt, frame_->width = f.width, frame_->height = f.height;
    require(av_frame_get_buffer(frame_, 0) >= 0, "memory");
  }
  ~Writer() {
    av_packet_free(&packet_), av_frame_free(&frame_), avcodec_free_context(&codec_);
    if (container_->pb) avio_closep(&container_->pb);
    avformat_free_context(container_);
  }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;

  void add(const std::vector<std::vector<unsigned>>& planes) {
    require(av_frame_make_writable(frame_) >= 0, "memory");
    for (size_t p = 0; p < 3; ++p) {
      const int w = p && e_.sampling != Sampling::Full444 ? frame_->width / 2 : frame_->width;
      for (size_t i = 0; i < planes[p].size(); ++i) {
        auto* row = frame_->data[p] + static_cast<std::ptrdiff_t>(i / w) * frame_->linesize[p];
        if (e_.bits == 8)
          row[i % w] = static_cast<std::uint8_t>(planes[p][i]);
        else
          reinterpret_cast<std::uint16_t*>(row)[i % w] = static_cast<std::uint16_t>(planes[p][i]);
      }
    }
    frame_->pts = e_.firstStamp + count_++;
    send(frame_);
  }
  void finish() {
    send(nullptr);
    require(av_write_trailer(container_) >= 0, "end");
  }

 private:
  void send(const AVFrame* f) {
    require(avcodec_send_frame(codec_, f) >= 0, "frame");
    while (avcodec_receive_packet(codec_, packet_) == 0) {
      av_packet_rescale_ts(packet_, codec_->time_base, stream_->time_base);
      packet_->stream_index = stream_->index;
      require(av_interleaved_write_frame(container_, packet_) >= 0, "write");
    }
  }
  Encoder e_;
  AVFormatContext* container_ = nullptr;
  AVCodecContext* codec_ = nullptr;
  AVStream* stream_ = nullptr;
  AVFrame* frame_ = nullptr;
  AVPacket* packet_ = nullptr;
  std::int64_t count_ = 0;
};

// Decoded, and stored without loss.
void transcode(const Footage& f, const std::filesystem::path& from, const std::filesystem::path& to,
               const Encoder& e) {
  const auto reader = openClip(from);
  Writer writer(f, to, lossless(e.bits, e.sampling));
  Frame frame;
  while (reader->next(frame)) {
    std::vector<std::vector<unsigned>> planes;
    for (const ChannelView& c : frame.channels) {
      auto& plane = planes.emplace_back();
      for (int y = 0; y < c.height; ++y)
        for (int x = 0; x < c.width; ++x) {
          const std::byte* at = c.data + y * c.rowBytes + static_cast<std::ptrdiff_t>(x) * c.stepBytes;
          std::uint16_t v = 0;
          std::memcpy(&v, at, e.bits == 8 ? 1 : 2);
          plane.push_back(v);
        }
    }
    writer.add(planes);
  }
  writer.finish();
}

}  // namespace

double PlainCamera::trueRange(double snr) const {
  double low = -30, high = 0;
  for (int i = 0; i < 80; ++i) {
    const double mid = (low + high) / 2, x = std::exp2(mid);
    double v = 0;
    for (int c = 0; c < 3; ++c)
      v += kWeight[c] * kWeight[c] * kGain[c] * (x + kGain[c] * read * read / well) / well;
    (x / std::sqrt(v) < snr ? low : high) = mid;
  }
  return -low;
}

PlainCamera randomCamera(std::mt19937_64& random) {
  std::uniform_real_distribution<double> u(0, 1);
  PlainCamera c;
  do {
    c.well = std::exp2(11 + 5 * u(random)), c.read = 1 + 7 * u(random);
  } while (c.read / c.well > 5e-4);
  c.over = 0.6 + 1.8 * u(random), c.step = 0.9 + 0.1 * u(random), c.scale = 3 + 2 * u(random);
  c.frames = u(random) < 0.5 ? 8 : 12, c.seed = random();
  return c;
}

double Footage::levelAt(size_t i) const {
  const int x = static_cast<int>(i) % width, y = static_cast<int>(i) / width;
  const auto step = static_cast<size_t>(x / camera.side + columns * (y / camera.side));
  return std::min(1.0, light[std::min(step, light.size() - 1)]) * camera.scale;
}

void photograph(Footage& f, std::mt19937_64& random, const std::function<double(int, int)>& light) {
  const PlainCamera& camera = f.camera;
  std::normal_distribution<double> normal;
  f.frames.assign(static_cast<size_t>(camera.frames), std::vector<float>(3 * f.pixels()));
  for (auto& frame : f.frames)
    for (size_t i = 0; i < f.pixels(); ++i) {
      const double at = light(static_cast<int>(i) % f.width, static_cast<int>(i) / f.width);
      for (size_t c = 0; c < 3; ++c) {
        const double e = at * camera.well / kGain[c];
        const double n = (e + std::sqrt(e + camera.read * camera.read) * normal(random)) / camera.well;
        frame[3 * i + c] = static_cast<float>(std::min(1.0, std::min(1.0, n) * kGain[c]) * camera.scale);
      }
    }
}

Footage expose(const PlainCamera& camera) {
  Footage f;
  f.camera = camera;
  const int rows = (camera.steps + f.columns - 1) / f.columns, side = camera.side;
  f.width = side * f.columns, f.height = side * rows;
  f.chart.referenceWidth = f.width, f.chart.referenceHeight = f.height;
  std::mt19937_64 random(camera.seed);
  std::normal_distribution<double> normal;
  for (int i = 0; i < camera.steps; ++i) {
    const double x = side * (i % f.columns), y = side * (i / f.columns), s = side;
    Patch p;
    p.name = std::to_string(i + 1), p.stops = -i * camera.step, p.stopsSigma = camera.chartError;
    p.corners = {{{x, y}, {x + s, y}, {x + s, y + s}, {x, y + s}}};
    f.chart.patches.push_back(p);
    f.light.push_back(std::exp2(camera.over - i * camera.step + camera.chartError * normal(random)));
  }
  photograph(f, random, [&](int x, int y) {
    return f.light[static_cast<size_t>(std::min(x / side + f.columns * (y / side), camera.steps - 1))];
  });
  return f;
}

void core(Footage& f, double sds, bool soft) {
  for (auto& frame : f.frames)
    for (size_t i = 0; i < f.pixels(); ++i)
      for (size_t c = 0; c < 3; ++c) {
        const double level = f.levelAt(i),
                     limit = sds * kGain[c] * f.camera.read / f.camera.well * f.camera.scale;
        double off = frame[3 * i + c] - level;
        off = std::abs(off) <= limit ? 0 : soft ? std::copysign(std::abs(off) - limit, off) : off;
        frame[3 * i + c] = static_cast<float>(level + off);
      }
}

void rowNoise(Footage& f, double reads, std::mt19937_64& random) {
  std::normal_distribution<double> normal;
  for (auto& frame : f.frames)
    for (size_t row = 0; row < static_cast<size_t>(f.height); ++row) {
      const double electrons = reads * f.camera.read * normal(random);
      for (size_t i = row * static_cast<size_t>(f.width); i < (row + 1) * static_cast<size_t>(f.width); ++i)
        for (size_t c = 0; c < 3; ++c)
          frame[3 * i + c] += static_cast<float>(electrons / f.camera.well * kGain[c] * f.camera.scale);
    }
}

void stand(Footage& f) {
  std::fill(f.frames.begin() + 1, f.frames.end(), f.frames.front());
}

void repeat(Footage& f, int times) {
  std::vector<std::vector<float>> out;
  for (const auto& frame : f.frames) out.insert(out.end(), static_cast<size_t>(times), frame);
  f.frames = std::move(out);
}

void pullDown(Footage& f) {
  const auto woven = [&](const std::vector<float>& even, const std::vector<float>& odd) {
    std::vector<float> out = even;
    const size_t row = 3 * static_cast<size_t>(f.width);
    for (size_t y = 1; y < static_cast<size_t>(f.height); y += 2)
      std::copy_n(odd.begin() + static_cast<std::ptrdiff_t>(y * row), row,
                  out.begin() + static_cast<std::ptrdiff_t>(y * row));
    return out;
  };
  std::vector<std::vector<float>> out;
  for (size_t i = 0; i + 4 <= f.frames.size(); i += 4) {
    const auto &a = f.frames[i], &b = f.frames[i + 1], &c = f.frames[i + 2], &d = f.frames[i + 3];
    for (auto frame : {a, b, woven(b, c), woven(c, d), d}) out.push_back(std::move(frame));
  }
  f.frames = std::move(out);
}

void recursive(Footage& f, double a) {
  for (size_t t = 1; t < f.frames.size(); ++t)
    for (size_t i = 0; i < f.frames[t].size(); ++i)
      f.frames[t][i] = static_cast<float>(a * f.frames[t - 1][i] + (1 - a) * f.frames[t][i]);
}

void blur(Footage& f, double sx, double sy) {
  everyPlane(f, [&](const Plane& p) { return blurred(p, f.width, f.height, sx, sy); });
}

void unsharp(Footage& f, double amount, double sigma) {
  everyPlane(f, [&](const Plane& p) {
    Plane out = blurred(p, f.width, f.height, sigma, sigma);
    for (size_t i = 0; i < p.size(); ++i) out[i] = static_cast<float>(p[i] + amount * (p[i] - out[i]));
    return out;
  });
}

void median3(Footage& f) {
  everyPlane(f, [&](const Plane& p) {
    Plane out = p;
    for (int y = 1; y + 1 < f.height; ++y)
      for (int x = 1; x + 1 < f.width; ++x) {
        float v[9];
        for (int i = 0; i < 9; ++i) v[i] = p[static_cast<size_t>(y + i / 3 - 1) * f.width + x + i % 3 - 1];
        std::nth_element(v, v + 4, v + 9);
        out[static_cast<size_t>(y) * f.width + x] = v[4];
      }
    return out;
  });
}

void withoutNoise(Footage& f) {
  for (auto& frame : f.frames)
    for (size_t i = 0; i < f.pixels(); ++i)
      for (size_t c = 0; c < 3; ++c) frame[3 * i + c] = static_cast<float>(f.levelAt(i));
}

void hotPixels(Footage& f, int perStep) {
  std::mt19937_64 random(f.camera.seed + 1);
  std::uniform_real_distribution<double> u(0.003, 0.3);
  for (int k = 0; k < perStep * f.camera.steps; ++k) {
    const size_t at = random() % (3 * f.pixels());
    const double extra = u(random) * f.camera.scale;
    for (auto& frame : f.frames) frame[at] = static_cast<float>(std::min(f.camera.scale, frame[at] + extra));
  }
}

void dimFirstStep(Footage& f, double stops) {
  const double factor = std::exp2(-stops);
  for (auto& frame : f.frames)
    for (int y = 0; y < f.camera.side; ++y)
      for (int x = 0; x < 3 * f.camera.side; ++x)
        frame[3 * static_cast<size_t>(y) * f.width + x] *= static_cast<float>(factor);
}

Encoder lossless(int bits, Sampling sampling) {
  Encoder e{"ffv1", {}};
  e.bits = bits, e.sampling = sampling;
  return e;
}

Encoder checked(int bits, Sampling sampling) {
  Encoder e = lossless(bits, sampling);
  e.options = {{"level", "3"}, {"slicecrc", "1"}};
  return e;
}

void flipABit(const std::filesystem::path& file) {
  std::string bytes = readText(file);
  char& c = bytes.at(bytes.size() / 2);
  c = static_cast<char>(c ^ 0x10);
  writeText(file, bytes);
}

bool isThere(const Encoder& e) {
  return find(e.name) != nullptr;
}

double logCode(double x) {
  const double code = x <= 0 ? kSlope * std::log2(kToe) + kOffset + x * kSlope / (kToe * std::log(2.0))
                             : kSlope * std::log2(x + kToe) + kOffset;
  return std::clamp(code, 0.0, 1.0);
}

void writeLogCurve(const std::filesystem::path& file) {
  writeText(file, R"({"base": 2, "logSideSlope": 0.075, "logSideOffset": 0.5133, "linSideSlope": 1,
 "linSideOffset": 0.02, "linSideBreak": 0})");
}

void record(const Footage& f, const std::filesystem::path& file, const Encoder& e) {
  Writer writer(f, file, e);
  for (const auto& frame : f.frames) writer.add(codesOf(f, frame, e));
  writer.finish();
}

RangeResult measured(const Footage& f, const std::filesystem::path& folder, const Encoder& e,
                     Recording* out) {
  writeLogCurve(folder / "log.json");
  auto file = folder / (e.name == kVc3 ? "clip.mov" : "clip.mkv");
  record(f, file, e);
  const double bits = 8.0 * static_cast<double>(std::filesystem::file_size(file)) /
                      static_cast<double>(f.pixels() * f.frames.size());
  if (e.transcoded) {
    transcode(f, file, folder / "again.mkv", e);
    std::filesystem::remove(file);
    file = folder / "again.mkv";
  }
  const auto reader = openClip(file);
  const WedgeMeasure m =
      measureWedge(*reader, {(folder / "log.json").string(), {}, {}, {}}, f.chart, {}, Progress());
  std::filesystem::remove(file);
  if (out) *out = {m, bits};
  return analyseRange(m, {});
}

bool warns(const RangeResult& r, const std::string& code) {
  return std::any_of(r.warnings.begin(), r.warnings.end(), [&](const Warning& w) { return w.code == code; });
}

}  // namespace edge::test
