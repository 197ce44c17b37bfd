// PNG (ISO/IEC 15948) in native samples, by the standard's reference library. Asked directly, because behind
// another library its complaints go to standard error, which belongs to us.
#include <fmt/format.h>
#include <png.h>

#include <bit>
#include <csetjmp>
#include <cstring>
#include <fstream>

#include "base/error.h"
#include "base/files.h"
#include "media/picture.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

constexpr png_alloc_size_t kMostOfAChunk = 4u << 20;
constexpr png_uint_32 kMostChunksKept = 50;

// It is left by longjmp: what a step uses stands outside of it, and nothing in it has a destructor.
template <class Step>
bool held(png_structp png, const Step& step) {
  if (setjmp(png_jmpbuf(png))) return false;
  step();
  return true;
}

class Reading {
 public:
  explicit Reading(const fs::path& file) : file_(file), in_(std::fopen(file.c_str(), "rbe")) {
    png_ = png_create_read_struct(PNG_LIBPNG_VER_STRING, &said_, fail, [](png_structp, png_const_charp) {});
    info_ = png_ ? png_create_info_struct(png_) : nullptr;
    if (!in_ || !info_) {
      close();
      throw Error("the picture can't be opened", file.string(), "", "close other programs and try again");
    }
  }
  ~Reading() { close(); }
  Reading(const Reading&) = delete;
  Reading& operator=(const Reading&) = delete;

  // Up to the pixels, which are then read as 8 or 16 bits a sample in this machine's order.
  void header() {
    attempt("header", [this] {
      png_init_io(png_, in_);
      png_set_crc_action(png_, PNG_CRC_ERROR_QUIT, PNG_CRC_ERROR_QUIT);
      png_set_user_limits(png_, PNG_UINT_31_MAX, PNG_UINT_31_MAX);  // ours are told by name
      // A text of a few thousand bytes unpacks to megabytes, and there may be any number of them.
      png_set_chunk_malloc_max(png_, kMostOfAChunk), png_set_chunk_cache_max(png_, kMostChunksKept);
      png_read_info(png_, info_);
    });
  }
  void pixels(const std::vector<png_bytep>& rows) {
    attempt("pixels", [this, &rows] {
      png_read_image(png_, const_cast<png_bytepp>(rows.data()));
      png_read_end(png_, nullptr);
    });
  }
  // Palettes, few bits and transparent colours as plain samples.
  void expand() {
    attempt("header", [this] {
      png_set_expand(png_);
      if (png_get_bit_depth(png_, info_) == 16 && std::endian::native == std::endian::little)
        png_set_swap(png_);
      (void)png_set_interlace_handling(png_);
      png_read_update_info(png_, info_);
    });
  }
  [[nodiscard]] int width() const { return static_cast<int>(png_get_image_width(png_, info_)); }
  [[nodiscard]] int height() const { return static_cast<int>(png_get_image_height(png_, info_)); }
  [[nodiscard]] int bits() const { return png_get_bit_depth(png_, info_); }
  [[nodiscard]] int channels() const { return png_get_channels(png_, info_); }
  [[nodiscard]] size_t rowBytes() const { return png_get_rowbytes(png_, info_); }

  [[nodiscard]] std::map<std::string, std::string> metadata() const {
    png_textp texts = nullptr;
    const int count = png_get_text(png_, info_, &texts, nullptr);
    std::map<std::string, std::string> out;
    for (int i = 0; i < count; ++i)
      if (texts[i].key && texts[i].text) addMetadata(out, texts[i].key, texts[i].text);
    return out;
  }

 private:
  [[noreturn]] static void fail(png_structp png, png_const_charp words) {
    *static_cast<std::string*>(png_get_error_ptr(png)) = words;
    png_longjmp(png, 1);
  }
  template <class Step>
  void attempt(const char* place, const Step& step) {
    if (held(png_, step)) return;
    // Of a chunk, or of the stream within: whichever the library comes upon first.
    const bool sum = said_.find("CRC") != std::string::npos || said_.find("data check") != std::string::npos;
    throw Error("the picture is damaged: " + (sum ? "a checksum is wrong" : said_), file_.string(), place,
                "copy it again from the source");
  }
  void close() {
    png_destroy_read_struct(&png_, &info_, nullptr);
    if (in_) std::fclose(in_);
  }

  const fs::path file_;
  std::FILE* in_;
  std::string said_;
  png_structp png_ = nullptr;
  png_infop info_ = nullptr;
};

// A file that was cut is told as that, and before anything is read of it: 5.3 of the standard: chunks of
// length, type, data, checksum; the last one is IEND.
void requireWhole(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  const std::uint64_t size = fs::file_size(file);
  for (std::uint64_t at = 8; at + 12 <= size;) {
    unsigned char head[8] = {};
    in.seekg(static_cast<std::streamoff>(at));
    in.read(reinterpret_cast<char*>(head), sizeof head);
    const std::uint64_t length = png_get_uint_32(head);
    if (length > size - at - 12) break;
    if (std::memcmp(head + 4, "IEND", 4) == 0) return;
    at += 12 + length;
  }
  throw Error("the file is truncated", file.string(), "no end chunk", "copy it again from the source");
}

}  // namespace

DecodedStill readPng(const fs::path& file, bool headerOnly) {
  requireWhole(file);
  Reading png(file);
  png.header();
  requireSaneSize(file, png.width(), png.height());
  png.expand();
  const int channels = png.channels(), bits = png.bits();
  DecodedStill still;
  still.format = pictureFormat(file, png.width(), png.height(), channels,
                               bits == 16 ? SampleType::U16 : SampleType::U8, bits);
  still.pixelFormatName = fmt::format("uint{} x {}", bits, channels);
  still.metadata = png.metadata();
  if (headerOnly) return still;
  const size_t rowBytes = png.rowBytes(), height = static_cast<size_t>(png.height());
  requirePlausible(file, rowBytes * height);
  auto samples = std::make_shared<std::vector<std::byte>>(rowBytes * height);
  std::vector<png_bytep> rows(height);
  for (size_t y = 0; y < height; ++y) rows[y] = reinterpret_cast<png_bytep>(samples->data() + y * rowBytes);
  png.pixels(rows);
  still.frame = interleaved(std::move(samples), still.format, channels);
  return still;
}

}  // namespace edge
