#include "match/take_checks.h"
#include "recover/clip_decode.h"
#include "recover/follow.h"
#include "recover/series.h"

namespace edge {

namespace {

std::string codingOf(const ClipInfo& info) {
  return info.kind + ", " + info.pixelFormatName + (info.lossyCodec.empty() ? "" : ", " + info.lossyCodec);
}

}  // namespace

TakeEvidence gatherTake(const std::filesystem::path& clip, const DecodeOptions& options, const Chart& chart,
                        const std::vector<Patch>& regions, FrameWindow window, const Progress& progress,
                        const LumaPicture* base) {
  TakeEvidence e;
  DecodeOptions decode = options;
  const auto reader = openClip(clip);
  const PixelFormat& f = reader->info().format;
  const bool large = static_cast<std::int64_t>(f.width) * f.height > kLargePixels;
  const std::int64_t most = large ? kCheckFramesLarge : kCheckFrames;
  const bool capped = window.count == 0 || window.count > most;
  if (capped) window.count = most;
  decode = resolved(std::move(decode), reader->info());
  e.format = reader->info().format, e.coding = codingOf(reader->info()), e.fps = reader->info().fps;
  const std::int64_t there = reader->info().frames;
  // To the end, so that what the container promised and does not hold is seen.
  if (capped && there > 0 && there <= window.first + most) window.count = 0;
  Followed at{chart, regions, {}, false};
  if (base) at = followFraming(*base, clip, decode, window, chart, regions, progress);
  e.regions = at.regions;
  std::optional<LumaMean> mean;
  e.stats = measureTake(*reader, decode, at.chart, at.regions, window, progress,
                        [&](const Decoder& decoder, const Frame& frame) {
                          if (!mean) mean.emplace(decoder);
                          mean->add(frame);
                        });
  // A clip shorter than what was looked for lacks nothing that it promised.
  if (window.count > 0 && e.stats.frames < window.count && !e.stats.missing.firstDamaged)
    e.stats.missing = {};
  if (!mean)
    throw Error("no frames in the part that is measured", clip.string(), "", "choose an earlier part");
  e.mean = mean->mean(), e.reduction = mean->reduction();
  if (mean->half(1).luma.empty()) return e;
  for (int k = 0; k < 2; ++k) e.half[k] = mean->half(k);
  return e;
}

}  // namespace edge
