// Files from outside are hostile: random damage ends in an error of ours or in frames, never in a crash or a
// hang.
#include <gtest/gtest.h>

#include "base/error.h"
#include "base/files.h"
#include "image/decode.h"
#include "media/clip.h"
#include "media/writers.h"
#include "simulate/random.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

fs::path goodFile(const test::TempFolder& folder, const std::string& kind) {
  const fs::path file = folder / ("good." + kind);
  std::vector<float> pixels(3 * 64 * 48);
  RandomStream random(1);
  for (auto& p : pixels) p = static_cast<float>(random.uniform());
  std::vector<std::uint16_t> codes(64 * 48);
  for (auto& c : codes) c = static_cast<std::uint16_t>(100 + random.next() % 800);
  if (kind == "mkv") {
    MovieWriter w(file, 64, 48, 24);
    const std::vector<std::uint16_t> chroma(codes.begin(), codes.begin() + 32 * 48);
    for (int n = 0; n < 3; ++n) w.add(codes, chroma, chroma);
    w.finish();
  } else if (kind == "dng") {
    DngDescription d;
    d.model = "Tarn M1", d.width = 64, d.height = 48, d.white = 1023,
    d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
    writeDng(file, d, codes);
  } else {
    test::writeImage(file, 64, 48, 3, pixels, kind == "exr" ? -16 : kind == "dpx" ? 10 : 16);
  }
  return file;
}

class Hostile : public ::testing::TestWithParam<const char*> {};

TEST_P(Hostile, DamageEndsInAnErrorOrInFrames) {
  const test::TempFolder folder;
  const std::string kind = GetParam(), good = readText(goodFile(folder, kind));
  RandomStream random(42);
  for (int round = 0; round < 60; ++round) {
    std::string bytes = good;
    // Headers are the delicate part: half of the damage goes there.
    for (int k = 0; k < 4; ++k) {
      const size_t reach = k % 2 ? bytes.size() : std::min<size_t>(bytes.size(), 600);
      bytes[random.next() % reach] = static_cast<char>(random.next());
    }
    const fs::path file = folder / ("bad." + kind);
    test::writeText(file, bytes);
    try {
      const auto reader = openClip(file);
      const Decoder decoder(reader->info().format, {"linear", {}, {}, {}});
      forEachFrame(*reader, {0, 2}, Progress(), [&](const Frame& f) {
        std::vector<float> row(3 * static_cast<size_t>(decoder.developedWidth()));
        for (int y = 0; y < decoder.developedHeight(); ++y)
          decoder.readRow(f, y, 0, decoder.developedWidth(), row.data(), nullptr, false);
      });
    } catch (const Error& e) {
      EXPECT_FALSE(e.remedy().empty()) << e.what();
    }
  }
}

INSTANTIATE_TEST_SUITE_P(All, Hostile, ::testing::Values("exr", "tif", "png", "dpx", "dng", "mkv"),
                         [](const auto& info) { return std::string(info.param); });

}  // namespace
}  // namespace edge
