#include "match/steady.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "match/slate_reader.h"

namespace edge {
namespace {

constexpr int kColumns = 32, kRows = 18, kSamples = 6;  // samples a side in each cell
constexpr double kUnlike = 4;                           // times what is usual between the frames of this clip
constexpr double kUsual = 0.75;         // of the frames: a flicker has half of them on either side
constexpr double kWhole = 0.01;         // of the picture's contrast: all of it is another exposure
constexpr double kPart = 0.06;          // the same of the tenth of the picture that differs most
constexpr size_t kMostWatched = 10000;  // frames: 23 MB of thumbs, however long the clip

float quantileOf(std::vector<float> v, double share = 0.5) {
  const auto at = v.begin() + static_cast<std::ptrdiff_t>(share * static_cast<double>(v.size() - 1));
  std::nth_element(v.begin(), at, v.end());
  return *at;
}

}  // namespace

std::vector<float> thumbOf(const PixelFormat& f, const Frame& frame) {
  const bool mosaic = f.layout == Layout::Cfa;
  std::vector<float> out(static_cast<size_t>(kColumns) * kRows);
  for (int j = 0; j < kRows; ++j)
    for (int i = 0; i < kColumns; ++i) {
      double sum = 0;
      for (int b = 0; b < kSamples; ++b)
        for (int a = 0; a < kSamples; ++a) {
          int x = static_cast<int>((i + (a + 0.5) / kSamples) * f.width / kColumns);
          int y = static_cast<int>((j + (b + 0.5) / kSamples) * f.height / kRows);
          if (mosaic) x &= ~1, y &= ~1;  // one colour
          sum += levelAt(f, frame, x, y);
        }
      out[static_cast<size_t>(j) * kColumns + i] = static_cast<float>(sum / (kSamples * kSamples));
    }
  return out;
}

FrameWindow steadyPart(const std::vector<std::vector<float>>& thumbs) {
  if (thumbs.size() < 4) return {};
  const size_t cells = thumbs[0].size();
  std::vector<float> usual(cells), column(thumbs.size());
  for (size_t c = 0; c < cells; ++c) {
    for (size_t n = 0; n < thumbs.size(); ++n) column[n] = thumbs[n][c];
    usual[c] = quantileOf(column);
  }
  const double contrast = std::max(1e-6F, quantileOf(usual, 0.98) - quantileOf(usual, 0.02));
  std::vector<float> whole, part, apart(cells);
  for (const auto& t : thumbs) {
    for (size_t c = 0; c < cells; ++c) apart[c] = std::abs(t[c] - usual[c]);
    whole.push_back(quantileOf(apart)), part.push_back(quantileOf(apart, 0.95));
  }
  const double wholeLimit = std::max(kUnlike * quantileOf(whole, kUsual), kWhole * contrast);
  const double partLimit = std::max(kUnlike * quantileOf(part, kUsual), kPart * contrast);
  size_t best = 0, bestFrom = 0, from = 0;
  for (size_t n = 0; n <= thumbs.size(); ++n) {
    if (n < thumbs.size() && whole[n] <= wholeLimit && part[n] <= partLimit) continue;
    if (n - from > best) best = n - from, bestFrom = from;
    from = n + 1;
  }
  FrameWindow w;
  w.first = static_cast<std::int64_t>(bestFrom);
  if (bestFrom + best < thumbs.size()) w.count = static_cast<std::int64_t>(best);
  return w;
}

WatchedClip::WatchedClip(std::unique_ptr<ClipReader> clip) : clip_(std::move(clip)) {
  info_ = clip_->info();
}

bool WatchedClip::next(Frame& frame) {
  if (!clip_->next(frame)) return false;
  info_.predictsFrames = clip_->info().predictsFrames;
  if (thumbs_.size() == kMostWatched) return true;
  thumbs_.push_back(thumbOf(info_.format, frame));
  numbers_.push_back(frame.number);
  return true;
}

std::optional<Warning> WatchedClip::unsteady() const {
  const FrameWindow w = steadyPart(thumbs_);
  if (w.first == 0 && w.count == 0) return std::nullopt;
  const auto from = static_cast<size_t>(w.first);
  std::string remedy = fmt::format("--first {}", numbers_[from]);
  if (w.count > 0) remedy += fmt::format(" --frames {}", w.count);
  const size_t alike = w.count > 0 ? static_cast<size_t>(w.count) : thumbs_.size() - from;
  return Warning{
      "unsteady",
      fmt::format("frames that show something else than the others (a slate, a hand, another light) "
                  "were measured with them, {} of {}: ask for {}",
                  thumbs_.size() - alike, thumbs_.size(), remedy),
      ""};
}

}  // namespace edge
