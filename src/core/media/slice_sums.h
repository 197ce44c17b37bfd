// Checksums of FFV1 (RFC 9043, 4.9): a slice ends with its size (24 bits), and where the stream says so with
// an error status and a CRC-32 over all of it. The decoder conceals a slice whose sum is wrong and says
// nothing; here the packet is looked at before it is decoded.
#pragma once
#include <cstddef>
#include <cstdint>

namespace edge {

class SliceSums {
 public:
  // False: a sum is wrong, so that the frame is not what was recorded. Streams without sums are never wrong.
  [[nodiscard]] bool isWhole(const std::uint8_t* packet, std::size_t size);

 private:
  // Some packet had sums that were right: the stream has them. One that had none: it has not.
  bool proved_ = false, without_ = false;
};

}  // namespace edge
