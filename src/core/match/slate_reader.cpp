#include "match/slate_reader.h"

#include <ZXing/ReadBarcode.h>
#include <ZXing/TextUtfEncoding.h>

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

#include "base/error.h"
#include "match/steady.h"

namespace edge {
namespace {

constexpr int kAveraged = 4;   // frames to a picture
constexpr int kAlone = 6;      // first frames, each looked at alone as well
constexpr int kPictures = 12;  // looked at, spread over the first seconds
constexpr double kFallbackFps = 24;
constexpr std::int64_t kHeavyPixels = 4'000'000;  // frames larger than this take a good part of a second
constexpr std::int64_t kSecondsHeavy = 3;         // of those, at most
constexpr std::int64_t kAloneHeavy = 2;           // first frames of those

// Between the darkest and brightest hundredth, as eight bits.
cv::Mat stretched(const GreyPicture& p) {
  std::vector<float> sorted;
  for (size_t i = 0; i < p.level.size(); i += 7) sorted.push_back(p.level[i]);
  const auto at = [&](double share) {
    const auto k =
        sorted.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(sorted.size() - 1));
    std::nth_element(sorted.begin(), k, sorted.end());
    return *k;
  };
  const float low = at(0.005), high = std::max(at(0.995), low + 1e-6F);
  cv::Mat m(p.height, p.width, CV_8U);
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x) {
      const float v = (p.level[static_cast<size_t>(y) * p.width + x] - low) / (high - low);
      m.at<std::uint8_t>(y, x) = static_cast<std::uint8_t>(255 * std::clamp(v, 0.0F, 1.0F));
    }
  return m;
}

void tryRead(const cv::Mat& picture, std::vector<std::string>& texts) {
  const ZXing::ImageView view(picture.data, picture.cols, picture.rows, ZXing::ImageFormat::Lum,
                              static_cast<int>(picture.step));
  ZXing::DecodeHints hints;
  hints.setFormats(ZXing::BarcodeFormat::QRCode).setTryHarder(true).setTryRotate(true).setTryDownscale(true);
  for (const auto& found : ZXing::ReadBarcodes(view, hints)) {
    if (!found.isValid()) continue;
    const std::string text = ZXing::TextUtfEncoding::ToUtf8(found.text());
    if (std::find(texts.begin(), texts.end(), text) == texts.end()) texts.push_back(text);
  }
}

void addFrame(GreyPicture& sum, const GreyPicture& next) {
  if (sum.level.empty()) {
    sum = next;
    return;
  }
  for (size_t i = 0; i < sum.level.size(); ++i) sum.level[i] += next.level[i];
}

template <class T>
float valueAt(const ChannelView& v, int x, int y) {
  return static_cast<float>(*reinterpret_cast<const T*>(v.data + static_cast<std::ptrdiff_t>(y) * v.rowBytes +
                                                        static_cast<std::ptrdiff_t>(x) * v.stepBytes));
}

// Half floats need no exactness here: their bits rise with their value.
float sampleOf(const PixelFormat& f, const ChannelView& v, int x, int y) {
  switch (f.sample) {
    case SampleType::U8:
      return valueAt<std::uint8_t>(v, x, y);
    case SampleType::U16:
      return valueAt<std::uint16_t>(v, x, y);
    case SampleType::F16: {
      const auto bits = valueAt<std::uint16_t>(v, x, y);
      return bits < 32768 ? bits : 0;
    }
    case SampleType::F32: {
      const float s = valueAt<float>(v, x, y);
      return std::isfinite(s) ? s : 0;
    }
  }
  return 0;
}

// The channel that stands for the picture.
const ChannelView& telling(const PixelFormat& f, const Frame& frame) {
  return frame.channels[f.layout == Layout::Rgb && frame.channels.size() > 1 ? 1 : 0];
}

