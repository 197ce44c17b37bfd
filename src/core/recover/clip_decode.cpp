#include "recover/clip_decode.h"

namespace edge {

DecodeOptions resolved(DecodeOptions decode, const ClipInfo& info) {
  if (decode.curve.empty()) decode.curve = defaultCurve(info);
  if (info.format.layout == Layout::Cfa && !decode.whiteBalance && !decode.developedLike.empty() &&
      decode.developedLike != info.path)
    decode.whiteBalance = openClip(decode.developedLike)->info().format.whiteBalance;
  return decode;
}

}  // namespace edge
