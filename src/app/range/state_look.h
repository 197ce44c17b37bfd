// How each class of a step is drawn, alike on picture, trace and table: pattern and word, no colour.
#pragma once
#include <QBrush>
#include <QPen>

#include "measure/range.h"

namespace edge::app {

// "clipped", "one channel", "rebuilt", "intact", "noisy", "lost"; "removed": its noise was, so that nothing
// is known.
[[nodiscard]] QString stateWord(PatchState s);
// SNR of step k as far as it is known: "over 80" where rounding hides the noise, "-" where it was removed or
// the step clips.
[[nodiscard]] QString snrWord(const RangeResult& r, size_t k);
[[nodiscard]] Qt::PenStyle statePen(PatchState s);
[[nodiscard]] Qt::BrushStyle stateFill(PatchState s);

}  // namespace edge::app
