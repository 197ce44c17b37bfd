extern "C" {
#include <libavcodec/avcodec.h>
#include <libavutil/opt.h>
}

#include <algorithm>
#include <cmath>
#include <memory>

#include "base/error.h"
#include "media/libraries.h"

namespace edge {
namespace {

constexpr int kGroup = 24;  // frames from one whole picture to the next

struct Closer {
  void operator()(AVCodecContext* c) const { avcodec_free_context(&c); }
  void operator()(AVFrame* f) const { av_frame_free(&f); }
  void operator()(AVPacket* p) const { av_packet_free(&p); }
};
using Context = std::unique_ptr<AVCodecContext, Closer>;
using FramePtr = std::unique_ptr<AVFrame, Closer>;
using Packet = std::unique_ptr<AVPacket, Closer>;

void require(bool good, const char* what) {
  if (!good)
    throw Error(std::string("the encode can't be tried: ") + what, "", "",
                "install the codecs of FFmpeg, or look without it");
}

double clip(double v) {
  return std::clamp(v, 0.0, 255.0);
}

class Trial {
 public:
  Trial(Encode encode, double megabits, int width, int height, double fps) : width_(width), height_(height) {
    av_log_set_level(AV_LOG_QUIET);
    const bool web = encode == Encode::Web;
    const AVCodecID id = web ? AV_CODEC_ID_H264 : AV_CODEC_ID_MPEG2VIDEO;
    rows_ = web ? 2 : 1;
    const AVCodec* encoder = avcodec_find_encoder(id);
    const AVCodec* decoder = avcodec_find_decoder(id);
    require(encoder && decoder, "it is not among the codecs of this machine");
    encoder_.reset(avcodec_alloc_context3(encoder));
    AVCodecContext* c = encoder_.get();
    c->width = width, c->height = height;
    c->pix_fmt = web ? AV_PIX_FMT_YUV420P : AV_PIX_FMT_YUV422P;
    c->time_base = av_inv_q(av_d2q(fps, 100000)), c->framerate = av_d2q(fps, 100000);
    c->bit_rate = static_cast<std::int64_t>(megabits * 1e6);
    // A quarter of a second: the rate has to bite within the few frames that are tried.
    c->rc_max_rate = c->bit_rate,
    c->rc_buffer_size = static_cast<int>(std::min<std::int64_t>(c->bit_rate / 4, 1 << 30));
    c->rc_initial_buffer_occupancy = c->rc_buffer_size / 2;
    if (!web) c->qmin = 1;  // else a high rate is never reached
    c->gop_size = kGroup, c->max_b_frames = 2;
    c->colorspace = AVCOL_SPC_BT709, c->color_range = AVCOL_RANGE_MPEG;
    c->thread_count = 1;  // the same on every machine
    c->flags |= AV_CODEC_FLAG_BITEXACT;
    c->strict_std_compliance = FF_COMPLIANCE_UNOFFICIAL;
    require(avcodec_open2(c, encoder, nullptr) >= 0, "the encoder refuses this size or rate");
    decoder_.reset(avcodec_alloc_context3(decoder));
    decoder_->thread_count = 1;
    require(avcodec_open2(decoder_.get(), decoder, nullptr) >= 0, "decoder");
    packet_.reset(av_packet_alloc()), seen_.reset(av_frame_alloc());
  }

  void add(const std::vector<std::uint8_t>& rgb) {
    FramePtr f(av_frame_alloc());
    f->format = encoder_->pix_fmt, f->width = width_, f->height = height_;
    require(av_frame_get_buffer(f.get(), 0) >= 0, "memory");
    toCodes(rgb, *f);
    f->pts = count_++;
    require(avcodec_send_frame(encoder_.get(), f.get()) >= 0, "frame");
    drain();
  }

  std::vector<std::vector<std::uint8_t>> finish() {
    require(avcodec_send_frame(encoder_.get(), nullptr) >= 0, "end");
    drain();
    avcodec_send_packet(decoder_.get(), nullptr);
    show();
    return std::move(out_);
  }
  [[nodiscard]] double bits() const { return bits_; }

