// Movies through the FFmpeg libraries: decoded planes as they are, no scaler. Loaded on demand
// (libraries.cpp).
extern "C" {
#include <libavcodec/avcodec.h>
#include <libavformat/avformat.h>
#include <libavutil/pixdesc.h>
}
#include <fmt/format.h>

#include <cmath>
#include <cstring>
#include <future>
#include <utility>

#include "base/error.h"
#include "base/files.h"
#include "base/parallel.h"
#include "media/libraries.h"
#include "media/lossless.h"
#include "media/slice_sums.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

struct FormatCloser {
  void operator()(AVFormatContext* c) const { avformat_close_input(&c); }
};
struct CodecCloser {
  void operator()(AVCodecContext* c) const { avcodec_free_context(&c); }
};
struct FrameFreer {
  void operator()(AVFrame* f) const { av_frame_free(&f); }
};
struct PacketFreer {
  void operator()(AVPacket* p) const { av_packet_free(&p); }
};

constexpr double kToleratedFrames = 0.75;  // of rounding in time stamps

std::string words(int code) {
  char text[AV_ERROR_MAX_STRING_SIZE] = {};
  av_strerror(code, text, sizeof text);
  return text;
}

// What a header says by a number: the library passes on those that are none of its own.
template <class Enum>
int numberOf(const Enum& value) {
  static_assert(sizeof(Enum) == sizeof(int));
  int number = 0;
  std::memcpy(&number, &value, sizeof number);
  return number;
}

class MovieReader final : public ClipReader {
 public:
  explicit MovieReader(const fs::path& file) : file_(file) {
    requireReadable(file);
    av_log_set_level(
        AV_LOG_QUIET);  // what matters is said in our own errors; stderr belongs to the command line
    openContainer();
    if (!openByFirstFrame()) {
      openContainer();
      avformat_find_stream_info(container_.get(), nullptr);
      findStream();
      openDecoder();
    }
    describe();
  }

  bool next(Frame& frame) override {
    auto decoded = first_ ? std::exchange(first_, nullptr) : decodeNext();
    if (!decoded) return false;
    if (given_ == 0) describeLoss(true);
    if (decoded->width != info_.format.width || decoded->height != info_.format.height ||
        decoded->format != codec_->pix_fmt)
      throw Error("the picture changes its size or format within the movie", file_.string(),
                  fmt::format("frame {}", given_), "split the movie where it changes");
    frame.number = given_++;
    frame.channels = viewsOf(*decoded);
    frame.owner = std::move(decoded);
    return true;
  }

  void skip(std::int64_t frames) override {
    if (first_ && frames > 0) first_.reset(), ++given_, --frames;
    while (frames > 0) {
      // FFV1 tells by its second packet.
      if (intraOnly_ && frames > underWay_) frames -= dropTo(frames);
      if (frames <= 0 || !decodeNext()) return;
      ++given_, --frames;
    }
  }

  // Decoding runs ahead of what is given, by as much as there are threads: what it found there waits.
  MissingFrames missing() const override {
    MissingFrames m;
    for (const std::int64_t n : damaged_)
      if (drained_ || n < numberAt(lastShown_))
        ++m.count, m.firstDamaged = std::min(n, m.firstDamaged.value_or(n));
    if (drained_) m.count = std::max(m.count, info_.frames > 0 ? info_.frames - given_ : missingAtEnd());
    return m;
  }

 private:
  // Where each packet is a frame of its own it need not be decoded to be passed over. Frames that the decoder
  // still holds come first. Returns how many were passed.
  std::int64_t dropTo(std::int64_t frames) {
    std::int64_t passed = 0;
    avcodec_send_packet(codec_.get(), nullptr);
    const std::unique_ptr<AVFrame, FrameFreer> frame(av_frame_alloc());
    while (avcodec_receive_frame(codec_.get(), frame.get()) == 0) ++passed;
    avcodec_flush_buffers(codec_.get());
    underWay_ = 0;
    const std::unique_ptr<AVPacket, PacketFreer> packet(av_packet_alloc());
    while (!ended_ && passed < frames) {
      if (av_read_frame(container_.get(), packet.get()) < 0) {
        ended_ = true;
        avcodec_send_packet(codec_.get(), nullptr);
      } else {
        if (packet->stream_index == stream_) {
          ++passed;
          shown(packet->pts);
          sent(*packet);
        }
      }
      av_packet_unref(packet.get());
    }
    given_ += passed;
    return passed;
  }

