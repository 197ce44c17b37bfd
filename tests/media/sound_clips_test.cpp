// Sound movies of many kinds: nothing of them is missing. Made by real encoders; EDGE_STUDY=1 makes all
// rasters.
#include <gtest/gtest.h>

#include <cstdlib>

#include "media/clip.h"
#include "support/spoiled.h"
#include "support/support.h"

namespace edge {
namespace {

using namespace test;

Footage moving(int width, int height, int frames) {
  Footage f;
  f.width = width;
  f.height = height;
  std::uint32_t seed = 1;
  for (int n = 0; n < frames; ++n) {
    std::vector<float> frame(3 * f.pixels());
    for (float& v : frame) {
      seed = seed * 1664525 + 1013904223;  // W. H. Press et al., Numerical Recipes, 7.1 (from memory)
      v = 0.1F + 0.3F * static_cast<float>(seed >> 8) / (1 << 24);
    }
    f.frames.push_back(std::move(frame));
  }
  return f;
}

// Frames that come out while the decoder is drained carry no stamp: the end of the clip is told by its
// packets.
TEST(SoundClips, NothingOfThemIsMissing) {
  const bool all = std::getenv("EDGE_STUDY") != nullptr;
  const TempFolder folder;
  int clips = 0;
  const auto check = [&](int width, int height, int frames, const Encoder& e, const char* ending) {
    if (!isThere(e)) return;
    const auto file = folder / (std::string("clip.") + ending);
    record(moving(width, height, frames), file, e);
    const auto reader = openClip(file);
    Frame frame;
    int seen = 0;
    while (reader->next(frame)) ++seen;
    EXPECT_EQ(seen, frames) << e.name << " " << width << " " << ending;
    EXPECT_EQ(reader->missing().count, 0) << e.name << " " << width << " x " << height << ", " << frames
                                          << " frames, " << e.group << " a group, " << ending;
    ++clips;
  };
  std::vector<std::pair<int, int>> rasters = {{320, 180}};
  if (all) rasters.insert(rasters.end(), {{1280, 720}, {1920, 1080}, {4096, 2160}});
  for (const auto& [width, height] : rasters)
    for (const char* ending : {"mkv", "mp4", "mov"})
      for (const int frames : {1, 2, 5, 13})
        for (const int group : {1, 12})
          for (const char* between : {"0", "2"})
            for (const std::int64_t first : {0, 100}) {
              Encoder e{"libx264",
                        {{"preset", "ultrafast"}, {"crf", "8"}, {"bf", between}},
                        10,
                        Sampling::Quarter420};
              e.group = group;
              e.firstStamp = first;
              check(width, height, frames, e, ending);
            }
  check(3840, 2160, 3, {"libx264", {{"preset", "ultrafast"}, {"crf", "8"}}, 10, Sampling::Quarter420, 12},
        "mkv");
  check(320, 180, 5, lossless(), "mkv");
  EXPECT_GT(clips, 0);
}

}  // namespace
}  // namespace edge
