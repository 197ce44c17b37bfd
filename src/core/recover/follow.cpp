#include "recover/follow.h"

#include <algorithm>
#include <cmath>

#include "recover/clip_decode.h"
#include "recover/series.h"

namespace edge {
namespace {

constexpr std::int64_t kFrames = 4;              // averaged for the registration
constexpr std::int64_t kManyPixels = 4'000'000;  // from here on one frame has as little noise when reduced

LumaPicture firstPictureOf(ClipReader& reader, const DecodeOptions& options, FrameWindow window,
                           const Progress& progress) {
  const DecodeOptions decode = resolved(options, reader.info());
  const Decoder decoder(reader.info().format, decode);
  LumaMean mean(decoder);
  const std::int64_t wanted =
      static_cast<std::int64_t>(decoder.format().width) * decoder.format().height > kManyPixels ? 1 : kFrames;
  window.count = window.count == 0 ? wanted : std::min(window.count, wanted);
  forEachFrame(reader, window, progress, [&](const Frame& frame) { mean.add(frame); });
  return mean.mean();
}

}  // namespace

LumaPicture firstPicture(const std::filesystem::path& clip, const DecodeOptions& decode, FrameWindow window,
                         const Progress& progress) {
  return firstPictureOf(*openClip(clip), decode, window, progress);
}

Followed followFraming(const LumaPicture& base, const std::filesystem::path& clip,
                       const DecodeOptions& decode, FrameWindow window, const Chart& chart,
                       const std::vector<Patch>& regions, const Progress& progress) {
  Followed f{chart, regions, {}, false};
  const auto reader = openClip(clip);
  const LumaPicture here = firstPictureOf(*reader, decode, window, progress);
  const auto framing = registerPictures(base, here);
  if (!framing || framing->correlation < Framing::kTrusted || here.width == 0) return f;
  // From pixels of the small picture to the chart's reference raster, and to the clip's own pixels.
  const double perPixel = chart.referenceWidth / here.width;
  const double reduction = static_cast<double>(reader->info().format.width) / here.width;
  if (framing->most(here.width, here.height) * reduction < kFollowFromPixels) return f;
  f.framing = framing->inPixels(reduction), f.moved = true;
  const auto move = [&](Patch& p) {
    p.corners = framed(p.corners, *framing, here.width, here.height, perPixel);
    for (auto& c : p.corners)
      c = {std::clamp(c.x, 0.0, chart.referenceWidth), std::clamp(c.y, 0.0, chart.referenceHeight)};
  };
  for (auto& p : f.chart.patches) move(p);
  for (auto& p : f.regions) move(p);
  return f;
}

}  // namespace edge
