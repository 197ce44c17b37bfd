#include "media/jpeg_scan.h"

#include <algorithm>
#include <array>
#include <cstdint>
#include <optional>
#include <vector>

namespace edge {
namespace {

constexpr const char* kEndsEarly = "the compressed stream ends before its last row";
constexpr const char* kNoCode = "the compressed stream holds codes that mean nothing";
constexpr const char* kGoesOn = "the compressed stream goes on behind its last row";
constexpr size_t kSpareBytes = 8;  // behind the last row; an encoder fills up a byte, or a few

// Table B.1; from kFrames on there are sixteen, frames of all processes and what belongs to them.
constexpr int kStart = 0xd8, kFrames = 0xc0, kLosslessFrame = 0xc3, kTables = 0xc4, kScan = 0xda,
              kRestart = 0xdd, kEnd = 0xd9;

class Stream {
 public:
  explicit Stream(std::string_view bytes) : s_(bytes) {}
  [[nodiscard]] bool holds(size_t n) const { return at_ + n <= s_.size(); }
  int byte() { return static_cast<unsigned char>(s_[at_++]); }
  int word() {
    const int high = byte();
    return high << 8 | byte();
  }
  void skip(size_t n) { at_ += n; }
  [[nodiscard]] std::string_view rest() const { return s_.substr(at_); }

 private:
  std::string_view s_;
  size_t at_ = 0;
};

// By the next sixteen bits: length of the code, category of the difference. Length 0: no code.
struct Code {
  std::uint8_t length = 0, category = 0;
};
using Table = std::vector<Code>;

// As a stream states it: how many codes of each length, and their categories.
struct Definition {
  std::array<int, 17> lengths{};
  std::string_view categories;
};

class Bits {
 public:
  explicit Bits(std::string_view bytes) : s_(bytes) {}
  // Zeros behind the end.
  [[nodiscard]] unsigned next16() {
    while (count_ < 32 && at_ < s_.size()) {
      const auto b = static_cast<unsigned char>(s_[at_]);
      if (b == 0xff) {
        if (at_ + 1 >= s_.size() || s_[at_ + 1] != 0) break;  // a marker: the end
        ++at_;
      }
      ++at_;
      held_ = held_ << 8 | b, count_ += 8;
    }
    return static_cast<unsigned>(count_ >= 16 ? held_ >> (count_ - 16) : held_ << (16 - count_)) & 0xffffU;
  }
  // False: so many are not there. After next16, which holds 32 where there are as many.
  bool take(int n) {
    count_ -= n;
    return count_ >= 0;
  }
  // Whole bytes up to the next marker, or to the end.
  [[nodiscard]] size_t left() const {
    size_t n = static_cast<size_t>(count_ / 8);
    for (size_t i = at_; i < s_.size() && n <= kSpareBytes; ++i, ++n)
      if (static_cast<unsigned char>(s_[i]) == 0xff && (i + 1 >= s_.size() || s_[i + 1] != 0)) break;
    return n;
  }

 private:
  std::string_view s_;
  size_t at_ = 0;
  std::uint64_t held_ = 0;
  int count_ = 0;
};

class Scan {
 public:
  explicit Scan(std::string_view stream) : s_(stream) {}

  const char* fault() {
    if (!s_.holds(2) || s_.word() != (0xff00 | kStart)) return nullptr;
    while (s_.holds(4)) {
      if (s_.byte() != 0xff) return kNoCode;
      int marker = s_.byte();
      while (marker == 0xff && s_.holds(3)) marker = s_.byte();  // fill bytes
      if (marker == kEnd) return kEndsEarly;
      const int length = s_.word() - 2;
      if (length < 0 || !s_.holds(static_cast<size_t>(length))) return kEndsEarly;
      Stream segment(s_.rest().substr(0, static_cast<size_t>(length)));
      s_.skip(static_cast<size_t>(length));
      const bool other = (marker & 0xf0) == kFrames && marker != kLosslessFrame && marker != kTables;
      if (other || (marker == kLosslessFrame && !readFrame(segment))) return nullptr;
      if (marker == kRestart && segment.holds(2) && segment.word() != 0) return nullptr;
      if (marker == kTables && !readTables(segment)) return kNoCode;
      if (marker == kScan) return readScan(segment);
    }
    return kEndsEarly;
  }

 private:
  // False: of a kind that is not looked at.
  bool readFrame(Stream& s) {
    if (!s.holds(6)) return false;
    s.skip(1);
    const int height = s.word(), width = s.word();
    const int count = s.byte();
    pixels_ = static_cast<std::uint64_t>(height) * static_cast<std::uint64_t>(width);
    if (height == 0 || !s.holds(3 * static_cast<size_t>(count))) return false;
    for (int i = 0; i < count; ++i) {
      s.skip(1);
      if (s.byte() != 0x11) return false;
      s.skip(1);
    }
    components_ = count;
    return true;
  }

  // Only noted: a stream can define a table over and over.
  bool readTables(Stream& s) {
    while (s.holds(17)) {
      const int id = s.byte();
      Definition d;
      size_t all = 0;
      for (size_t length = 1; length <= 16; ++length)
        all += static_cast<size_t>(d.lengths[length] = s.byte());
      if (id > 3 || !s.holds(all)) return false;
      d.categories = s.rest().substr(0, all);
      s.skip(all);
      defined_[static_cast<size_t>(id)] = d;
    }
    return true;
  }

  // Empty: it can't be.
  static Table tableOf(const Definition& d) {
    Table table(0x10000);
    size_t from = 0, next = 0;
    for (int length = 1; length <= 16; ++length)
      for (int i = 0; i < d.lengths[static_cast<size_t>(length)]; ++i) {
        const auto category = static_cast<unsigned char>(d.categories[next++]);
        const size_t span = size_t{1} << (16 - length);
        if (category > 16 || from + span > table.size()) return {};
        std::fill_n(table.begin() + static_cast<std::ptrdiff_t>(from), span,
                    Code{static_cast<std::uint8_t>(length), category});
        from += span;
      }
    return table;
  }

  const char* readScan(Stream& s) {
    if (!s.holds(1) || components_ == 0) return nullptr;
    const int count = s.byte();
    if (count != components_ || !s.holds(2 * static_cast<size_t>(count))) return nullptr;  // not interleaved
    std::array<Table, 4> tables;
    std::vector<const Table*> order;
    for (int i = 0; i < count; ++i) {
      s.skip(1);
      const int id = s.byte() >> 4;
      if (id > 3 || !defined_[static_cast<size_t>(id)]) return kNoCode;
      Table& table = tables[static_cast<size_t>(id)];
      if (table.empty()) table = tableOf(*defined_[static_cast<size_t>(id)]);
      if (table.empty()) return kNoCode;
      order.push_back(&table);
    }
    Bits bits(s_.rest());
    for (std::uint64_t n = 0; n < pixels_; ++n)
      for (const Table* table : order) {
        const Code code = (*table)[bits.next16()];
        // Of category 16 there is one difference only, and no bits that say which (H.1.2.2).
        if (!bits.take(code.length + (code.category == 16 ? 0 : code.category))) return kEndsEarly;
        if (code.length == 0) return kNoCode;
      }
    return bits.left() > kSpareBytes ? kGoesOn : nullptr;
  }

  Stream s_;
  std::array<std::optional<Definition>, 4> defined_;
  std::uint64_t pixels_ = 0;
  int components_ = 0;
};

}  // namespace

const char* faultOfLosslessJpeg(std::string_view stream) {
  return Scan(stream).fault();
}

}  // namespace edge
