// PNG of every kind there is (ISO/IEC 15948, table 11.1), written row by row with the standard's reference
// library, against what was written; and files whose checksums are right and whose contents are not.
#include <gtest/gtest.h>
#include <png.h>
#include <sys/resource.h>

#include "base/error.h"
#include "media/readers.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr int kWidth = 21, kHeight = 13;  // no multiple of a byte's samples, nor of interlacing's cells

struct Kind {
  const char* name;
  int colour, bits, interlace;
  bool transparent;  // one colour of it, by a chunk tRNS
};

// Of the code that stands in the file.
int codeAt(const Kind& k, int x, int y, int channel) {
  return (x * 37 + y * 101 + channel * 59) * (k.bits == 16 ? 211 : 1) % (1 << k.bits);
}

int channelsInFile(const Kind& k) {
  return k.colour == PNG_COLOR_TYPE_GRAY || k.colour == PNG_COLOR_TYPE_PALETTE ? 1
         : k.colour == PNG_COLOR_TYPE_GRAY_ALPHA                               ? 2
         : k.colour == PNG_COLOR_TYPE_RGB                                      ? 3
                                                                               : 4;
}

// A writer to a file, closed at the end of its life.
class Writer {
 public:
  explicit Writer(const fs::path& file) : out_(std::fopen(file.c_str(), "wb")) {
    png_ = png_create_write_struct(PNG_LIBPNG_VER_STRING, nullptr, nullptr, nullptr);
    info_ = png_create_info_struct(png_);
    png_init_io(png_, out_);
  }
  ~Writer() {
    png_destroy_write_struct(&png_, &info_);
    std::fclose(out_);
  }
  Writer(const Writer&) = delete;
  Writer& operator=(const Writer&) = delete;
  operator png_structp() const { return png_; }
  [[nodiscard]] png_infop info() const { return info_; }
  void chunk(const char* type, const std::string& bytes) {
    png_write_chunk(png_, reinterpret_cast<png_const_bytep>(type),
                    reinterpret_cast<png_const_bytep>(bytes.data()), bytes.size());
  }

 private:
  std::FILE* out_;
  png_structp png_;
  png_infop info_ = nullptr;
};

void write(const fs::path& file, const Kind& k) {
  Writer png(file);
  png_set_IHDR(png, png.info(), kWidth, kHeight, k.bits, k.colour, k.interlace, PNG_COMPRESSION_TYPE_DEFAULT,
               PNG_FILTER_TYPE_DEFAULT);
  if (k.colour == PNG_COLOR_TYPE_PALETTE) {
    std::vector<png_color> palette;
    for (int i = 0; i < 1 << k.bits; ++i)
      palette.push_back({png_byte(i * 3 % 256), png_byte(i * 5 % 256), png_byte(255 - i)});
    png_set_PLTE(png, png.info(), palette.data(), static_cast<int>(palette.size()));
  }
  if (k.transparent) {
    png_color_16 clear = {0, 1, 2, 3, 4};
    png_byte alpha = 9;
    png_set_tRNS(png, png.info(), &alpha, 1, &clear);
  }
  png_text text = {};
  std::string key = "Note", words = "Saltpan Road";
  text.compression = PNG_TEXT_COMPRESSION_NONE, text.key = key.data(), text.text = words.data();
  png_set_text(png, png.info(), &text, 1);
  png_write_info(png, png.info());
  const int channels = channelsInFile(k), perRow = (kWidth * channels * k.bits + 7) / 8;
  std::vector<std::vector<png_byte>> rows(kHeight, std::vector<png_byte>(static_cast<size_t>(perRow)));
  std::vector<png_bytep> list;
  for (int y = 0; y < kHeight; ++y) {
    auto& row = rows[static_cast<size_t>(y)];
    for (int x = 0; x < kWidth; ++x)
      for (int c = 0; c < channels; ++c) {
        const int code = codeAt(k, x, y, c), first = (x * channels + c) * k.bits;
        const auto at = static_cast<size_t>(first / 8);
        if (k.bits == 16)
          row[at] = png_byte(code >> 8), row[at + 1] = png_byte(code);  // most significant first
        else
          row[at] = png_byte(row[at] | code << (8 - k.bits - first % 8));
      }
    list.push_back(row.data());
  }
  png_write_image(png, list.data());
  png_write_end(png, png.info());
}

