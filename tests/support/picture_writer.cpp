// Pictures for tests, written by OpenImageIO; a library of its own, loaded by writeImage.
#include <OpenImageIO/imageio.h>

#include <algorithm>
#include <cmath>
#include <filesystem>
#include <stdexcept>
#include <vector>

extern "C" void edgeWritePicture(const std::filesystem::path& file, int width, int height, int channels,
                                 const std::vector<float>& pixels, int bits) {
  const auto type = bits == 32    ? OIIO::TypeDesc::FLOAT
                    : bits == -16 ? OIIO::TypeDesc::HALF
                    : bits == 8   ? OIIO::TypeDesc::UINT8
                                  : OIIO::TypeDesc::UINT16;
  OIIO::ImageSpec spec(width, height, channels, type);
  if (bits == 10) spec["oiio:BitsPerSample"] = 10;
  auto out = OIIO::ImageOutput::create(file.string());
  if (!out || !out->open(file.string(), spec)) throw std::runtime_error("can't write " + file.string());
  if (bits == 32 || bits == -16) {
    out->write_image(OIIO::TypeDesc::FLOAT, pixels.data());
  } else {
    // Rounded here: the library truncates floats.
    const double top = std::exp2(bits) - 1;
    std::vector<std::uint16_t> codes(pixels.size());
    for (size_t i = 0; i < pixels.size(); ++i) {
      const double v = std::clamp(std::round(pixels[i] * top), 0.0, top);
      codes[i] = static_cast<std::uint16_t>(bits == 10 ? std::round(v * 65535 / top) : v);
    }
    if (bits == 8) {
      const std::vector<std::uint8_t> bytes(codes.begin(), codes.end());
      out->write_image(OIIO::TypeDesc::UINT8, bytes.data());
    } else {
      out->write_image(OIIO::TypeDesc::UINT16, codes.data());
    }
  }
  out->close();
}
