// Where each channel ends, and what of an area lies there (docs/method.md, "Where a channel ends").
#pragma once
#include <array>
#include <optional>
#include <vector>

#include "recover/take.h"

namespace edge {

using Plateau =
    std::array<std::optional<double>, 3>;  // code value at which each channel ends; nullopt: not known

// Where each channel ends, by the first proof found. takes[0] is the base.
//   the top code that neutral areas share although their light differs, within a take or between takes
//   the format's own end, code 1
//   a pile-up at the top of the whole picture, at the same code in takes of different exposure
//   a pile-up at the top of an area whose pixels stand still while those just below move, or at the same code
//   in takes of different exposure
//   an even area whose channel falls short of the light that the others show
//   a face or white object wholly on one code whose noise is gone
//   a pile-up of an area at the end of another channel
// nullopt: no proof; whether something is clipped is then told by `clippedOf`.
[[nodiscard]] Plateau findPlateau(const std::vector<const TakeStats*>& takes,
                                  const std::vector<size_t>& neutrals);

// Codes under the end of a channel that count as partly clipped, and as at the end.
inline constexpr TenBitCodes kPartlyClipped{6}, kAtEnd{3};
// Share 0..1 of an area's pixels that lie within `margin` of a channel's end; 0 where the end is not known.
[[nodiscard]] double shareAtEnd(const AreaStats& area, int channel, const Plateau& plateau,
                                TenBitCodes margin);
// More than a thousandth of its pixels are partly clipped in a channel: its level says nothing of its light.
[[nodiscard]] bool isPartlyClipped(const AreaStats& area, const Plateau& plateau);

// Of one area: per cent of its pixels at each channel's end. Where the end is not known: 0 where its highest
// codes thin out as they do in the base, nothing where they pile up on one value; that pile is `suspected`.
struct ClippedShares {
  std::array<std::optional<double>, 3> known{};
  double suspected = 0;  // per cent, of the channel where it is most
};
[[nodiscard]] ClippedShares clippedOf(const AreaStats& area, const AreaStats& base, const Plateau& plateau);

}  // namespace edge
