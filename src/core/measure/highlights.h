// Highlights that a camera rebuilt: one channel is gone, its place taken from the others. Luma goes on rising
// and hides it; chroma noise does not (docs/method.md, "Range").
#pragma once
#include "measure/range.h"

namespace edge {

struct Highlights {
  std::vector<size_t> rebuilt;     // patches, brightest first
  std::vector<size_t> oneChannel;  // luma step low, chroma shifted
  // Where the first channel went: between the darkest such patch and the next one; known to half that gap.
  std::optional<Limit> from;
  bool undetermined = false;        // too little chroma noise is expected for the codes to show
  std::vector<double> chromaRatio;  // by patch: measured over expected; NaN: not looked at
};

// `luma`: the luma channel's analysis, from which line, clip and SNR are taken.
[[nodiscard]] Highlights findRebuilt(const WedgeMeasure& wedge, const ChannelRange& luma);

}  // namespace edge