  void openContainer() {
    AVFormatContext* context = nullptr;
    // Said to be a file: "take2:night.mkv" is no address.
    const int code = avformat_open_input(&context, ("file:" + file_.string()).c_str(), nullptr, nullptr);
    if (code < 0)
      throw Error(
          "not a movie that can be read: " + words(code), file_.string(), "header",
          "copy it again; movies that FFmpeg decodes and OpenEXR, TIFF, DPX, PNG, DNG frames are read");
    container_.reset(context);
    // Nothing but this file is ever opened: playlists that point elsewhere are no camera originals.
    const std::string demuxer = context->iformat->name;
    if (demuxer.find("hls") != std::string::npos || demuxer.find("concat") != std::string::npos ||
        demuxer.find("dash") != std::string::npos || demuxer.find("image2") != std::string::npos)
      throw Error("a list of files is no clip", file_.string(), demuxer, "name the movie itself");
  }

  void findStream() {
    stream_ = av_find_best_stream(container_.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    if (stream_ < 0) throw Error("no picture in this file", file_.string(), "streams", "name a movie");
  }

  // FFmpeg's own look into a stream decodes a frame on one thread to learn the pixel format of FFV1, which
  // costs a second and more of a large clip. Where the container says all else, the first frame is decoded on
  // all of them, and is the first that is given. False: it does not; nothing is kept.
  bool openByFirstFrame() {
    const int stream = av_find_best_stream(container_.get(), AVMEDIA_TYPE_VIDEO, -1, -1, nullptr, 0);
    if (stream < 0) return false;
    const AVStream& s = *container_->streams[stream];
    if (s.codecpar->codec_id != AV_CODEC_ID_FFV1 || s.codecpar->width <= 0 || s.codecpar->height <= 0 ||
        s.avg_frame_rate.num <= 0 || s.avg_frame_rate.den <= 0)
      return false;
    stream_ = stream;
    openDecoder();
    first_ = decodeNext();
    if (first_ && damaged_.empty()) return true;
    first_.reset(), codec_.reset();
    stream_ = -1, packetsSeen_ = 0, underWay_ = 0, ended_ = drained_ = intraOnly_ = false;
    damaged_.clear();
    lastShown_.reset();
    unstamped_ = false;
    firstStart_.reset();
    lastEnd_.reset();
    torn_ = false;
    return false;
  }

  void openDecoder() {
    const AVCodecParameters* parameters = container_->streams[stream_]->codecpar;
    const AVCodec* decoder = avcodec_find_decoder(parameters->codec_id);
    if (!decoder)
      throw Error("no decoder for this codec", file_.string(), avcodec_get_name(parameters->codec_id),
                  "convert without loss, for instance to FFV1");
    codec_.reset(avcodec_alloc_context3(decoder));
    avcodec_parameters_to_context(codec_.get(), parameters);
    codec_->thread_count = threads();
    const AVCodecDescriptor* kind = avcodec_descriptor_get(parameters->codec_id);
    intraOnly_ = kind && (kind->props & AV_CODEC_PROP_INTRA_ONLY);
    groups_ = parameters->codec_id == AV_CODEC_ID_FFV1;
    codec_->err_recognition = AV_EF_CRCCHECK | AV_EF_EXPLODE;
    requireSaneSize(file_, codec_->width, codec_->height);
    if (avcodec_open2(codec_.get(), decoder, nullptr) < 0)
      throw Error("the decoder can't be opened", file_.string(), decoder->name,
                  "convert without loss to FFV1");
  }

  void describe() {
    const AVStream* stream = container_->streams[stream_];
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(codec_->pix_fmt);
    if (!d) throw Error("the pixel format is not known", file_.string(), "", "copy it again");
    requireUsable(*d);
    info_.kind = "movie";
    info_.path = file_;
    info_.files = {file_};
    info_.pixelFormatName = d->name;
    const AVRational rate = av_guess_frame_rate(container_.get(), container_->streams[stream_], nullptr);
    info_.fps = rate.num > 0 && rate.den > 0 ? av_q2d(rate) : 0;
    info_.frames = std::max<std::int64_t>(0, stream->nb_frames);
    PixelFormat& f = info_.format;
    describeLoss(false);
    f.width = codec_->width, f.height = codec_->height;
    f.bitDepth = d->comp[0].depth;
    f.sample = f.bitDepth > 8 ? SampleType::U16 : SampleType::U8;
    const bool rgb = d->flags & AV_PIX_FMT_FLAG_RGB;
    f.layout = rgb ? Layout::Rgb : d->nb_components < 3 ? Layout::Grey : Layout::Yuv;
    f.chromaShiftX = rgb ? 0 : d->log2_chroma_w;
    f.chromaShiftY = rgb ? 0 : d->log2_chroma_h;
    const int range = numberOf(codec_->color_range);
    if (range == AVCOL_RANGE_MPEG) f.range = Range::Legal;
    if (range == AVCOL_RANGE_JPEG || std::string(d->name).rfind("yuvj", 0) == 0) f.range = Range::Full;
    switch (numberOf(codec_->colorspace)) {
      case AVCOL_SPC_BT709:
        f.matrix = Primaries::Bt709;
        break;
      case AVCOL_SPC_BT2020_NCL:
        f.matrix = Primaries::Bt2020;
        break;
      case AVCOL_SPC_BT470BG:
      case AVCOL_SPC_SMPTE170M:
        f.matrix = Primaries::Bt601;
        break;
      default:
        break;
    }
    readMetadata();
  }

  // Some codecs can do both and say which only in their headers, or once a frame is decoded.
  void describeLoss(bool decoded) {
    const AVCodecParameters& p = *container_->streams[stream_]->codecpar;
    const AVCodecDescriptor* kind = avcodec_descriptor_get(p.codec_id);
    const bool can = !kind || (kind->props & AV_CODEC_PROP_LOSSY);
    const bool both = kind && (kind->props & AV_CODEC_PROP_LOSSLESS);
    const std::vector<std::uint8_t> extra(p.extradata, p.extradata + (p.extradata ? p.extradata_size : 0));
    const bool bypass = (p.codec_id == AV_CODEC_ID_H264 && codedWithoutLoss(VideoHeader::H264, extra)) ||
                        (p.codec_id == AV_CODEC_ID_HEVC && codedWithoutLoss(VideoHeader::H265, extra));
    const bool said = codec_->properties & FF_CODEC_PROPERTY_LOSSLESS;
    const bool readable = p.codec_id == AV_CODEC_ID_H264 || p.codec_id == AV_CODEC_ID_HEVC;
    const bool lossy = can && !bypass && !said && (decoded || readable || !both);
    info_.lossyCodec = lossy ? avcodec_get_name(p.codec_id) : "";
  }

  void requireUsable(const AVPixFmtDescriptor& d) const {
    const auto bad = AV_PIX_FMT_FLAG_BE | AV_PIX_FMT_FLAG_PAL | AV_PIX_FMT_FLAG_BITSTREAM |
                     AV_PIX_FMT_FLAG_HWACCEL | AV_PIX_FMT_FLAG_FLOAT | AV_PIX_FMT_FLAG_BAYER;
    bool shifted = false;
    for (int c = 0; c < d.nb_components; ++c) shifted |= d.comp[c].shift != 0;
    if ((d.flags & bad) || shifted || d.log2_chroma_w > 1)
      throw Error(std::string("pixel format ") + d.name + " is not read", file_.string(), "",
                  "convert without loss to a planar format, for instance yuv422p10 in FFV1");
  }

  void readMetadata() {
    const AVDictionary* sources[] = {container_->metadata, container_->streams[stream_]->metadata};
    for (const AVDictionary* source : sources)
      for (const AVDictionaryEntry* e = nullptr; (e = av_dict_get(source, "", e, AV_DICT_IGNORE_SUFFIX));)
        if (info_.metadata.size() < 200) info_.metadata[e->key] = std::string(e->value).substr(0, 400);
    info_.metadata["codec"] = avcodec_get_name(codec_->codec_id);
    info_.metadata["container"] = container_->iformat->name;
    const int order = numberOf(container_->streams[stream_]->codecpar->field_order);
    if (order != AV_FIELD_UNKNOWN && order != AV_FIELD_PROGRESSIVE) info_.metadata["interlaced"] = "yes";
  }

  // Seconds. The library's own guess can be that of the second frame, where it has decoded none yet.
  [[nodiscard]] double startOfStream() const {
    if (firstStart_) return *firstStart_;
    const AVStream& stream = *container_->streams[stream_];
    return stream.start_time == AV_NOPTS_VALUE
               ? 0
               : static_cast<double>(stream.start_time) * av_q2d(stream.time_base);
  }

  [[nodiscard]] std::optional<double> secondsOf(std::int64_t stamp) const {
    if (stamp == AV_NOPTS_VALUE) return std::nullopt;
    return static_cast<double>(stamp) * av_q2d(container_->streams[stream_]->time_base);
  }

  void shown(std::int64_t stamp) {
    if (const auto seconds = secondsOf(stamp))
      lastShown_ = seconds;
    else
      unstamped_ = true;
  }

  // Which frame of the clip is shown then. Without stamps: how many came before.
  [[nodiscard]] std::int64_t numberAt(std::optional<double> seconds) const {
    const double frames = seconds ? (*seconds - startOfStream()) * info_.fps : 0;
    if (!seconds || !(info_.fps > 0) || !(std::abs(frames) < 1e12))
      return given_ + static_cast<std::int64_t>(damaged_.size());
    return std::max<std::int64_t>(0, std::llround(frames));
  }

  // When what a packet holds has been shown. Frames that come out as the decoder drains carry no stamp of
  // their own; packets do, in whatever order they are stored.
  void sent(const AVPacket& packet) {
    const auto start = secondsOf(packet.pts == AV_NOPTS_VALUE ? packet.dts : packet.pts);
    if (!start) return;
    firstStart_ = std::min(firstStart_.value_or(*start), *start);
    const double length = packet.duration > 0 ? static_cast<double>(packet.duration) *
                                                    av_q2d(container_->streams[stream_]->time_base)
                                              : 1 / info_.fps;
    lastEnd_ = std::max(lastEnd_.value_or(*start), *start + (std::isfinite(length) ? length : 0));
  }

  // By where the last frame ends (of frames without a stamp, the last packet) against the length the
  // container states: holds for frame rates that vary.
  [[nodiscard]] std::int64_t missingAtEnd() const {
    const AVStream& stream = *container_->streams[stream_];
    double seconds = 0;
    if (stream.duration != AV_NOPTS_VALUE)
      seconds = static_cast<double>(stream.duration) * av_q2d(stream.time_base);
    else if (container_->duration != AV_NOPTS_VALUE)
      seconds = static_cast<double>(container_->duration) / AV_TIME_BASE;
    if (!(seconds > 0) || !(info_.fps > 0) || !lastEnd_ || !lastShown_) return 0;
    const double end = unstamped_ ? *lastEnd_ : *lastShown_ + 1 / info_.fps;
    // Matroska's length is where its last frame ends, counted from 0 whatever the first one's stamp (RFC
    // 9559).
    const bool fromZero =
        std::string_view(container_->iformat->name).find("matroska") != std::string_view::npos;
    const double frames = ((fromZero ? 0 : *firstStart_) + seconds - end) * info_.fps;
    return std::isfinite(frames) && frames > kToleratedFrames && frames < 1e8 ? std::lround(frames) : 0;
  }

  // The next good frame; damaged ones are counted and passed over.
  std::shared_ptr<AVFrame> decodeNext() {
    const std::unique_ptr<AVPacket, PacketFreer> packet(av_packet_alloc());
    std::shared_ptr<AVFrame> frame(av_frame_alloc(), [](AVFrame* f) { av_frame_free(&f); });
    for (;;) {
      const int got = avcodec_receive_frame(codec_.get(), frame.get());
      if (got == 0) {
        --underWay_;
        shown(frame->best_effort_timestamp);
        if (!(frame->flags & AV_FRAME_FLAG_CORRUPT) && frame->decode_error_flags == 0) return frame;
        damaged_.push_back(numberAt(lastShown_));
        av_frame_unref(frame.get());
        continue;
      }
      if (got == AVERROR_EOF) return drained();
      if (got != AVERROR(EAGAIN)) {
        damaged_.push_back(lastShown_ ? numberAt(lastShown_) + 1 : numberAt({}));
        if (ended_) return drained();
      }
      if (!ended_) sendNext(packet.get());
    }
  }

  std::shared_ptr<AVFrame> drained() {
    drained_ = true;
    return nullptr;
  }

  void sendNext(AVPacket* packet) {
    const int read = av_read_frame(container_.get(), packet);
    if (read < 0) {
      ended_ = true;
      avcodec_send_packet(codec_.get(), nullptr);
      return;
    }
    if (packet->stream_index == stream_) {
      // FFV1 keeps one length of group throughout: two key frames in a row, and all are.
      if (groups_ && packetsSeen_++ == 1) intraOnly_ = packet->flags & AV_PKT_FLAG_KEY;
      if (!(packet->flags & AV_PKT_FLAG_KEY)) info_.predictsFrames = true;
      // What is coded by those before it is lost with them, up to the next that stands by itself.
      const bool key = packet->flags & AV_PKT_FLAG_KEY;
      torn_ = (torn_ && !key) || (groups_ && !sums_.isWhole(packet->data, static_cast<size_t>(packet->size)));
      const auto seconds = secondsOf(packet->pts == AV_NOPTS_VALUE ? packet->dts : packet->pts);
      sent(*packet);
      if ((packet->flags & AV_PKT_FLAG_CORRUPT) || torn_ || avcodec_send_packet(codec_.get(), packet) < 0)
        damaged_.push_back(numberAt(seconds));
      else
        ++underWay_;
    }
    av_packet_unref(packet);
  }

  std::vector<ChannelView> viewsOf(const AVFrame& f) const {
    const AVPixFmtDescriptor* d = av_pix_fmt_desc_get(codec_->pix_fmt);
    std::vector<ChannelView> views;
    const int count = info_.format.layout == Layout::Grey ? 1 : 3;
    for (int c = 0; c < count; ++c) {
      const AVComponentDescriptor& comp = d->comp[c];
      const bool chroma = info_.format.layout == Layout::Yuv && c > 0;
      const int w = chroma ? -((-f.width) >> d->log2_chroma_w) : f.width;
      const int h = chroma ? -((-f.height) >> d->log2_chroma_h) : f.height;
      views.push_back({reinterpret_cast<const std::byte*>(f.data[comp.plane]) + comp.offset,
                       f.linesize[comp.plane], comp.step, w, h});
    }
    return views;
  }

  fs::path file_;
  std::unique_ptr<AVFormatContext, FormatCloser> container_;
  std::unique_ptr<AVCodecContext, CodecCloser> codec_;
  int stream_ = -1;
  bool ended_ = false, drained_ = false, intraOnly_ = false, groups_ = false, torn_ = false;
  SliceSums sums_;
  std::int64_t packetsSeen_ = 0;
  std::int64_t underWay_ = 0;  // packets sent whose frames have not come out
  std::int64_t given_ = 0;
  std::vector<std::int64_t> damaged_;  // their numbers
  std::optional<double> lastShown_;    // seconds
  bool unstamped_ = false;             // a frame was shown that bears no stamp
  std::optional<double> firstStart_;   // seconds: of the packets read, where the first one's picture begins
  std::optional<double> lastEnd_;      // seconds: of the packets read, where the last one's picture ends
  std::shared_ptr<AVFrame> first_;     // decoded to learn its format, not yet given
};

}  // namespace
}  // namespace edge

extern "C" __attribute__((visibility("default"))) void edgeOpenMovie(
    const fs::path& file, int threads, std::unique_ptr<edge::ClipReader>& reader) {
  edge::setThreads(threads);
  reader = std::make_unique<edge::MovieReader>(file);
}
