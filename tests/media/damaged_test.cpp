// Damage inside a movie that its container does not show: every frame that is given must be the frame that
// was recorded, and every one that is not must be counted. FFV1 (RFC 9043) carries a checksum a slice;
// encoded here by libavcodec itself, so that what is checked is a real stream.
#include <gtest/gtest.h>

#include <algorithm>
#include <fstream>
#include <map>
#include <nlohmann/json.hpp>
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

std::vector<std::string> picturesOf(const fs::path& file, MissingFrames* missing) {
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
  *missing = reader->missing();
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
  MissingFrames missing;
  const auto sound = picturesOf(good, &missing);
  ASSERT_EQ(sound.size(), static_cast<size_t>(kFrames));
  EXPECT_EQ(missing.count, 0);
  const std::string bytes = readText(good);
  std::mt19937_64 random(11);
  int seen = 0, numbered = 0;
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
        EXPECT_GE(missing.count, static_cast<std::int64_t>(sound.size() - pictures.size()))
            << "round " << round;
        const auto absent = std::find_if(sound.begin(), sound.end(), [&](const auto& p) {
          return std::find(pictures.begin(), pictures.end(), p) == pictures.end();
        });
        if (missing.firstDamaged) {
          EXPECT_EQ(*missing.firstDamaged, absent - sound.begin()) << "round " << round;
        }
        numbered += missing.firstDamaged.has_value();
      }
    } catch (const Error&) {
      ++seen;
    }
  }
  EXPECT_GT(seen, 100) << "nearly every bit of such a file is picture";
  EXPECT_GT(numbered, 90) << "of those, which frame it was is known of nearly all";
}

// What is damaged outside the frames that were asked for is not theirs, however far decoding ran ahead.
TEST(DamagedFfv1, OnlyWhatLiesWithinTheWindowCounts) {
  const TempFolder folder;
  Encoder encoder = checked(10, Sampling::Full444);
  for (const std::int64_t firstStamp : {0, 86400})
    for (const char* name : {"a.mkv", "a.mov"}) {
      SCOPED_TRACE(name + std::to_string(firstStamp));
      encoder.firstStamp = firstStamp;
      const fs::path file = folder / name;
      record(noise(), file, encoder);
      std::string bytes = readText(file);
      bytes[bytes.size() * 7 / 12] ^= 0x10;  // in the middle of the fourth of six frames of equal size
      writeText(file, bytes);
      const auto readTo = [&](FrameWindow window) {
        return forEachFrame(*openClip(file), window, Progress(), [](const Frame&) {});
      };
      const FramesRead all = readTo({}), before = readTo({0, 3}), across = readTo({1, 3}),
                       after = readTo({4, 1});
      EXPECT_EQ(all.frames, 5);
      EXPECT_EQ(all.missing.count, 1);
      EXPECT_EQ(all.missing.firstDamaged, 3);
      EXPECT_EQ(before.missing.count, 0);
      EXPECT_EQ(across.frames, 3);
      EXPECT_EQ(across.missing.count, 1);
      EXPECT_EQ(across.missing.firstDamaged, 3);
      EXPECT_EQ(after.missing.count, 0);
    }
}

TEST(MissingFrames, AreSaidWithTheirNumberAndOutliveTheProject) {
  EXPECT_EQ(wordsOf({1, 8}), "frame 8 is damaged and left out: copy the clip again");
  EXPECT_EQ(wordsOf({3, 8}),
            "3 frames are damaged or missing, the first frame 8, and left out: copy the clip again");
  EXPECT_EQ(wordsOf({1, {}}), "the clip ends early: 1 frame promised is not there: copy it again");
  EXPECT_EQ(wordsOf({4, {}}), "the clip ends early: 4 frames promised are not there: copy it again");
  for (const MissingFrames& m : {MissingFrames{}, MissingFrames{4, {}}, MissingFrames{3, 8}}) {
    nlohmann::json stored;
    store(stored, m);
    EXPECT_EQ(missingFrom(stored).count, m.count);
    EXPECT_EQ(missingFrom(stored).firstDamaged, m.firstDamaged);
  }
  EXPECT_THROW((void)missingFrom({{"missing_frames", 8e69}}), nlohmann::json::exception);
}

