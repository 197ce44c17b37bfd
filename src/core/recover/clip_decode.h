// How a clip of a series is decoded: the series' own options, completed by what the clips themselves say.
#pragma once
#include "recover/series.h"

namespace edge {

// The curve of the clip's kind where the options name none; the white balance of the clip that a raw series
// is developed like, so that a camera which set it anew between takes shifts no colours. Errors: as
// defaultCurve; that other clip can't be read.
[[nodiscard]] DecodeOptions resolved(DecodeOptions decode, const ClipInfo& info);

}  // namespace edge
