#include <gtest/gtest.h>

#include <fstream>

#include "base/error.h"
#include "base/files.h"
#include "base/hash.h"
#include "image/decode.h"
#include "media/clip.h"
#include "media/sequence.h"
#include "media/writers.h"
#include "support/support.h"

namespace fs = std::filesystem;

namespace edge {
namespace {

using test::TempFolder;
using test::writeImage;
using test::writeText;

std::vector<float> ramp(int w, int h) {
  std::vector<float> p(3 * static_cast<size_t>(w) * h);
  for (size_t i = 0; i < p.size(); ++i) p[i] = static_cast<float>(i % 1000) / 1000;
  return p;
}

// What a frame reads as, 0..1, first row.
std::vector<float> firstRow(const fs::path& clip) {
  const auto reader = openClip(clip);
  const Decoder d(reader->info().format, {"linear", Range::Full, {}, {}, {}, {}});
  std::vector<float> out;
  forEachFrame(*reader, {0, 1}, Progress(), [&](const Frame& f) {
    out.resize(3 * static_cast<size_t>(d.developedWidth()));
    d.readRow(f, 0, 0, d.developedWidth(), out.data(), nullptr, false);
  });
  return out;
}

struct FormatCase {
  const char* extension;
  int bits, depth;
  double tolerance;
};
void PrintTo(const FormatCase& c, std::ostream* out) {
  *out << c.bits << " bits of " << c.extension;
}
std::string nameOf(const ::testing::TestParamInfo<FormatCase>& info) {
  return std::string(info.param.extension).substr(1) + std::to_string(std::abs(info.param.bits)) +
         (info.param.bits < 0 ? "half" : "");
}
class Formats : public ::testing::TestWithParam<FormatCase> {};

TEST_P(Formats, CodesComeBackAsWritten) {
  const auto& c = GetParam();
  const TempFolder folder;
  const auto pixels = ramp(64, 16);
  const fs::path file = folder / (std::string("a.0001") + c.extension);
  writeImage(file, 64, 16, 3, pixels, c.bits);
  const auto info = openClip(file)->info();
  EXPECT_EQ(info.format.width, 64);
  EXPECT_EQ(info.format.bitDepth, c.depth);
  EXPECT_EQ(info.kind, "frame");
  const auto row = firstRow(file);
  for (size_t i = 0; i < row.size(); ++i) ASSERT_NEAR(row[i], pixels[i], c.tolerance) << i;
}

INSTANTIATE_TEST_SUITE_P(All, Formats,
                         ::testing::Values(FormatCase{".exr", -16, 16, 5e-4},
                                           FormatCase{".exr", 32, 32, 1e-7}, FormatCase{".tif", 16, 16, 8e-6},
                                           FormatCase{".tif", 8, 8, 2e-3}, FormatCase{".png", 16, 16, 8e-6},
                                           FormatCase{".png", 8, 8, 2e-3}, FormatCase{".dpx", 10, 10, 5e-4},
                                           FormatCase{".tif", 32, 32, 1e-7}),
                         nameOf);

TEST(Sequence, FolderPatternAndSingleFrameAreClips) {
  const TempFolder folder;
  for (int n : {9, 10, 11})
    writeImage(folder / ("s." + std::to_string(n) + ".tif"), 16, 16, 3, ramp(16, 16), 16);
  writeText(folder / "notes.txt", "not a frame");
  EXPECT_EQ(framesOf(folder.path()).size(), 3U);
  EXPECT_EQ(framesOf(folder.path()).front().filename(), "s.9.tif");  // by number, not by letter
  EXPECT_EQ(framesOf(folder / "s.%d.tif").size(), 3U);
  EXPECT_EQ(framesOf(folder / "s.%02d.tif").size(), 2U);
  EXPECT_EQ(openClip(folder.path())->info().kind, "sequence");
}

std::string errorOf(const std::function<void()>& body) {
  try {
    body();
  } catch (const Error& e) {
    EXPECT_FALSE(e.remedy().empty()) << e.what();
    return e.what();
  }
  return "";
}

std::string readAll(const fs::path& clip) {
  return errorOf([&] { forEachFrame(*openClip(clip), {}, Progress(), [](const Frame&) {}); });
}

TEST(BadInput, GapsTwoClipsAndEmptyFoldersAreNamed) {
  const TempFolder folder;
  EXPECT_NE(readAll(folder.path()).find("no frames"), std::string::npos);
  for (int n : {1, 2, 4}) writeImage(folder / ("s." + std::to_string(n) + ".png"), 8, 8, 3, ramp(8, 8), 8);
  EXPECT_NE(readAll(folder.path()).find("frame 3 is missing"), std::string::npos);
  writeImage(folder / "s.3.png", 8, 8, 3, ramp(8, 8), 8);
  EXPECT_EQ(readAll(folder.path()), "");
  writeImage(folder / "other.1.png", 8, 8, 3, ramp(8, 8), 8);
  EXPECT_NE(readAll(folder.path()).find("more than one clip"), std::string::npos);
  EXPECT_NE(readAll(folder / "none").find("no such file"), std::string::npos);
}

TEST(BadInput, MixedSizesAndDepthsAreRefusedAtTheFrame) {
  const TempFolder folder;
  writeImage(folder / "s.1.tif", 16, 16, 3, ramp(16, 16), 16);
  writeImage(folder / "s.2.tif", 16, 18, 3, ramp(16, 18), 16);
  EXPECT_NE(readAll(folder.path()).find("s.2.tif"), std::string::npos);
  writeImage(folder / "s.2.tif", 16, 16, 3, ramp(16, 16), 8);
  EXPECT_NE(readAll(folder.path()).find("differs from the first"), std::string::npos);
}

class Truncated : public ::testing::TestWithParam<FormatCase> {};

TEST_P(Truncated, IsNeverReadSilently) {
  const TempFolder folder;
  const fs::path file = folder / (std::string("a.0001") + GetParam().extension);
  writeImage(file, 200, 120, 3, ramp(200, 120), GetParam().bits);
  const auto size = fs::file_size(file);
  for (double share : {0.9, 0.5, 0.02}) {
    const fs::path cut = folder / (std::string("cut") + GetParam().extension);
    const std::string bytes = readText(file);
    writeText(cut, bytes.substr(0, static_cast<size_t>(static_cast<double>(size) * share)));
    const std::string e = readAll(cut);
    EXPECT_NE(e.find("cut"), std::string::npos) << share << ": " << e;
  }
  writeText(folder / (std::string("e") + GetParam().extension), "");
  EXPECT_NE(readAll(folder / (std::string("e") + GetParam().extension)).find("empty"), std::string::npos);
}

INSTANTIATE_TEST_SUITE_P(All, Truncated,
                         ::testing::Values(FormatCase{".exr", -16, 0, 0}, FormatCase{".tif", 16, 0, 0},
                                           FormatCase{".png", 16, 0, 0}, FormatCase{".dpx", 10, 0, 0}),
                         nameOf);

TEST(BadInput, RenamedFilesAreFoundOut) {
  const TempFolder folder;
  writeImage(folder / "a.png", 8, 8, 3, ramp(8, 8), 8);
  fs::rename(folder / "a.png", folder / "a.exr");
  EXPECT_NE(readAll(folder / "a.exr").find("named as OpenEXR but holds PNG"), std::string::npos);
  writeText(folder / "b.tif", "this is text, not a picture");
  EXPECT_NE(readAll(folder / "b.tif").find("no TIFF"), std::string::npos);
  writeText(folder / "c.dng", "neither is this");
  EXPECT_NE(readAll(folder / "c.dng").find("c.dng"), std::string::npos);
  writeText(folder / "d.mov", std::string(5000, 'x'));
  EXPECT_NE(readAll(folder / "d.mov").find("not a movie"), std::string::npos);
}

TEST(BadInput, PlaylistsOpenNoOtherFile) {
  const TempFolder folder;
  writeText(folder / "list.m3u8", "#EXTM3U\n#EXT-X-TARGETDURATION:1\n#EXTINF:1,\n/etc/hostname\n");
  EXPECT_NE(readAll(folder / "list.m3u8"), "");
}

std::vector<std::uint16_t> plane(int n, int seed) {
  std::vector<std::uint16_t> p(static_cast<size_t>(n));
  for (int i = 0; i < n; ++i)
    p[static_cast<size_t>(i)] = static_cast<std::uint16_t>(64 + (i * 7 + seed * 13) % 870);
  return p;
}

fs::path writeMovie(const TempFolder& folder, int frames) {
  const fs::path file = folder / "m.mkv";
  MovieWriter w(file, 64, 32, 24);
  for (int n = 0; n < frames; ++n) w.add(plane(64 * 32, n), plane(32 * 32, n + 1), plane(32 * 32, n + 2));
  w.finish();
  return file;
}

TEST(Movie, Ffv1ComesBackBitExactWithItsTags) {
  const TempFolder folder;
  const auto reader = openClip(writeMovie(folder, 5));
  const auto& f = reader->info().format;
  EXPECT_EQ(reader->info().pixelFormatName, "yuv422p10le");
  EXPECT_EQ(f.range, Range::Legal);
  EXPECT_EQ(f.matrix, Primaries::Bt709);
  EXPECT_NEAR(reader->info().fps, 24, 1e-9);
  int n = 0;
  const auto read = forEachFrame(*reader, {}, Progress(), [&](const Frame& frame) {
    const auto expected = plane(64 * 32, n);
    for (int y = 0; y < 32; ++y)
      for (int x = 0; x < 64; ++x)
        ASSERT_EQ(reinterpret_cast<const std::uint16_t*>(frame.channels[0].data +
                                                         y * frame.channels[0].rowBytes)[x],
                  expected[static_cast<size_t>(y) * 64 + x]);
    EXPECT_EQ(frame.number, n++);
  });
  EXPECT_EQ(read.frames, 5);
  EXPECT_EQ(read.missing.count, 0);
}

TEST(Movie, WindowSkipsAndStops) {
  const TempFolder folder;
  const auto reader = openClip(writeMovie(folder, 6));
  std::vector<std::int64_t> seen;
  forEachFrame(*reader, {2, 3}, Progress(), [&](const Frame& f) { seen.push_back(f.number); });
  EXPECT_EQ(seen, (std::vector<std::int64_t>{2, 3, 4}));
  EXPECT_NE(errorOf([&] {
              forEachFrame(*openClip(folder / "m.mkv"), {50, 1}, Progress(), [](const Frame&) {});
            }).find("no frames"),
            std::string::npos);
}

// A cut Matroska "just ends": the frames that are missing are counted against the declared duration.
TEST(Movie, TruncationIsCounted) {
  const TempFolder folder;
  const std::string bytes = readText(writeMovie(folder, 12));
  writeText(folder / "cut.mkv", bytes.substr(0, bytes.size() * 6 / 10));
  const auto read = forEachFrame(*openClip(folder / "cut.mkv"), {}, Progress(), [](const Frame&) {});
  EXPECT_LT(read.frames, 12);
  EXPECT_GE(read.missing.count, 12 - read.frames);
}

TEST(Movie, CancelStopsBetweenFrames) {
  const TempFolder folder;
  const auto reader = openClip(writeMovie(folder, 6));
  Progress progress;
  int seen = 0;
  EXPECT_THROW(forEachFrame(*reader, {}, progress,
                            [&](const Frame&) {
                              if (++seen == 2) progress.cancel();
                            }),
               Cancelled);
  EXPECT_EQ(seen, 2);
}

TEST(Dng, MosaicComesBackBitExactWithItsDescription) {
  const TempFolder folder;
  DngDescription d;
  d.width = 64, d.height = 48, d.black = 512, d.white = 16383, d.asShotNeutral = {0.5, 1, 0.625}, d.iso = 800,
  d.model = "Tarn M1";
  d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
  d.baselineExposureStops = 2.5;
  const auto mosaic = plane(64 * 48, 3);
  writeDng(folder / "f.dng", d, mosaic);
  const auto reader = openClip(folder / "f.dng");
  const PixelFormat& f = reader->info().format;
  EXPECT_EQ(std::string(f.cfa.begin(), f.cfa.end()), "RGGB");
  EXPECT_EQ(f.black[3], 512);
  EXPECT_EQ(f.white, 16383);
  EXPECT_NEAR(f.whiteBalance[0], 2, 1e-4);
  EXPECT_NEAR(f.whiteBalance[2], 1.6, 1e-4);
  EXPECT_NEAR(f.baselineExposureStops, 2.5, 1e-3);
  ASSERT_TRUE(f.cameraToRgb);
  for (int r = 0; r < 3; ++r)  // the camera's primaries are those of BT.709: nothing to convert
    for (int c = 0; c < 3; ++c) EXPECT_NEAR((*f.cameraToRgb)[r][c], r == c, 1e-3);
  Frame frame;
  ASSERT_TRUE(reader->next(frame));
  for (int y = 0; y < 48; ++y)
    for (int x = 0; x < 64; ++x)
      ASSERT_EQ(
          reinterpret_cast<const std::uint16_t*>(frame.channels[0].data + y * frame.channels[0].rowBytes)[x],
          mosaic[static_cast<size_t>(y) * 64 + x]);
}

TEST(Dng, TruncatedIsRefused) {
  const TempFolder folder;
  DngDescription d;
  d.model = "Tarn M1", d.width = 64, d.height = 48, d.xyzToCamera = *inverse(rgbToXyz(Primaries::Bt709));
  writeDng(folder / "f.dng", d, plane(64 * 48, 3));
  const std::string bytes = readText(folder / "f.dng");
  writeText(folder / "cut.dng", bytes.substr(0, bytes.size() / 3));
  EXPECT_NE(readAll(folder / "cut.dng").find("cut.dng"), std::string::npos);
}

// Reference: xxhsum of Debian's xxhash package.
TEST(Hash, AgreesWithXxhsum) {
  const TempFolder folder;
  writeText(folder / "f", std::string(3'000'000, 'e') + "dge");
  const std::string command =
      "xxhsum -H2 " + (folder / "f").string() + " > " + (folder / "sum").string() + " 2>/dev/null";
  if (std::system(command.c_str()) != 0) GTEST_SKIP() << "xxhsum is not installed";
  EXPECT_EQ(readText(folder / "sum").substr(0, 32), hashFile(folder / "f"));
}

TEST(Files, AtomicWriteLeavesTheOldFileWhenItFails) {
  const TempFolder folder;
  writeFileAtomically(folder / "a", "old");
  EXPECT_THROW(writeFileAtomically(folder / "a",
                                   [](const fs::path& t) {
                                     std::ofstream(t) << "half";
                                     throw Error("no room left", "a", "", "free some");
                                   }),
               Error);
  EXPECT_EQ(readText(folder / "a"), "old");
  EXPECT_EQ(std::distance(fs::directory_iterator(folder.path()), fs::directory_iterator()), 1);
  EXPECT_THROW(writeFileAtomically(folder / "none" / "a", "x"), Error);
  EXPECT_THROW(writeFileAtomically("/dev/full/x", "x"), Error);
}

}  // namespace
}  // namespace edge