int sampleAt(const DecodedStill& still, size_t channel, int x, int y) {
  const ChannelView& c = still.frame.channels[channel];
  const std::byte* at = c.data + y * c.rowBytes + x * c.stepBytes;
  if (still.format.sample == SampleType::U8) return std::to_integer<int>(*at);
  std::uint16_t v = 0;
  std::memcpy(&v, at, sizeof v);
  return v;
}

class Png : public ::testing::TestWithParam<Kind> {
 protected:
  const test::TempFolder folder_;
};

TEST_P(Png, IsReadAsItWasWritten) {
  const Kind k = GetParam();
  const fs::path file = folder_.path() / "a.png";
  write(file, k);
  if (k.colour == PNG_COLOR_TYPE_GRAY_ALPHA || (k.colour == PNG_COLOR_TYPE_GRAY && k.transparent)) {
    try {
      (void)readImage(file, false);
      ADD_FAILURE() << "grey with alpha is none of ours";
    } catch (const Error& e) {
      EXPECT_EQ(e.problem(), "2 channels");
    }
    return;
  }
  const DecodedStill still = readImage(file, false), header = readImage(file, true);
  EXPECT_TRUE(header.format.sameAs(still.format));
  EXPECT_EQ(header.metadata.at("Note"), "Saltpan Road");
  EXPECT_TRUE(header.frame.channels.empty());
  const bool palette = k.colour == PNG_COLOR_TYPE_PALETTE, grey = k.colour == PNG_COLOR_TYPE_GRAY;
  EXPECT_EQ(still.format.bitDepth, k.bits == 16 ? 16 : 8);
  EXPECT_EQ(still.format.layout, grey ? Layout::Grey : Layout::Rgb);
  ASSERT_EQ(still.frame.channels.size(), grey ? 1u : 3u);
  for (int y = 0; y < kHeight; ++y)
    for (int x = 0; x < kWidth; ++x)
      for (int c = 0; c < (grey ? 1 : 3); ++c) {
        const int code = codeAt(k, x, y, palette ? 0 : c);
        const int colours[] = {code * 3 % 256, code * 5 % 256, 255 - code};
        // 13.12: few bits are spread over the whole scale.
        const int wanted = palette ? colours[c] : k.bits < 8 ? code * 255 / ((1 << k.bits) - 1) : code;
        ASSERT_EQ(sampleAt(still, static_cast<size_t>(c), x, y), wanted) << x << ", " << y << ", " << c;
      }
}

INSTANTIATE_TEST_SUITE_P(Kinds, Png,
                         ::testing::Values(Kind{"grey1", PNG_COLOR_TYPE_GRAY, 1, 0, false},
                                           Kind{"grey2", PNG_COLOR_TYPE_GRAY, 2, 0, false},
                                           Kind{"grey4", PNG_COLOR_TYPE_GRAY, 4, 1, false},
                                           Kind{"grey8", PNG_COLOR_TYPE_GRAY, 8, 0, false},
                                           Kind{"grey16", PNG_COLOR_TYPE_GRAY, 16, 1, false},
                                           Kind{"grey8clear", PNG_COLOR_TYPE_GRAY, 8, 0, true},
                                           Kind{"rgb8", PNG_COLOR_TYPE_RGB, 8, 1, false},
                                           Kind{"rgb16", PNG_COLOR_TYPE_RGB, 16, 0, false},
                                           Kind{"rgb16interlaced", PNG_COLOR_TYPE_RGB, 16, 1, false},
                                           Kind{"rgb16clear", PNG_COLOR_TYPE_RGB, 16, 0, true},
                                           Kind{"palette1", PNG_COLOR_TYPE_PALETTE, 1, 0, false},
                                           Kind{"palette4", PNG_COLOR_TYPE_PALETTE, 4, 1, false},
                                           Kind{"palette8clear", PNG_COLOR_TYPE_PALETTE, 8, 0, true},
                                           Kind{"greyalpha8", PNG_COLOR_TYPE_GRAY_ALPHA, 8, 0, false},
                                           Kind{"rgba8", PNG_COLOR_TYPE_RGB_ALPHA, 8, 1, false},
                                           Kind{"rgba16", PNG_COLOR_TYPE_RGB_ALPHA, 16, 0, false}),
                         [](const auto& info) { return info.param.name; });