INSTANTIATE_TEST_SUITE_P(
    All, DamagedFfv1,
    ::testing::Values(
        Stream{"slices", {{"level", "3"}, {"slices", "4"}, {"slicecrc", "1"}}, 1},
        Stream{"single", {{"level", "3"}, {"slices", "1"}, {"slicecrc", "1"}}, 1},
        Stream{"groups", {{"level", "3"}, {"slices", "4"}, {"slicecrc", "1"}}, 3},
        Stream{"ranges", {{"level", "3"}, {"slices", "4"}, {"slicecrc", "1"}, {"coder", "range_tab"}}, 1}),
    [](const auto& i) { return std::string(i.param.name); });

// SMPTE ST 268-1: field 5, the size of the file, may be left open; the picture's own fields still say how
// much there must be.
TEST(DamagedDpx, IsTruncatedAlsoWhereItsSizeWasLeftOpen) {
  const TempFolder folder;
  std::vector<float> pixels(3 * 128 * 96, 0.5F);
  for (const int bits : {8, 10, 16}) {
    const fs::path file = folder / "a.dpx";
    writeImage(file, 128, 96, 3, pixels, bits);
    std::string bytes = readText(file);
    for (int k = 0; k < 4; ++k) bytes[16 + static_cast<size_t>(k)] = '\xff';
    writeText(file, bytes);
    MissingFrames missing;
    EXPECT_EQ(picturesOf(file, &missing).size(), 1U) << bits << " bits, whole";
    for (const double share : {0.3, 0.6, 0.9}) {
      writeText(file, bytes.substr(0, static_cast<size_t>(share * static_cast<double>(bytes.size()))));
      EXPECT_THROW((void)picturesOf(file, &missing), Error) << bits << " bits, " << share;
    }
  }
}

TEST(DamagedPictures, AHeaderThatPromisesTooMuchTakesNoMemory) {
  const TempFolder folder;
  const auto big = [](std::string& bytes, size_t at, std::uint32_t v) {
    for (int k = 0; k < 4; ++k) bytes[at + static_cast<size_t>(k)] = static_cast<char>(v >> (24 - 8 * k));
  };
  const std::vector<float> pixels(3 * 64 * 48, 0.25F);
  writeImage(folder / "a.dpx", 64, 48, 3, pixels, 10);
  std::string dpx = readText(folder / "a.dpx");
  const bool bigEndian = dpx[0] == 'S';
  for (const size_t at : {size_t{772}, size_t{776}}) {
    big(dpx, at, 16000);
    if (!bigEndian)
      std::reverse(dpx.begin() + static_cast<std::ptrdiff_t>(at),
                   dpx.begin() + static_cast<std::ptrdiff_t>(at) + 4);
  }
  writeText(folder / "a.dpx", dpx);
  writeImage(folder / "b.exr", 64, 48, 3, pixels, -16);
  std::string exr = readText(folder / "b.exr");
  // Data and display windows of OpenEXR: four little-endian 32-bit numbers after the attribute's type and
  // size.
  for (const char* name : {"dataWindow", "displayWindow"}) {
    const size_t at = exr.find(name) + std::string(name).size() + 1 + 6 + 4 + 8;
    for (const size_t k : {size_t{0}, size_t{4}}) {
      const std::uint32_t v = 15999;
      for (size_t b = 0; b < 4; ++b) exr[at + k + b] = static_cast<char>(v >> (8 * b));
    }
  }
  writeText(folder / "b.exr", exr);
  const auto peak = [] {
    std::ifstream status("/proc/self/status");
    for (std::string line; std::getline(status, line);)
      if (line.rfind("VmHWM", 0) == 0) return std::stol(line.substr(6));
    return 0L;
  };
  const long before = peak();
  for (const char* name : {"a.dpx", "b.exr"}) {
    MissingFrames missing;
    try {
      (void)picturesOf(folder / name, &missing);
      ADD_FAILURE() << name << " was read";
    } catch (const Error& e) {
      EXPECT_FALSE(e.remedy().empty());
      EXPECT_LT(std::string(e.what()).size(), 400U);
    }
  }
  EXPECT_LT(peak() - before, 100 * 1024) << "kB more at the most";
}

}  // namespace
}  // namespace edge
