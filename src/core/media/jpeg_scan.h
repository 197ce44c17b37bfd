// Lossless JPEG, as DNG holds it, has no checksum, and decoders fill up what they can't read. What can be
// told without one: that the stream holds as many samples as its header promises, no fewer and no more. A
// block of a card that was lost, and most bits that were turned over within a Huffman code, change their
// number; a bit of a difference itself does not, and is not seen.
#pragma once
#include <string_view>

namespace edge {

// Of a stream from its first byte on; it may go on behind its end. nullptr: nothing wrong, or it is of
// another kind (another process of JPEG, subsampled, with restart intervals) and was not looked at. Source:
// ITU-T T.81 (1992), B.2 (markers), annex C (tables), H.1.2 (Huffman coding of differences).
[[nodiscard]] const char* faultOfLosslessJpeg(std::string_view stream);

}  // namespace edge
