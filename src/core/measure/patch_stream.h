// One patch of a chart while a clip streams by, and what its noise tells together with that of the others.
// Internal to the measuring of wedges.
#pragma once
#include <optional>
#include <vector>

#include "image/accumulator.h"
#include "image/coefficients.h"
#include "image/decode.h"
#include "measure/chroma.h"
#include "measure/quantisation.h"

namespace edge {

// The highest code of a channel and how many samples lie on it: a clip piles them up there.
struct CodeTop {
  float code = -1e9F;
  std::int64_t at = 0, count = 0;
  void add(const std::vector<float>& codes) {
    for (float c : codes) {
      if (c > code) code = c, at = 0;
      at += c == code;
    }
    count += static_cast<std::int64_t>(codes.size());
  }
};

// One patch while the clip streams by.
struct PatchStream {
  explicit PatchStream(const Vec3& chromaWeights) : chroma(chromaWeights) {}

  Rect area;
  Block block;
  std::vector<RegionAccumulator> channels;  // in the order of Decoder::channels()
  std::vector<NoiseSums> sums;              // of the channels, once the clip is over
  std::vector<CodeHistogram> codes;
  std::vector<double> codeSum;
  std::vector<CodeTop> tops;
  ChromaStream chroma;
  std::optional<CoefficientShape> coefficients;  // of luma, where the picture is measured as it is coded
  int codeFrames = 0;                            // of which codes have been read
  std::vector<float> last;                       // luma of the frame before
  bool evenRepeated = false, oddRepeated = false;
};

// Filtering of one channel of the clip from the accumulators it consists of (two for the greens of a mosaic).
// Of lossy clips only patches whose coefficients are still there tell.
[[nodiscard]] ChannelFiltering poolFiltering(const std::vector<PatchStream>& streams,
                                             const std::vector<PatchMeasure>& patches,
                                             const std::vector<int>& sources, int target, bool lossy);

// Which changes between frames are those of a frame shown again and coded anew: luma, all patches together.
[[nodiscard]] std::vector<size_t> repeatsIn(const std::vector<PatchStream>& streams, size_t luma);

// Frames that were coded anew count once: the variance is then that of changes to a true next frame.
void countOnce(std::vector<PatchStream>& streams, const std::vector<size_t>& repeats);

}  // namespace edge
