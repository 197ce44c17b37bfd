extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
}

#include "base/error.h"
#include "base/parallel.h"
#include "media/libraries.h"

namespace edge {
namespace {

class Ffv1Writer final : public MovieSink {
 public:
  // Delegated: what is open is closed again where opening fails halfway.
  Ffv1Writer(std::filesystem::path to, int width, int height, int fps) : Ffv1Writer(std::move(to)) {
    open(width, height, fps);
  }
  ~Ffv1Writer() override {
    av_packet_free(&packet);
    av_frame_free(&frame);
    avcodec_free_context(&codec);
    if (container && container->pb) avio_closep(&container->pb);
    avformat_free_context(container);
  }

  void add(const std::vector<std::uint16_t>& y, const std::vector<std::uint16_t>& cb,
           const std::vector<std::uint16_t>& cr) override {
    AVFrame* f = frame;
    require(av_frame_make_writable(f) >= 0, "memory");
    const std::vector<std::uint16_t>* planes[3] = {&y, &cb, &cr};
    for (int p = 0; p < 3; ++p) {
      const int w = p ? f->width / 2 : f->width;
      for (int row = 0; row < f->height; ++row)
        std::copy_n(
            planes[p]->data() + static_cast<size_t>(row) * w, w,
            reinterpret_cast<std::uint16_t*>(f->data[p] + static_cast<std::ptrdiff_t>(row) * f->linesize[p]));
    }
    f->pts = count++;
    encode(f);
  }

  void finish() override {
    encode(nullptr);
    require(av_write_trailer(container) >= 0, "end of file");
    require(avio_closep(&container->pb) >= 0, "end of file");
  }

 private:
  explicit Ffv1Writer(std::filesystem::path to) : file(std::move(to)) {}

  void require(bool good, const char* what) const {
    if (!good)
      throw Error(std::string("can't write the movie: ") + what, file.string(), "",
                  "check free space and permission");
  }

  void open(int width, int height, int fps) {
    av_log_set_level(AV_LOG_QUIET);
    require(avformat_alloc_output_context2(&container, nullptr, "matroska", file.c_str()) >= 0, "container");
    const AVCodec* encoder = avcodec_find_encoder(AV_CODEC_ID_FFV1);
    require(encoder, "no FFV1 encoder");
    codec = avcodec_alloc_context3(encoder);
    codec->width = width, codec->height = height;
    codec->pix_fmt = AV_PIX_FMT_YUV422P10LE;
    codec->time_base = {1, fps};
    codec->framerate = {fps, 1};
    codec->color_range = AVCOL_RANGE_MPEG;
    codec->colorspace = AVCOL_SPC_BT709;
    codec->level = 3;
    codec->slices = 4;
    codec->thread_count = threads();
    codec->gop_size = 1;
    codec->flags |= AV_CODEC_FLAG_BITEXACT | AV_CODEC_FLAG_GLOBAL_HEADER;
    container->flags |= AVFMT_FLAG_BITEXACT;
    require(avcodec_open2(codec, encoder, nullptr) >= 0, "encoder");
    stream = avformat_new_stream(container, nullptr);
    stream->time_base = codec->time_base;
    stream->avg_frame_rate = codec->framerate;
    avcodec_parameters_from_context(stream->codecpar, codec);
    require(avio_open(&container->pb, file.c_str(), AVIO_FLAG_WRITE) >= 0, "file");
    require(avformat_write_header(container, nullptr) >= 0, "header");
    frame = av_frame_alloc();
    frame->format = codec->pix_fmt, frame->width = width, frame->height = height;
    require(av_frame_get_buffer(frame, 0) >= 0, "memory");
    packet = av_packet_alloc();
  }

  void encode(const AVFrame* f) {
    require(avcodec_send_frame(codec, f) >= 0, "frame");
    while (avcodec_receive_packet(codec, packet) == 0) {
      av_packet_rescale_ts(packet, codec->time_base, stream->time_base);
      packet->stream_index = stream->index;
      packet->duration = av_rescale_q(1, codec->time_base, stream->time_base);
      require(av_interleaved_write_frame(container, packet) >= 0, "no room?");
    }
  }

  std::filesystem::path file;
  AVFormatContext* container = nullptr;
  AVCodecContext* codec = nullptr;
  AVStream* stream = nullptr;
  AVFrame* frame = nullptr;
  AVPacket* packet = nullptr;
  std::int64_t count = 0;
};

}  // namespace
}  // namespace edge

extern "C" __attribute__((visibility("default"))) void edgeOpenMovieSink(
    const std::filesystem::path& file, int width, int height, int fps, int threads,
    std::unique_ptr<edge::MovieSink>& sink) {
  edge::setThreads(threads);
  sink = std::make_unique<edge::Ffv1Writer>(file, width, height, fps);
}
