// How a clip of a series is decoded: the series' own options, completed by what the clip itself says.
#pragma once
#include "recover/series.h"

namespace edge {

// The curve of the clip's kind where the options name none (defaultCurve). Errors: as defaultCurve.
[[nodiscard]] inline DecodeOptions withCurve(DecodeOptions decode, const ClipInfo& info) {
  if (decode.curve.empty()) decode.curve = defaultCurve(info);
  return decode;
}

}  // namespace edge
