// OpenEXR, TIFF and DPX through OpenImageIO, in native samples; PNG by its own library (png_file.cpp). Loaded
// on demand (libraries.cpp).
#include <OpenEXR/openexr.h>
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <cstring>
#include <fstream>
#include <new>

#include "base/error.h"
#include "base/files.h"
#include "media/formats.h"
#include "media/libraries.h"
#include "media/picture.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

struct Magic {
  const char* bytes;
  size_t length;
  const char* kind;
};

// The kind a file really is, by its first bytes. The library would open a PNG named .exr without a word.
const char* kindByContent(const fs::path& file) {
  char head[8] = {};
  std::ifstream(file, std::ios::binary).read(head, 8);
  static constexpr Magic magics[] = {{"\x76\x2f\x31\x01", 4, "OpenEXR"},
                                     {"II*\0", 4, "TIFF"},
                                     {"MM\0*", 4, "TIFF"},
                                     {"II+\0", 4, "TIFF"},
                                     {"MM\0+", 4, "TIFF"},  // BigTIFF
                                     {"SDPX", 4, "DPX"},
                                     {"XPDS", 4, "DPX"},
                                     {"\x89PNG\r\n\x1a\n", 8, "PNG"}};
  for (const auto& m : magics)
    if (std::memcmp(head, m.bytes, m.length) == 0) return m.kind;
  return nullptr;
}

void requireHonestName(const fs::path& file) {
  const char *content = kindByContent(file), *name = clipFormatOf(file)->name;
  if (!content)
    throw Error(std::string("this is no ") + name + " file", file.string(), "first bytes",
                "copy it again from the source");
  if (std::string(content) != name)
    throw Error(fmt::format("the file is named as {} but holds {}", name, content), file.string(),
                "first bytes", "give it its right extension: the extension decides how it is decoded");
}

// Of a DPX header (SMPTE ST 268-1), in its own byte order; past its end: 0.
class DpxHeader {
 public:
  explicit DpxHeader(const fs::path& file) {
    std::ifstream(file, std::ios::binary).read(reinterpret_cast<char*>(bytes_), sizeof bytes_);
  }
  [[nodiscard]] std::uint64_t u8(size_t at) const { return bytes_[at]; }
  [[nodiscard]] std::uint64_t u16(size_t at) const {
    return big() ? u8(at) << 8 | u8(at + 1) : u8(at + 1) << 8 | u8(at);
  }
  [[nodiscard]] std::uint64_t u32(size_t at) const {
    return big() ? u16(at) << 16 | u16(at + 2) : u16(at + 2) << 16 | u16(at);
  }

 private:
  [[nodiscard]] bool big() const { return bytes_[0] == 'S'; }
  unsigned char bytes_[820] = {};
};

constexpr std::uint64_t kUnset = 0xffffffff;  // of any field that was left open

// The fewest bytes that the first element of a picture takes: its lines without any padding. 0: run lengths,
// or a descriptor that is not known.
std::uint64_t leastBytesOf(const DpxHeader& h) {
  const std::uint64_t width = h.u32(772), height = h.u32(776), descriptor = h.u8(800), bits = h.u8(803),
                      packing = h.u16(804), encoding = h.u16(806);
  // Table 1 of the standard: one component, three, four; what is shared by two pixels counts for each.
  const std::uint64_t components = descriptor == 50                       ? 3
                                   : descriptor == 51 || descriptor == 52 ? 4
                                   : descriptor <= 9                      ? 1
                                                                          : 0;
  if (encoding == 1 || components == 0 || width > kUnset / 8 || height > kUnset) return 0;
  const std::uint64_t samples = width * components;
  const std::uint64_t line = bits == 10 && packing != 0   ? samples / 3 * 4
                             : bits == 12 && packing != 0 ? samples * 2
                                                          : samples * bits / 8;
  return line * height;
}

// A truncated DPX reads without any error: compare with what the header promises (fields 5 and 2), and where
// it leaves that open, with what the picture takes.
void requireWholeDpx(const fs::path& file) {
  const DpxHeader h(file);
  const std::uint64_t have = fs::file_size(file), stated = h.u32(16);
  std::uint64_t promised = stated == kUnset || stated == 0 ? 0 : stated;
  if (h.u32(772) > 0 && h.u32(776) > 0) {
    const std::uint64_t start = h.u32(808) == kUnset || h.u32(808) == 0 ? h.u32(4) : h.u32(808);
    const std::uint64_t least = leastBytesOf(h);
    if (start != kUnset && least > 0) promised = std::max(promised, start + least);
  }
  // Field 8: what a maker puts in beside. The library makes room for all that is claimed.
  if (const std::uint64_t beside = h.u32(32); beside != kUnset) promised = std::max(promised, beside);
  if (have < promised)
    throw Error("the file is truncated", file.string(), fmt::format("{} of {} bytes", have, promised),
                "copy it again from the source");
}

