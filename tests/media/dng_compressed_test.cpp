// DNG as cameras mostly write it: the mosaic as lossless JPEG (DNG 1.4, Compression 7). The encoder here
// follows ITU-T T.81, annex H (predictor 1) and F.1.2.1 (categories), with a table of its own: all 17
// categories in five bits.
#include <gtest/gtest.h>

#include <random>

#include "base/error.h"
#include "base/files.h"
#include "color/primaries.h"
#include "media/clip.h"
#include "media/writers.h"
#include "support/support.h"

using edge::test::TempFolder, edge::test::writeText;

namespace edge {
namespace {

constexpr int kWidth = 64, kHeight = 48, kPrecision = 14;

class Bits {
 public:
  void put(unsigned value, int count) {
    for (int i = count - 1; i >= 0; --i) {
      byte_ = byte_ << 1 | (value >> i & 1U);
      if (++filled_ == 8) flush();
    }
  }
  std::string end() {
    while (filled_) put(1, 1);
    return bytes_;
  }

 private:
  void flush() {
    bytes_ += static_cast<char>(byte_);
    if (byte_ == 0xff) bytes_ += '\0';
    byte_ = 0, filled_ = 0;
  }
  std::string bytes_;
  unsigned byte_ = 0;
  int filled_ = 0;
};

// Neighbours in `components` that take turns, as most cameras write it.
std::string scan(const std::vector<std::uint16_t>& codes, int components) {
  Bits bits;
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x) {
      const size_t i = static_cast<size_t>(y) * kWidth + x;
      const int predicted = x >= components ? codes[i - static_cast<size_t>(components)]
                            : y             ? codes[i - kWidth]
                                            : 1 << (kPrecision - 1);
      const int difference = codes[i] - predicted;
      int category = 0;
      while (std::abs(difference) >> category) ++category;
      bits.put(static_cast<unsigned>(category), 5);
      if (category) bits.put(static_cast<unsigned>(difference < 0 ? difference - 1 : difference), category);
    }
  return bits.end();
}

std::string losslessJpeg(const std::vector<std::uint16_t>& codes, int components) {
  const auto bytes = [](std::initializer_list<int> list) {
    std::string s;
    for (const int b : list) s += static_cast<char>(b);
    return s;
  };
  std::string s = bytes({0xff, 0xd8, 0xff, 0xc4, 0, 2 + 17 + 17, 0x00});
  for (int length = 1; length <= 16; ++length) s += static_cast<char>(length == 5 ? 17 : 0);
  for (int category = 0; category < 17; ++category) s += static_cast<char>(category);
  s += bytes({0xff, 0xc3, 0, 8 + 3 * components, kPrecision, 0, kHeight, 0, kWidth / components, components});
  for (int c = 0; c < components; ++c) s += bytes({c, 0x11, 0});
  s += bytes({0xff, 0xda, 0, 6 + 2 * components, components});
  for (int c = 0; c < components; ++c) s += bytes({c, 0x00});
  s += bytes({1, 0, 0});
  return s + scan(codes, components) + bytes({0xff, 0xd9});
}

// The entry of the first folder with this tag, its value replaced (TIFF 6.0, little-endian, one LONG or
// SHORT).
void setTag(std::string& file, int tag, std::uint32_t value) {
  const auto at = [&](size_t i) { return static_cast<unsigned char>(file[i]); };
  size_t entry = at(4) | at(5) << 8 | at(6) << 16 | static_cast<size_t>(at(7)) << 24;
  const int count = at(entry) | at(entry + 1) << 8;
  entry += 2;
  for (int i = 0; i < count; ++i, entry += 12)
    if ((at(entry) | at(entry + 1) << 8) == tag)
      for (int b = 0; b < 4; ++b) file[entry + 8 + b] = static_cast<char>(value >> (8 * b));
}

std::vector<std::uint16_t> noisyMosaic() {
  std::mt19937 random(7);
  std::vector<std::uint16_t> codes(kWidth * kHeight);
  for (size_t i = 0; i < codes.size(); ++i)
    codes[i] = static_cast<std::uint16_t>(600 + 200 * (i % kWidth) + random() % 97);
  return codes;
}

// The writer's DNG, its strip put aside for a compressed one.
std::string compressedDng(const TempFolder& folder, const std::vector<std::uint16_t>& codes,
                          int components = 1) {
  DngDescription d;
  d.width = kWidth, d.height = kHeight, d.model = "Tarn M1", d.white = (1 << kPrecision) - 1;
  d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
  writeDng(folder / "plain.dng", d, codes);
  std::string file = readText(folder / "plain.dng");
  if (file.size() % 2) file += '\0';
  const std::string strip = losslessJpeg(codes, components);
  setTag(file, 259, 7);
  setTag(file, 273, static_cast<std::uint32_t>(file.size()));
  setTag(file, 279, static_cast<std::uint32_t>(strip.size()));
  return file + strip;
}

std::string problemOf(const std::filesystem::path& file) {
  try {
    const auto reader = openClip(file);
    Frame frame;
    while (reader->next(frame)) {
    }
  } catch (const Error& e) {
    return e.what();
  }
  return "";
}

TEST(CompressedDng, ComesBackToTheCode) {
  const TempFolder folder;
  const auto codes = noisyMosaic();
  for (const int components : {1, 2}) {
    writeText(folder / "f.dng", compressedDng(folder, codes, components));
    const auto reader = openClip(folder / "f.dng");
    Frame frame;
    ASSERT_TRUE(reader->next(frame));
    for (int y = 0; y < kHeight; ++y) {
      const auto* row =
          reinterpret_cast<const std::uint16_t*>(frame.channels[0].data + y * frame.channels[0].rowBytes);
      for (int x = 0; x < kWidth; ++x) ASSERT_EQ(row[x], codes[static_cast<size_t>(y) * kWidth + x]);
    }
  }
}

// The library fills up with anything, says so on standard error or not at all, and returns success.
TEST(CompressedDng, DamageIsToldAndNotMeasured) {
  const TempFolder folder;
  const std::string whole = compressedDng(folder, noisyMosaic());
  const size_t strip = losslessJpeg(noisyMosaic(), 1).size(), start = whole.size() - strip;
  testing::internal::CaptureStderr();
  for (const double share : {0.2, 0.5, 0.9, 0.97}) {
    writeText(folder / "cut.dng", whole.substr(0, start + static_cast<size_t>(share * strip)));
    EXPECT_NE(problemOf(folder / "cut.dng").find("cut.dng"), std::string::npos) << share;
  }
  // A block of a card that was not written, or was erased, or belongs to somebody else.
  const auto blockOf = [&](const std::string& block) {
    std::string damaged = whole;
    damaged.replace(start + strip / 3, block.size(), block);
    writeText(folder / "block.dng", damaged);
    return problemOf(folder / "block.dng");
  };
  for (const std::string& block : {std::string(512, '\0'), std::string(512, '\xff'), std::string(512, 'e'),
                                   whole.substr(start + strip / 2, 512)})
    EXPECT_NE(blockOf(block).find("pixels are damaged"), std::string::npos) << int(block[0]);
  // Before DNG 1.1 the stream is not looked at; what the decoder counts as faulty is an error all the same.
  std::string old = whole;
  setTag(old, 50706, 1);  // DNGVersion 1.0.0.0
  old.replace(start + strip / 3, 512, std::string(512, '\xff'));
  writeText(folder / "old.dng", old);
  EXPECT_NE(problemOf(folder / "old.dng").find("pixels are damaged"), std::string::npos);
  EXPECT_EQ(testing::internal::GetCapturedStderr(), "") << "one line, and that is ours";
}

// What can't be told: bits of the differences themselves (docs/robustness.md). Those of a code mostly can.
TEST(CompressedDng, AThirdOfAllSingleBitsIsTold) {
  const TempFolder folder;
  const auto codes = noisyMosaic();
  const std::string whole = compressedDng(folder, codes);
  const size_t scanned = scan(codes, 1).size();
  std::mt19937 random(3);
  int told = 0;
  for (int i = 0; i < 300; ++i) {
    std::string turned = whole;
    char& byte = turned[whole.size() - 2 - scanned + random() % scanned];
    byte = static_cast<char>(byte ^ (1 << random() % 8));
    writeText(folder / "bit.dng", turned);
    told += !problemOf(folder / "bit.dng").empty();
  }
  EXPECT_GT(told, 90) << "of 300; without the count of samples 17";
}

}  // namespace
}  // namespace edge
