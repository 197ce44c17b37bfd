#include "media/slice_sums.h"

extern "C" {
#include <libavutil/crc.h>
}

namespace edge {
namespace {

constexpr std::size_t kFooter = 8;  // size 24, error status 8, CRC 32 bits

// CRC-32 of RFC 9043, 4.9.3: 0x04C11DB7, from 0, not reflected. 0 over a slice with its own sum.
std::uint32_t crcOf(const std::uint8_t* bytes, std::size_t size) {
  return av_crc(av_crc_get_table(AV_CRC_32_IEEE), 0, bytes, size);
}

enum class Sums { Right, Wrong, None };

// Slices follow each other without a gap: from the last footer back to the first byte.
Sums sumsOf(const std::uint8_t* packet, std::size_t size) {
  bool right = true;
  std::size_t end = size;
  while (end > 0) {
    if (end < kFooter) return Sums::None;
    const std::uint8_t* footer = packet + end - kFooter;
    const std::size_t length =
        (static_cast<std::size_t>(footer[0]) << 16 | static_cast<std::size_t>(footer[1]) << 8 | footer[2]) +
        kFooter;
    if (length > end) return Sums::None;
    end -= length;
    right &= footer[3] == 0 && crcOf(packet + end, length) == 0;
  }
  return right ? Sums::Right : Sums::Wrong;
}

}  // namespace

bool SliceSums::isWhole(const std::uint8_t* packet, std::size_t size) {
  switch (sumsOf(packet, size)) {
    case Sums::Right:
      proved_ = true;
      return true;
    case Sums::Wrong:
      return !proved_ && without_;  // by chance, in a stream that has none
    case Sums::None:
      without_ = !proved_;
      return !proved_;  // a chain of slices that is torn
  }
  return true;
}

}  // namespace edge
