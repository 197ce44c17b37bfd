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
constexpr std::int64_t kAloneHeavy = 3;           // first frames of those
constexpr std::int64_t kNowAndThen = 8;           // frames

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

SlateFinding findSlate(const std::filesystem::path& clip, double seconds, const Progress& progress) {
  const auto reader = openClip(clip);
  const ClipInfo& info = reader->info();
  const double fps = info.fps > 0 ? info.fps : kFallbackFps;
  auto wanted = static_cast<std::int64_t>(std::ceil(seconds * fps));
  if (info.frames > 0) wanted = std::min(wanted, info.frames);
  const std::int64_t group = std::max<std::int64_t>(kAveraged, wanted / kPictures);
  SlateFinding out;
  const auto look = [&](const GreyPicture& picture, std::int64_t last, bool thorough) {
    for (const auto& text : readQrTexts(picture, thorough)) {
      const auto slate = parseSlate(text);
      out.lastFrame = std::max(out.lastFrame, last);
      if (!slate) {
        if (std::find(out.strange.begin(), out.strange.end(), text) == out.strange.end())
          out.strange.push_back(text);
      } else if (std::find(out.slates.begin(), out.slates.end(), *slate) == out.slates.end()) {
        out.slates.push_back(*slate);
      }
    }
  };
  GreyPicture sum;
  int inSum = 0;
  std::vector<std::vector<float>> thumbs;
  std::vector<std::int64_t> numbers;  // of their frames
  const auto each = [&](const Frame& frame) {
    thumbs.push_back(thumbOf(info.format, frame));
    numbers.push_back(frame.number);
    const std::int64_t inGroup = frame.number % group;
    if (frame.number >= kAlone && inGroup >= kAveraged) return;
    const GreyPicture picture = greyOf(info.format, frame);
    // The slate may be gone after a frame or two; later, and where noise hides it, frames are averaged.
    if (frame.number < kAlone) look(picture, frame.number, false);
    if (inGroup >= kAveraged || (!out.slates.empty() && frame.number < group)) return;
    addFrame(sum, picture);
    if (++inSum < kAveraged) return;
    look(sum, frame.number, out.slates.empty());
    sum = {}, inSum = 0;
  };
  const bool heavy = static_cast<std::int64_t>(info.format.width) * info.format.height > kHeavyPixels;
  const std::int64_t begin = heavy ? std::min<std::int64_t>(wanted, kAloneHeavy) : wanted;
  out.framesLooked = forEachFrame(*reader, {0, begin}, progress, each).frames;
  if (heavy && out.slates.empty() && out.framesLooked == begin && begin < wanted)
    out.framesLooked += forEachFrame(*reader, {0, wanted - begin}, progress, each).frames;
  // The slate is known: now and then a frame tells whether another comes and when the picture is steady.
  for (Frame frame; heavy && !out.slates.empty() && numbers.back() + kNowAndThen < wanted;) {
    reader->skip(kNowAndThen - 1);
    if (!reader->next(frame)) break;
    ++out.framesLooked;
    progress.throwIfCancelled();
    thumbs.push_back(thumbOf(info.format, frame));
    numbers.push_back(frame.number);
    look(greyOf(info.format, frame), frame.number, false);
  }
  if (inSum > 1 && out.slates.empty()) look(sum, out.framesLooked - 1, true);
  if (out.framesLooked == 0)
    throw Error("the clip has no frames", clip.string(), "", "copy it again, or take it out of the folder");
  out.steady = steadyAfter(out.lastFrame, std::move(thumbs), numbers);
  return out;
}

}  // namespace edge
