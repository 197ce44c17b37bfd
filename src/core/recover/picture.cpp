#include "recover/picture.h"

#include <fmt/format.h>

#include <algorithm>

#include "base/error.h"
#include "base/parallel.h"
#include "color/display_table.h"
#include "media/clip.h"
#include "recover/clip_decode.h"
#include "recover/rebuild.h"
#include "recover/series.h"

namespace edge {
namespace {

constexpr int kBand = 256, kBandMargin = 8;  // rows reduced together; more than the reducer's search reaches
constexpr float kTint[3] = {0.45F, 0.2F, 0.9F}, kTintShare = 0.5F;  // of what was rebuilt

// A correction for whole pictures: what works on log code goes through tables.
class FastCorrection {
 public:
  FastCorrection(const Correction& c, const std::string& curveName, const Curve& curve)
      : correction_(c), coded_(logEncodingOf(curveName) == curveName) {
    logSide_ = c.branch == Branch::Grade || c.branch == Branch::LogOffset;
    if (!coded_ && logSide_) log_ = makeCurve(logEncodingOf(curveName)).curve;
    if (!coded_ || !logSide_) return;
    for (int i = 0; i <= kSteps; ++i)
      linear_.push_back(static_cast<float>(curve.toLinear(static_cast<double>(i) / kSteps)));
  }
  [[nodiscard]] bool wantsCode() const { return coded_ && logSide_; }

  void apply(float* linear, const float* code) const {
    Vec3 v{};
    if (wantsCode()) {
      v = correction_.branch == Branch::Grade
              ? correction_.cdl.apply({code[0], code[1], code[2]})
              : Vec3{code[0] + correction_.codeOffset, code[1] + correction_.codeOffset,
                     code[2] + correction_.codeOffset};
      for (size_t c = 0; c < 3; ++c) {
        const double at = std::clamp(v[c], 0.0, 1.0) * kSteps;
        const auto i = std::min(static_cast<size_t>(at), static_cast<size_t>(kSteps - 1));
        v[c] = linear_[i] + (at - static_cast<double>(i)) * (linear_[i + 1] - linear_[i]);
      }
    } else if (logSide_) {
      v = correction_.light({linear[0], linear[1], linear[2]}, *log_);
    } else {
      v = correction_.back.apply({linear[0], linear[1], linear[2]});
      for (size_t c = 0; c < 3; ++c) v[c] *= correction_.gains[c];
    }
    for (size_t c = 0; c < 3; ++c) linear[c] = static_cast<float>(v[c]);
  }

 private:
  static constexpr int kSteps = 8192;
  const Correction& correction_;
  bool coded_, logSide_ = false;
  std::shared_ptr<const Curve> log_;
  std::vector<float> linear_;  // of code
};

// What a clip's frames become: everything that is worked out once.
class Renderer {
 public:
  Renderer(const ClipInfo& info, const DecodeOptions& decode, const Correction& correction,
           const std::string& display, Recovery recovery)
      : decoder_(info.format, resolved(decode, info)),
        transform_(display),
        shown_(transform_),
        corrected_(correction, decoder_.curveName(), decoder_.curve()),
        recovery_(recovery) {
    if (recovery != Recovery::Off && decoder_.mosaic()) rebuild_.emplace(decoder_.format());
    wantsCode_ = rebuild_ || corrected_.wantsCode();
  }
  [[nodiscard]] Rect whole() const { return {0, 0, decoder_.developedWidth(), decoder_.developedHeight()}; }

  [[nodiscard]] Picture render(const Frame& frame, const Rect& area) const {
    Picture p{area.width, area.height, {}};
    p.rgb.resize(3 * static_cast<size_t>(p.width) * p.height);
    parallelFor(p.height, [&](int y) {
      std::vector<float> row(3 * static_cast<size_t>(p.width)), codes(wantsCode_ ? row.size() : 0);
      decoder_.readRow(frame, area.y + y, area.x, area.x + area.width, row.data(),
                       codes.empty() ? nullptr : codes.data(), false);
      std::uint8_t* out = p.rgb.data() + 3 * static_cast<size_t>(y) * p.width;
      for (size_t x = 0; x < row.size(); x += 3)
        renderPixel(row.data() + x, codes.empty() ? nullptr : codes.data() + x, out + x);
    });
    return p;
  }

 private:
  void renderPixel(float* linear, const float* codes, std::uint8_t* out) const {
    const bool painted = rebuild_ && rebuild_->apply(linear, codes);
    corrected_.apply(linear, codes);
    float code[3];
    shown_.code(linear, code);
    if (painted && recovery_ == Recovery::Tinted)
      for (size_t c = 0; c < 3; ++c) code[c] += kTintShare * (kTint[c] - code[c]);
    for (size_t c = 0; c < 3; ++c) out[c] = static_cast<std::uint8_t>(255 * code[c] + 0.5F);
  }

