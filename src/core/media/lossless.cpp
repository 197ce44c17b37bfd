#include "media/lossless.h"

#include <algorithm>
#include <array>
#include <cstddef>

namespace edge {
namespace {

// Bits of a parameter set; beyond its end all are 0.
class Bits {
 public:
  explicit Bits(const std::uint8_t* data, size_t size) {
    // Emulation prevention: 00 00 03 stands for 00 00.
    for (size_t i = 0; i < size; ++i) {
      if (i >= 2 && data[i] == 3 && data[i - 1] == 0 && data[i - 2] == 0) continue;
      bytes_.push_back(data[i]);
    }
  }
  unsigned read(int count) {
    unsigned v = 0;
    for (int i = 0; i < count; ++i, ++at_)
      v = 2 * v + (at_ / 8 < bytes_.size() ? (bytes_[at_ / 8] >> (7 - at_ % 8)) & 1U : 0U);
    return v;
  }
  unsigned exponential() {  // ue(v); se(v) has the same length
    int zeros = 0;
    while (zeros < 31 && at_ / 8 < bytes_.size() && read(1) == 0) ++zeros;
    return (1U << zeros) - 1 + read(zeros);
  }

 private:
  std::vector<std::uint8_t> bytes_;
  size_t at_ = 0;
};

bool bypassOfH264(Bits b) {
  const unsigned profile = b.read(8);
  constexpr std::array<unsigned, 9> kHigh = {100, 110, 122, 244, 44, 83, 86, 118, 128};
  if (std::find(kHigh.begin(), kHigh.end(), profile) == kHigh.end()) return false;
  b.read(16);
  b.exponential();
  if (b.exponential() == 3) b.read(1);
  b.exponential();
  b.exponential();
  return b.read(1) == 1;
}

bool bypassOfH265(Bits b) {
  b.exponential();
  b.exponential();
  b.read(1 + 1 + 3 + 1 + 1);
  for (int i = 0; i < 3; ++i) b.exponential();  // reference counts, initial QP
  b.read(2);
  if (b.read(1)) b.exponential();
  b.exponential();
  b.exponential();
  b.read(1 + 1 + 1);
  return b.read(1) == 1;
}

struct Unit {
  const std::uint8_t* data;
  size_t size;
};

// Every place where a unit of this first byte may begin: after a start code, or after a sixteen-bit length.
std::vector<Unit> unitsOf(const std::vector<std::uint8_t>& extra, std::uint8_t mask, std::uint8_t first) {
  std::vector<Unit> units;
  for (size_t i = 2; i + 4 < extra.size(); ++i) {
    if ((extra[i] & mask) != first) continue;
    const size_t rest = extra.size() - i, length = static_cast<size_t>(extra[i - 2]) << 8 | extra[i - 1];
    const bool started = i >= 3 && extra[i - 1] == 1 && extra[i - 2] == 0 && extra[i - 3] == 0;
    if (started)
      units.push_back({&extra[i], rest});
    else if (length > 4 && length <= rest)
      units.push_back({&extra[i], length});
  }
  return units;
}

}  // namespace

bool codedWithoutLoss(VideoHeader kind, const std::vector<std::uint8_t>& extra) {
  const bool h264 = kind == VideoHeader::H264;
  const auto units = h264 ? unitsOf(extra, 0x1f, 7) : unitsOf(extra, 0x7e, 34 << 1);
  if (units.empty()) return false;
  const size_t header = h264 ? 1 : 2;
  const Bits bits(units[0].data + header, units[0].size - header);
  return h264 ? bypassOfH264(bits) : bypassOfH265(bits);
}

}  // namespace edge
