// OpenEXR, TIFF, DPX and PNG through OpenImageIO, in native samples. Loaded on demand (libraries.cpp).
#include <OpenImageIO/imageio.h>
#include <fmt/format.h>

#include <cstring>
#include <fstream>

#include "base/error.h"
#include "base/files.h"
#include "media/formats.h"
#include "media/libraries.h"

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

// A truncated DPX reads without any error: compare with what the header promises (SMPTE ST 268-1, fields 5
// and 2).
void requireWholeDpx(const fs::path& file) {
  unsigned char h[20] = {};
  std::ifstream(file, std::ios::binary).read(reinterpret_cast<char*>(h), sizeof h);
  const bool big = h[0] == 'S';
  const auto u32 = [&](int at) {
    return big ? (std::uint64_t(h[at]) << 24 | h[at + 1] << 16 | h[at + 2] << 8 | h[at + 3])
               : (std::uint64_t(h[at + 3]) << 24 | h[at + 2] << 16 | h[at + 1] << 8 | h[at]);
  };
  const std::uint64_t promised = u32(16), have = fs::file_size(file);
  if (promised != 0xffffffffu && have < promised)
    throw Error("the file is truncated", file.string(), fmt::format("{} of {} bytes", have, promised),
                "copy it again from the source");
}

// The PNG library writes its complaints to standard error, which belongs to us: a cut file is found out
// before it reads. ISO/IEC 15948, 5.3: chunks of length, type, data, CRC; the last one is IEND.
void requireWholePng(const fs::path& file) {
  std::ifstream in(file, std::ios::binary);
  const std::uint64_t size = fs::file_size(file);
  for (std::uint64_t at = 8; at + 12 <= size;) {
    unsigned char head[8] = {};
    in.seekg(static_cast<std::streamoff>(at));
    in.read(reinterpret_cast<char*>(head), sizeof head);
    if (std::memcmp(head + 4, "IEND", 4) == 0) return;
    at += 12 + (std::uint64_t(head[0]) << 24 | head[1] << 16 | head[2] << 8 | head[3]);
  }
  throw Error("the file is truncated", file.string(), "no end chunk", "copy it again from the source");
}

[[noreturn]] void refuse(const fs::path& file, const std::string& what) {
  throw Error(what, file.string(), "",
              "give pictures of 1, 3 or 4 channels in 8 to 16 bit integer, half or float");
}

PixelFormat formatOf(const fs::path& file, const OIIO::ImageSpec& spec) {
  requireSaneSize(file, spec.width, spec.height);
  if (spec.nchannels != 1 && spec.nchannels != 3 && spec.nchannels != 4)
    refuse(file, fmt::format("{} channels", spec.nchannels));
  PixelFormat f;
  f.width = spec.width, f.height = spec.height;
  f.layout = spec.nchannels == 1 ? Layout::Grey : Layout::Rgb;
  f.bitDepth = spec.get_int_attribute("oiio:BitsPerSample", static_cast<int>(spec.format.size() * 8));
  switch (spec.format.basetype) {
    case OIIO::TypeDesc::UINT8:
      f.sample = SampleType::U8;
      break;
    case OIIO::TypeDesc::UINT16:
      f.sample = SampleType::U16;
      break;
    case OIIO::TypeDesc::HALF:
      f.sample = SampleType::F16;
      break;
    case OIIO::TypeDesc::FLOAT:
      f.sample = SampleType::F32;
      break;
    default:
      refuse(file, std::string("samples of type ") + spec.format.c_str());
  }
  if (f.isFloat()) f.bitDepth = static_cast<int>(spec.format.size() * 8);
  if (f.sample == SampleType::U8) f.bitDepth = 8;
  // The library expands odd depths to 16 bit.
  f.scaledTo16 = f.sample == SampleType::U16 && f.bitDepth < 16;
  return f;
}

std::map<std::string, std::string> metadataOf(const OIIO::ImageSpec& spec) {
  std::map<std::string, std::string> m;
  for (const auto& a : spec.extra_attribs)
    if (a.name().string().rfind("oiio:", 0) != 0 && m.size() < 200)
      m[a.name().string()] = a.get_string().substr(0, 400);
  return m;
}

Still decodePicture(const fs::path& file, bool headerOnly) {
  requireReadable(file);
  requireHonestName(file);
  if (lowerExtension(file) == ".dpx") requireWholeDpx(file);
  if (lowerExtension(file) == ".png") requireWholePng(file);
  OIIO::ImageSpec request;
  request["dpx:RawData"] = 1;
  request["oiio:RawColor"] = 1;
  request["oiio:UnassociatedAlpha"] = 1;  // alpha must never touch the colour codes
  auto input = OIIO::ImageInput::open(file.string(), &request);
  if (!input)
    throw Error("the picture can't be opened: " + OIIO::geterror(), file.string(), "header",
                "copy it again from the source");
  const OIIO::ImageSpec spec = input->spec();
  Still still;
  still.format = formatOf(file, spec);
  still.pixelFormatName = fmt::format("{} x {}", spec.format.c_str(), spec.nchannels);
  if (headerOnly) {
    still.metadata = metadataOf(spec);
    return still;
  }
  const size_t pixelBytes = spec.format.size() * spec.nchannels, rowBytes = pixelBytes * spec.width;
  auto samples = std::make_shared<std::vector<std::byte>>(rowBytes * spec.height);
  const bool good = input->read_image(0, 0, 0, spec.nchannels, spec.format, samples->data());
  const std::string complaint = input->geterror();
  if (!good || !complaint.empty())  // a truncated TIFF "succeeds" and complains only here
    throw Error("the picture is damaged or truncated" + (complaint.empty() ? "" : ": " + complaint),
                file.string(), "pixels", "copy it again from the source");
  for (int c = 0; c < std::min(spec.nchannels, 3); ++c)
    still.frame.channels.push_back({samples->data() + c * spec.format.size(),
                                    static_cast<std::ptrdiff_t>(rowBytes), static_cast<int>(pixelBytes),
                                    spec.width, spec.height});
  still.frame.owner = std::move(samples);
  return still;
}

}  // namespace
}  // namespace edge

extern "C" __attribute__((visibility("default"))) void edgeReadPicture(const fs::path& file, bool headerOnly,
                                                                       edge::Still& still) {
  still = edge::decodePicture(file, headerOnly);
}