// The first words are of the fault, later ones of what follows from it.
void keepFirstWords(exr_const_context_t context, exr_result_t, const char* words) {
  void* said = nullptr;
  if (exr_get_user_data(context, &said) != EXR_ERR_SUCCESS || !said) return;
  if (auto& first = *static_cast<std::string*>(said); first.empty()) first = words;
}

// The picture library reads a header of OpenEXR without measuring it against the file: a length that was
// damaged, or a channel list that ends early so that what follows is taken for lengths, costs gigabytes for a
// few hundred bytes. The standard's own core library checks each attribute's size first, in little memory.
void requirePlausibleExr(const fs::path& file) {
  exr_context_initializer_t with = EXR_DEFAULT_CONTEXT_INITIALIZER;
  std::string said;
  with.error_handler_fn = keepFirstWords, with.user_data = &said;
  with.flags = EXR_CONTEXT_FLAG_STRICT_HEADER;  // else it passes over what it could not read
  exr_context_t context = nullptr;
  const exr_result_t result = exr_start_read(&context, file.c_str(), &with);
  exr_finish(&context);
  if (result != EXR_ERR_SUCCESS || !said.empty())
    throw Error(
        "the picture can't be opened: " + (said.empty() ? exr_get_default_error_message(result) : said),
        file.string(), "header", "copy it again from the source");
}

PixelFormat formatOf(const fs::path& file, const OIIO::ImageSpec& spec) {
  const int bits = spec.get_int_attribute("oiio:BitsPerSample", static_cast<int>(spec.format.size() * 8));
  const auto as = [&](SampleType sample) {
    return pictureFormat(file, spec.width, spec.height, spec.nchannels, sample, bits);
  };
  switch (spec.format.basetype) {
    case OIIO::TypeDesc::UINT8:
      return as(SampleType::U8);
    case OIIO::TypeDesc::UINT16:
      return as(SampleType::U16);
    case OIIO::TypeDesc::HALF:
      return as(SampleType::F16);
    case OIIO::TypeDesc::FLOAT:
      return as(SampleType::F32);
    default:
      requireSaneSize(file, spec.width, spec.height);
      throw Error(std::string("samples of type ") + spec.format.c_str(), file.string(), "",
                  "give pictures in 8 to 16 bit integer, half or float");
  }
}

std::map<std::string, std::string> metadataOf(const OIIO::ImageSpec& spec) {
  std::map<std::string, std::string> m;
  for (const auto& a : spec.extra_attribs)
    if (a.name().string().rfind("oiio:", 0) != 0) addMetadata(m, a.name().string(), a.get_string());
  return m;
}

DecodedStill decodePicture(const fs::path& file, bool headerOnly) {
  requireReadable(file);
  requireHonestName(file);
  if (lowerExtension(file) == ".png") return readPng(file, headerOnly);
  if (lowerExtension(file) == ".dpx") requireWholeDpx(file);
  if (lowerExtension(file) == ".exr") requirePlausibleExr(file);
  OIIO::ImageSpec request;
  request["dpx:RawData"] = 1;
  request["oiio:RawColor"] = 1;
  request["oiio:UnassociatedAlpha"] = 1;  // alpha must never touch the colour codes
  auto input = OIIO::ImageInput::open(file.string(), &request);
  if (!input)
    throw Error("the picture can't be opened: " + OIIO::geterror(), file.string(), "header",
                "copy it again from the source");
  const OIIO::ImageSpec spec = input->spec();
  DecodedStill still;
  still.format = formatOf(file, spec);
  still.pixelFormatName = fmt::format("{} x {}", spec.format.c_str(), spec.nchannels);
  if (headerOnly) {
    still.metadata = metadataOf(spec);
    return still;
  }
  const size_t rowBytes = spec.format.size() * spec.nchannels * spec.width;
  requirePlausible(file, rowBytes * static_cast<std::uint64_t>(spec.height));
  auto samples = std::make_shared<std::vector<std::byte>>(rowBytes * spec.height);
  const bool good = input->read_image(0, 0, 0, spec.nchannels, spec.format, samples->data());
  const std::string complaint = input->geterror();
  if (!good || !complaint.empty())  // a truncated TIFF "succeeds" and complains only here
    throw Error("the picture is damaged or truncated" + (complaint.empty() ? "" : ": " + complaint),
                file.string(), "pixels", "copy it again from the source");
  still.frame = interleaved(std::move(samples), still.format, spec.nchannels);
  return still;
}

}  // namespace
}  // namespace edge

extern "C" __attribute__((visibility("default"))) void edgeReadPicture(const fs::path& file, bool headerOnly,
                                                                       edge::DecodedStill& still) {
  // Strips of a TIFF that claim to be millions of lines high are made room for as they claim.
  try {
    still = edge::decodePicture(file, headerOnly);
  } catch (const std::bad_alloc&) {
    throw edge::Error("the picture asks for more memory than there is", file.string(), "header",
                      "copy it again from the source");
  }
}