// Steady part of the frames after the slate, in frames of the clip.
FrameWindow steadyAfter(std::int64_t slated, std::vector<std::vector<float>> thumbs,
                        std::vector<std::int64_t> numbers) {
  const auto after = std::upper_bound(numbers.begin(), numbers.end(), slated) - numbers.begin();
  thumbs.erase(thumbs.begin(), thumbs.begin() + after);
  numbers.erase(numbers.begin(), numbers.begin() + after);
  FrameWindow w = steadyPart(thumbs);
  const auto first = static_cast<size_t>(w.first);
  const std::int64_t last = w.count > 0 ? numbers[first + static_cast<size_t>(w.count) - 1] : 0;
  // Between two looked at something may have happened: the later one is where it is steady.
  w.first = w.first > 0 ? numbers[first] : slated + 1;
  if (w.count > 0) w.count = last - w.first + 1;
  return w;
}

}  // namespace

std::vector<std::string> readQrTexts(const GreyPicture& p, bool thorough) {
  std::vector<std::string> texts;
  if (p.width < 21 || p.height < 21 || p.level.size() != static_cast<size_t>(p.width) * p.height)
    return texts;
  const cv::Mat whole = stretched(p);
  tryRead(whole, texts);
  if (!texts.empty()) return texts;
  cv::Mat even, other;
  cv::createCLAHE(4, cv::Size(4, 4))->apply(whole, even);
  tryRead(even, texts);
  if (!texts.empty() || !thorough) return texts;
  cv::GaussianBlur(even, other, cv::Size(), 1.5);
  tryRead(other, texts);
  if (texts.empty() && std::max(p.width, p.height) <= 1400) {
    cv::resize(even, other, cv::Size(), 2, 2, cv::INTER_CUBIC);
    tryRead(other, texts);
  }
  return texts;
}

float levelAt(const PixelFormat& f, const Frame& frame, int x, int y) {
  float s = sampleOf(f, telling(f, frame), x, y);
  if (f.layout == Layout::Cfa) s = std::max(0.0F, s - static_cast<float>(f.black[0]));
  const bool linear = f.layout == Layout::Cfa || f.sample == SampleType::F32;
  return linear ? std::sqrt(std::max(0.0F, s)) : s;
}

GreyPicture greyOf(const PixelFormat& f, const Frame& frame, int maxSide) {
  const ChannelView& v = telling(f, frame);
  const bool mosaic = f.layout == Layout::Cfa;
  int block = std::max(1, (std::max(f.width, f.height) + maxSide - 1) / maxSide);
  if (mosaic) block = std::max(2, block + block % 2);  // whole cells
  GreyPicture p{f.width / block, f.height / block, {}};
  p.level.resize(static_cast<size_t>(p.width) * p.height);
  const bool linear = mosaic || f.isFloat();
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x) {
      float sum = 0;
      for (int j = 0; j < block; ++j)
        for (int i = 0; i < block; ++i) sum += sampleOf(f, v, x * block + i, y * block + j);
      sum /= static_cast<float>(block * block);
      if (mosaic) sum = std::max(0.0F, sum - static_cast<float>(f.black[0]));
      p.level[static_cast<size_t>(y) * p.width + x] =
          linear && f.sample != SampleType::F16 ? std::sqrt(std::max(0.0F, sum)) : sum;
    }
  return p;
}

GreyPicture smallCodes(const PixelFormat& f, const GreyPicture& p, int maxSide) {
  constexpr double kHalfOne = 0x3C00;  // 1.0 in half float (IEEE 754)
  const double top = f.layout == Layout::Cfa       ? std::sqrt(std::max(1.0, f.white - f.black[0]))
                     : f.sample == SampleType::F16 ? kHalfOne
                     : f.sample == SampleType::F32 ? 1
                                                   : std::exp2(f.bitDepth) - 1;
  if (p.level.empty()) return {};
  const double shrink = std::min(1.0, maxSide / static_cast<double>(std::max(p.width, p.height)));
  const cv::Mat whole(p.height, p.width, CV_32F, const_cast<float*>(p.level.data()));
  cv::Mat small;
  cv::resize(whole, small, cv::Size(), shrink, shrink, cv::INTER_AREA);
  GreyPicture out{small.cols, small.rows, {}};
  for (int y = 0; y < small.rows; ++y)
    for (int x = 0; x < small.cols; ++x)
      out.level.push_back(std::clamp(small.at<float>(y, x) / static_cast<float>(top), 0.0F, 1.0F));
  return out;
}