// Every checksum is right. What is wrong is told in our one line, and by nobody else.
TEST(PngFaults, AreToldInOneLineOfOurs) {
  const test::TempFolder folder;
  const fs::path file = folder.path() / "a.png";
  const std::string grey8("\0\0\0\4\0\0\0\4\10\0\0\0\0", 13), odd("\0\0\0\4\0\0\0\4\5\0\0\0\0", 13),
      endless("\177\377\377\377\177\377\377\377\10\0\0\0\0", 13);
  struct {
    std::string header, chunk, bytes, said;
  } const faults[] = {{grey8, "IDAT", "no stream of zlib", "damaged"},
                      {grey8, "IDAT", std::string("\x78\x9c\x03\0\0\0\0\x01", 8), "damaged"},  // of nothing
                      {grey8, "ABCD", "a critical chunk nobody knows", "ABCD"},
                      {grey8, "tEXt", "no pixels at all", "damaged"},
                      {odd, "IDAT", "five bits a sample", "damaged"},
                      {endless, "IDAT", "sides of 2^31 - 1", "measured"}};
  for (const auto& f : faults) {
    {
      Writer png(file);
      png_write_sig(png);
      png.chunk("IHDR", f.header), png.chunk(f.chunk.c_str(), f.bytes), png.chunk("IEND", "");
    }
    testing::internal::CaptureStderr();
    try {
      (void)readImage(file, false);
      ADD_FAILURE() << f.bytes << " was read";
    } catch (const Error& e) {
      EXPECT_NE(std::string(e.what()).find(f.said), std::string::npos) << e.what();
      EXPECT_EQ(e.subject(), file.string());
      EXPECT_FALSE(e.remedy().empty());
    }
    EXPECT_EQ(testing::internal::GetCapturedStderr(), "") << f.bytes;
  }
}

long peakMegabytes() {
  rusage used{};
  getrusage(RUSAGE_SELF, &used);
  return used.ru_maxrss / 1024;
}

// Each unpacks to just under what the library itself lets pass, and it keeps a thousand.
TEST(PngFaults, TextsThatUnpackToAGigabyteTakeLittle) {
  const test::TempFolder folder;
  const fs::path file = folder.path() / "a.png";
  {
    Writer png(file);
    png_set_IHDR(png, png.info(), 1, 1, 8, PNG_COLOR_TYPE_GRAY, 0, 0, 0);
    std::string key = "Note", words(7'900'000, 'a');
    png_text text = {};
    text.compression = PNG_TEXT_COMPRESSION_zTXt, text.key = key.data(), text.text = words.data();
    for (int i = 0; i < 130; ++i) {
      png_set_text(png, png.info(), &text, 1);
      png_write_info(png, png.info());  // it lets go of what it wrote
      png_free_data(png, png.info(), PNG_FREE_TEXT, -1);
    }
    png_byte grey = 7;
    png_write_row(png, &grey);
    png_write_end(png, nullptr);
  }
  ASSERT_LT(fs::file_size(file), 2'000'000u);
  const long before = peakMegabytes();
  const DecodedStill still = readImage(file, false);
  EXPECT_EQ(sampleAt(still, 0, 0, 0), 7) << "what is too much beside it costs no picture";
  EXPECT_LT(peakMegabytes() - before, 500);
}

}  // namespace
}  // namespace edge