 private:
  void drain() {
    while (avcodec_receive_packet(encoder_.get(), packet_.get()) == 0) {
      bits_ += 8.0 * packet_->size;
      require(avcodec_send_packet(decoder_.get(), packet_.get()) >= 0, "what was encoded is not decoded");
      av_packet_unref(packet_.get());
      show();
    }
  }
  void show() {
    while (avcodec_receive_frame(decoder_.get(), seen_.get()) == 0) out_.push_back(fromCodes(*seen_));
  }

  // ITU-R BT.709-6, 3.2 to 3.5.
  void toCodes(const std::vector<std::uint8_t>& rgb, AVFrame& f) const {
    const int chroma = width_ / 2;
    std::vector<double> cb(static_cast<size_t>(chroma) * (height_ / rows_)), cr = cb;
    for (int y = 0; y < height_; ++y)
      for (int x = 0; x < width_; ++x) {
        const std::uint8_t* p = &rgb[3 * (static_cast<size_t>(y) * width_ + x)];
        const double luma = 0.2126 * p[0] + 0.7152 * p[1] + 0.0722 * p[2];
        f.data[0][static_cast<std::ptrdiff_t>(y) * f.linesize[0] + x] =
            static_cast<std::uint8_t>(std::lround(16 + 219 * luma / 255));
        const size_t at = static_cast<size_t>(y / rows_) * chroma + x / 2;
        const double share = 2.0 * rows_;
        cb[at] += (p[2] - luma) / 1.8556 / share, cr[at] += (p[0] - luma) / 1.5748 / share;
      }
    for (int y = 0; y < height_ / rows_; ++y)
      for (int x = 0; x < chroma; ++x) {
        const size_t at = static_cast<size_t>(y) * chroma + x;
        f.data[1][static_cast<std::ptrdiff_t>(y) * f.linesize[1] + x] =
            static_cast<std::uint8_t>(std::lround(128 + 224 * cb[at] / 255));
        f.data[2][static_cast<std::ptrdiff_t>(y) * f.linesize[2] + x] =
            static_cast<std::uint8_t>(std::lround(128 + 224 * cr[at] / 255));
      }
  }

  [[nodiscard]] std::vector<std::uint8_t> fromCodes(const AVFrame& f) const {
    std::vector<std::uint8_t> rgb(3 * static_cast<size_t>(width_) * height_);
    for (int y = 0; y < height_; ++y)
      for (int x = 0; x < width_; ++x) {
        const auto code = [&](int plane, int px, int py) {
          return f.data[plane][static_cast<std::ptrdiff_t>(py) * f.linesize[plane] + px];
        };
        const double luma = 255 * (code(0, x, y) - 16) / 219.0,
                     cb = 255 * (code(1, x / 2, y / rows_) - 128) / 224.0,
                     cr = 255 * (code(2, x / 2, y / rows_) - 128) / 224.0;
        const double red = luma + 1.5748 * cr, blue = luma + 1.8556 * cb;
        std::uint8_t* p = &rgb[3 * (static_cast<size_t>(y) * width_ + x)];
        p[0] = static_cast<std::uint8_t>(std::lround(clip(red)));
        p[1] = static_cast<std::uint8_t>(std::lround(clip((luma - 0.2126 * red - 0.0722 * blue) / 0.7152)));
        p[2] = static_cast<std::uint8_t>(std::lround(clip(blue)));
      }
    return rgb;
  }

  int width_, height_, rows_ = 2;
  Context encoder_, decoder_;
  Packet packet_;
  FramePtr seen_;
  std::int64_t count_ = 0;
  double bits_ = 0;
  std::vector<std::vector<std::uint8_t>> out_;
};

}  // namespace
}  // namespace edge

extern "C" __attribute__((visibility("default"))) void edgeThroughEncode(
    edge::Encode encode, double megabits, int width, int height, double fps,
    const std::vector<std::vector<std::uint8_t>>& frames, const edge::Progress& progress,
    edge::Encoded& out) {
  edge::Trial trial(encode, megabits, width, height, fps);
  for (size_t i = 0; i < frames.size(); ++i) {
    progress.report(static_cast<double>(i) / static_cast<double>(frames.size()), "encoding");
    trial.add(frames[i]);
  }
  out.frames = trial.finish();
  out.megabits = trial.bits() * fps / 1e6 / static_cast<double>(frames.size());
}