namespace {

// The first seconds of a clip, looked at for slates and for where the picture is steady.
class FirstSeconds {
 public:
  FirstSeconds(ClipReader& reader, double seconds, const Progress& progress)
      : reader_(reader), info_(reader.info()), progress_(progress) {
    fps_ = info_.fps > 0 ? info_.fps : kFallbackFps;
    wanted_ = static_cast<std::int64_t>(std::ceil(seconds * fps_));
    if (info_.frames > 0) wanted_ = std::min(wanted_, info_.frames);
    group_ = std::max<std::int64_t>(kAveraged, wanted_ / kPictures);
  }

  SlateFinding run() {
    const bool heavy = static_cast<std::int64_t>(info_.format.width) * info_.format.height > kHeavyPixels;
    heavy ? nowAndThen() : everyFrame();
    if (out_.framesLooked == 0)
      throw Error("the clip has no frames", info_.path.string(), "",
                  "copy it again, or take it out of the folder");
    out_.seen = smallCodes(info_.format, last_, kSeenSide);
    out_.steady = steadyAfter(out_.lastFrame, std::move(thumbs_), numbers_);
    return std::move(out_);
  }

 private:
  void look(const GreyPicture& picture, std::int64_t last, bool thorough) {
    for (const auto& text : readQrTexts(picture, thorough)) {
      const auto slate = parseSlate(text);
      out_.lastFrame = std::max(out_.lastFrame, last);
      if (!slate) {
        if (std::find(out_.strange.begin(), out_.strange.end(), text) == out_.strange.end())
          out_.strange.push_back(text);
      } else if (std::find(out_.slates.begin(), out_.slates.end(), *slate) == out_.slates.end()) {
        out_.slates.push_back(*slate);
      }
    }
  }

  void note(const Frame& frame) {
    thumbs_.push_back(thumbOf(info_.format, frame));
    numbers_.push_back(frame.number);
  }

  // Frames are averaged as well: noise hides a slate.
  void everyFrame() {
    GreyPicture sum;
    int inSum = 0;
    const auto each = [&](const Frame& frame) {
      note(frame);
      const std::int64_t inGroup = frame.number % group_;
      if (frame.number >= kAlone && inGroup >= kAveraged) return;
      const GreyPicture& picture = last_ = greyOf(info_.format, frame);
      // The slate may be gone after a frame or two.
      if (frame.number < kAlone) look(picture, frame.number, false);
      if (inGroup >= kAveraged || (!out_.slates.empty() && frame.number < group_)) return;
      addFrame(sum, picture);
      if (++inSum < kAveraged) return;
      look(sum, frame.number, out_.slates.empty());
      sum = {}, inSum = 0;
    };
    out_.framesLooked = forEachFrame(reader_, {0, wanted_}, progress_, each).frames;
    if (inSum > 1 && out_.slates.empty()) look(sum, out_.framesLooked - 1, true);
  }

  // A large frame takes most of a second, and its pictures are means of many pixels already.
  void nowAndThen() {
    const auto apart = static_cast<std::int64_t>(std::lround(std::max(1.0, fps_)));
    wanted_ = std::min(wanted_, kSecondsHeavy * apart);
    Frame frame;
    for (std::int64_t at = 0; at < wanted_ && reader_.next(frame);) {
      progress_.throwIfCancelled();
      ++out_.framesLooked;
      note(frame);
      last_ = greyOf(info_.format, frame);
      look(last_, frame.number, out_.slates.empty());
      const std::int64_t step = out_.framesLooked < kAloneHeavy ? 1 : apart;
      if (step > 1) reader_.skip(step - 1);
      at += step;
    }
  }

  ClipReader& reader_;
  const ClipInfo& info_;
  const Progress& progress_;
  double fps_ = 0;
  std::int64_t wanted_ = 0, group_ = 1;
  SlateFinding out_;
  GreyPicture last_;
  std::vector<std::vector<float>> thumbs_;
  std::vector<std::int64_t> numbers_;  // of their frames
};

}  // namespace

SlateFinding findSlate(ClipReader& reader, double seconds, const Progress& progress) {
  return FirstSeconds(reader, seconds, progress).run();
}

SlateFinding findSlate(const std::filesystem::path& clip, double seconds, const Progress& progress) {
  return findSlate(*openClip(clip), seconds, progress);
}

}  // namespace edge