  Decoder decoder_;
  DisplayTransform transform_;
  DisplayTable shown_;
  FastCorrection corrected_;
  Recovery recovery_;
  std::optional<HighlightRebuild> rebuild_;
  bool wantsCode_ = false;
};

// Rows `from` to `to` of pictures as display code 0..1.
CodeFrames bandOf(const std::vector<Picture>& frames, int from, int to) {
  CodeFrames out;
  out.width = frames[0].width, out.height = to - from;
  const size_t count = static_cast<size_t>(out.width) * static_cast<size_t>(out.height);
  for (const auto& f : frames) {
    auto& planes = out.frames.emplace_back();
    const std::uint8_t* rgb = f.rgb.data() + 3 * static_cast<size_t>(from) * static_cast<size_t>(f.width);
    for (size_t c = 0; c < 3; ++c) {
      planes[c].resize(count);
      for (size_t i = 0; i < count; ++i) planes[c][i] = static_cast<float>(rgb[3 * i + c]) / 255;
    }
  }
  return out;
}

}  // namespace

Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& decode, std::int64_t number,
                      const Correction& correction, const std::string& display, const Progress& progress,
                      Recovery recovery) {
  const auto reader = openClip(clip);
  const Renderer renderer(reader->info(), decode, correction, display, recovery);
  Picture p;
  forEachFrame(*reader, {number, 1}, progress,
               [&](const Frame& frame) { p = renderer.render(frame, renderer.whole()); });
  return p;
}

std::vector<Picture> renderFrames(const std::filesystem::path& clip, const DecodeOptions& decode,
                                  FrameWindow window, const Rect& area, const Correction& correction,
                                  const std::string& display, const Progress& progress) {
  const auto reader = openClip(clip);
  const Renderer renderer(reader->info(), decode, correction, display, Recovery::Off);
  const Rect all = renderer.whole();
  Rect part{std::clamp(area.x, 0, all.width), std::clamp(area.y, 0, all.height), 0, 0};
  part.width = std::min(area.width, all.width - part.x);
  part.height = std::min(area.height, all.height - part.y);
  std::vector<Picture> list;
  forEachFrame(*reader, window, progress,
               [&](const Frame& frame) { list.push_back(renderer.render(frame, part)); });
  return list;
}

Picture renderReduced(const std::filesystem::path& clip, const DecodeOptions& decode, FrameWindow window,
                      const Correction& correction, const std::string& display, const Rung& rung,
                      const Progress& progress) {
  const auto reader = openClip(clip);
  const Renderer renderer(reader->info(), decode, correction, display, Recovery::Off);
  std::vector<Picture> frames;
  forEachFrame(*reader, {window.first, rung.frames}, progress,
               [&](const Frame& frame) { frames.push_back(renderer.render(frame, renderer.whole())); });
  if (static_cast<int>(frames.size()) < rung.frames)
    throw Error("too few frames to clean up", clip.string(), fmt::format("{} frames", frames.size()),
                fmt::format("shoot at least {}", rung.frames));
  Picture out = frames[static_cast<size_t>(rung.frames / 2)];
  for (int top = 0; top < out.height; top += kBand) {
    progress.report(static_cast<double>(top) / out.height, "cleaning up");
    const int bottom = std::min(top + kBand, out.height);
    const int from = std::max(0, top - kBandMargin), to = std::min(out.height, bottom + kBandMargin);
    const CodeFrames band = reduced(bandOf(frames, from, to), rung, false);
    if (band.frames.empty()) break;  // narrower than the reducer's search: as it is
    const size_t skipped = static_cast<size_t>(top - from) * static_cast<size_t>(out.width);
    const size_t first = static_cast<size_t>(top) * static_cast<size_t>(out.width);
    const size_t count = static_cast<size_t>(bottom - top) * static_cast<size_t>(out.width);
    for (size_t i = 0; i < count; ++i)
      for (size_t c = 0; c < 3; ++c)
        out.rgb[3 * (first + i) + c] =
            static_cast<std::uint8_t>(255 * std::clamp(band.frames[0][c][skipped + i], 0.0F, 1.0F) + 0.5F);
  }
  return out;
}

Picture renderPicture(const std::filesystem::path& clip, const DecodeOptions& options, std::int64_t number,
                      double k, double q, const std::string& display, const Progress& progress) {
  Correction c;
  c.back.k = k;
  c.back.q = q;
  return renderPicture(clip, options, number, c, display, progress);
}

}  // namespace edge
