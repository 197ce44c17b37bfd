// Damage inside a movie that its container does not show: every frame that is given must be the frame that
// was recorded, and every one that is not must be counted. FFV1 (RFC 9043) carries a checksum a slice;
// encoded here by libavcodec itself, so that what is checked is a real stream.
#include <gtest/gtest.h>

#include <fstream>
#include <map>
#include <random>

#include "base/error.h"
#include "base/files.h"
#include "media/clip.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

using namespace test;

constexpr int kWidth = 96, kHeight = 64, kFrames = 6;

Footage noise() {
  Footage f;
  f.width = kWidth, f.height = kHeight, f.camera.frames = kFrames;
  std::mt19937_64 random(3);
  photograph(f, random, [](int x, int y) { return 0.02 + 0.15 * x / kWidth + 0.05 * y / kHeight; });
  return f;
}

std::vector<std::string> picturesOf(const fs::path& file, std::int64_t* missing) {
  const auto reader = openClip(file);
  std::vector<std::string> pictures;
  Frame frame;
  while (reader->next(frame)) {
    std::string bytes;
    for (const auto& c : frame.channels)
      for (int y = 0; y < c.height; ++y)
        for (int x = 0; x < c.width; ++x)
          bytes.append(reinterpret_cast<const char*>(c.data) + y * c.rowBytes + x * c.stepBytes, 2);
    pictures.push_back(bytes);
  }
  *missing = reader->missingFrames();
  return pictures;
}

struct Stream {
  const char* name;
  std::vector<std::pair<std::string, std::string>> options;
  int group;
};

class DamagedFfv1 : public ::testing::TestWithParam<Stream> {};

TEST_P(DamagedFfv1, AFlippedBitIsAMissingFrameAndNeverAnotherPicture) {
  const TempFolder folder;
  Encoder encoder = lossless(10, Sampling::Full444);
  for (const auto& o : GetParam().options) encoder.options.push_back(o);
  encoder.group = GetParam().group;
  const fs::path good = folder / "good.mkv", bad = folder / "bad.mkv";
  record(noise(), good, encoder);
  std::int64_t missing = 0;
  const auto sound = picturesOf(good, &missing);
  ASSERT_EQ(sound.size(), static_cast<size_t>(kFrames));
  EXPECT_EQ(missing, 0);
  const std::string bytes = readText(good);
  std::mt19937_64 random(11);
  int seen = 0;
  for (int round = 0; round < 120; ++round) {
    std::string spoilt = bytes;
    // The head describes the stream and is no picture; what happens there is hostile_test's.
    const size_t at = 2000 + random() % (spoilt.size() - 2400);
    const int bits = round % 2 ? 1 : 16;
    for (int b = 0; b < bits; ++b)
      spoilt[std::min(at + static_cast<size_t>(b), spoilt.size() - 1)] ^=
          static_cast<char>(1 << random() % 8);
    writeText(bad, spoilt);
    try {
      const auto pictures = picturesOf(bad, &missing);
      for (const auto& p : pictures)
        EXPECT_NE(std::find(sound.begin(), sound.end(), p), sound.end())
            << "round " << round << ": a picture nobody shot";
      if (pictures.size() < sound.size()) {
        ++seen;
        EXPECT_GE(missing, static_cast<std::int64_t>(sound.size() - pictures.size())) << "round " << round;
      }
    } catch (const Error&) {
      ++seen;
    }
  }
  EXPECT_GT(seen, 100) << "nearly every bit of such a file is picture";
}

INSTANTIATE_TEST_SUITE_P(
    All, DamagedFfv1,
    ::testing::Values(
        Stream{"slices", {{"level", "3"}, {"slices", "4"}, {"slicecrc", "1"}}, 1},
        Stream{"single", {{"level", "3"}, {"slices", "1"}, {"slicecrc", "1"}}, 1},
        Stream{"groups", {{"level", "3"}, {"slices", "4"}, {"slicecrc", "1"}}, 3},
        Stream{"ranges", {{"level", "3"}, {"slices", "4"}, {"slicecrc", "1"}, {"coder", "range_tab"}}, 1}),
    [](const auto& i) { return std::string(i.param.name); });

}  // namespace
}  // namespace edge
