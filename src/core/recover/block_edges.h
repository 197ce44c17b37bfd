// Steps of lightness at the edges of the blocks a codec works in (8 x 8 pixels: ISO/IEC 10918-1, ITU-T H.262,
// H.264, SMPTE ST 2019-1), beyond the differences of neighbours elsewhere in the same area.
#pragma once
#include <optional>

#include "recover/detail.h"

namespace edge {

// Root mean square of the steps at edges that neighbours elsewhere do not have, in L*; 0 where they can't be
// told from noise at two standard errors. x, y: of the area's first pixel in the picture.
// nullopt: no pixel pair on either side of the comparison.
[[nodiscard]] std::optional<double> blockStepOf(const LightnessFrames& area, int x, int y);

}  // namespace edge
