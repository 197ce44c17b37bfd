// Pictures, movies and folders of frames with a fault each.
#include <sys/stat.h>

#include <cmath>

#include "cli/fault_corpus.h"

namespace edge {
namespace {

using test::cut, test::Fault, test::goodChart, test::Make, test::movie, test::picture, test::put,
    test::quoted, test::text, test::writeText;
namespace fs = std::filesystem;

// An OpenEXR file (magic, version 2) of these attributes, already with their names, types and sizes.
std::string exr(const std::string& attributes) {
  return std::string("\x76\x2f\x31\x01\x02\0\0\0", 8) + attributes + std::string(1, '\0') +
         std::string(64, '\0');
}
std::string attribute(const std::string& name, const std::string& type, const std::string& value,
                      std::uint32_t size) {
  std::string s = name + '\0' + type + '\0';
  for (int i = 0; i < 4; ++i) s += static_cast<char>(size >> 8 * i);
  return s + value;
}

// One whose header is otherwise sound.
std::string exrOf(const std::string& channels, const std::string& window) {
  const auto whole = [](const char* name, const char* type, const std::string& value) {
    return attribute(name, type, value, static_cast<std::uint32_t>(value.size()));
  };
  return exr(whole("channels", "chlist", channels) +
             whole("compression", "compression", std::string(1, '\0')) +
             whole("dataWindow", "box2i", window) + whole("displayWindow", "box2i", window) +
             whole("lineOrder", "lineOrder", std::string(1, '\0')) +
             whole("pixelAspectRatio", "float", std::string("\0\0\x80\x3f", 4)) +
             whole("screenWindowCenter", "v2f", std::string(8, '\0')) +
             whole("screenWindowWidth", "float", std::string("\0\0\x80\x3f", 4)));
}

std::vector<Fault> mediaFaults() {
  const auto probe = [](auto make) -> Make {
    return [make](const fs::path& f) { return "probe " + quoted(make(f)); };
  };
  const auto of = [probe](const char* name, auto spoil) {
    return probe([=](const fs::path& f) {
      const fs::path file = f / name;
      if (file.extension() == ".mkv")
        movie(file);
      else
        picture(file);
      spoil(file);
      return file;
    });
  };
  const auto half = [](const fs::path& p) { cut(p, 0.5); };
  return {
      {"missing", probe([](auto& f) { return f / "none.exr"; }), 1, {"none.exr", "check the path"}},
      {"empty", text("a.exr", "", "probe %"), 1, {"the file is empty", "a.exr", "copy it again"}},
      {"text as OpenEXR", text("a.exr", "hello there", "probe %"), 1, {"no OpenEXR", "a.exr", "first bytes"}},
      {"PNG as OpenEXR",
       probe([](auto& f) {
         picture(f / "a.png");
         fs::rename(f / "a.png", f / "a.exr");
         return f / "a.exr";
       }),
       1,
       {"holds PNG", "a.exr", "extension"}},
      {"OpenEXR cut", of("a.exr", half), 1, {"a.exr", "can't be opened", "copy it again"}},
      {"TIFF cut", of("a.tif", half), 1, {"a.tif", "can't be opened", "copy it again"}},
      {"DPX cut", of("a.dpx", half), 1, {"truncated", "a.dpx", "copy it again"}},
      {"DPX cut, its size left open",
       of("a.dpx",
          [](const fs::path& p) {
            put(p, 16, std::string(4, '\xff'));
            cut(p, 0.5);
          }),
       1,
       {"truncated", "a.dpx"}},
      {"DPX that claims 4 GB beside its picture",
       of("a.dpx", [](const fs::path& p) { put(p, 32, "\xff\xff\xff\xde"); }),
       1,
       {"truncated", "a.dpx"}},
      {"DPX of 16000 x 16000 in a small file",
       of("a.dpx",
          [](const fs::path& p) {
            put(p, 16, std::string(4, '\xff'));
            put(p, 772, std::string("\x80\x3e\0\0\x80\x3e\0\0", 8));
          }),
       1,
       {"a.dpx"}},
      {"PNG without an end", of("a.png", [](const fs::path& p) { cut(p, 0.8); }), 1, {"truncated", "a.png"}},
      {"OpenEXR with an attribute of 2 GB",
       text("a.exr", exr(attribute("comments", "string", "short", 0x7fffffff)), "probe %"),
       1,
       {"a.exr", "comments", "copy it again"}},
      {"OpenEXR whose channel list ends early, so that its rest is taken for an attribute of 1 GB",
       text("a.exr",
            exrOf('\0' + attribute("comments", "string", "short", 0x3fffffff), std::string(16, '\0')),
            "probe %"),
       1,
       {"a.exr", "header", "copy it again"}},
      {"OpenEXR without channels",
       text("a.exr", exrOf(std::string(1, '\0'), std::string("\0\0\0\0\0\0\0\0\x3f\0\0\0\x2f\0\0\0", 16)),
            "probe %"),
       1,
       {"a.exr", "one channel", "copy it again"}},
      {"OpenEXR of 2^30 pixels a side",
       text("a.exr",
            exrOf(std::string("Y\0\2\0\0\0\0\0\0\0\1\0\0\0\1\0\0\0\0", 19),
                  std::string("\0\0\0\0\0\0\0\0\0\0\0\x40\0\0\0\x40", 16)),
            "probe %"),
       1,
       {"a.exr", "window", "copy it again"}},
      {"TIFF of two channels",
       probe([](auto& f) { return picture(f / "a.tif", 2); }),
       1,
       {"2 channels", "a.tif"}},
      {"gap in the numbering",
       probe([](auto& f) {
         for (int n : {1, 2, 4}) picture(f / fmt::format("s.{:04d}.tif", n));
         return f;
       }),
       1,
       {"frame 3 is missing", "between 2 and 4"}},
      {"two runs in one folder",
       probe([](auto& f) {
         for (int n : {1, 2})
           picture(f / fmt::format("s.{:04d}.tif", n)), picture(f / fmt::format("t.{:04d}.tif", n));
         return f;
       }),
       1,
       {"more than one clip", "pattern"}},
      {"empty folder", probe([](auto& f) { return f; }), 1, {"no frames in this folder"}},
      {"sound without a picture",
       text("a.mov",
            std::string("RIFF\x24\0\0\0WAVEfmt \x10\0\0\0\1\0\1\0\x44\xac\0\0\x88\x58\1\0"
                        "\2\0\x10\0data\0\0\0\0",
                        44),
            "probe %"),
       1,
       {"no picture in this file", "a.mov"}},
      {"random bytes as a movie",
       text("a.mkv", std::string(5000, '\x5a'), "probe %"),
       1,
       {"not a movie", "a.mkv"}},
      {"a pipe",
       probe([](auto& f) {
         mkfifo((f / "a.exr").c_str(), 0600);
         return f / "a.exr";
       }),
       1,
       {"not a file", "a.exr"}},
      {"a pipe as a movie",
       probe([](auto& f) {
         mkfifo((f / "a.mkv").c_str(), 0600);
         return f / "a.mkv";
       }),
       1,
       {"not a file", "a.mkv"}},
      {"a device", [](auto&) { return "probe /dev/zero"; }, 1, {"not a file", "/dev/zero"}},
      {"a link to itself",
       probe([](auto& f) {
         fs::create_symlink(f / "a.exr", f / "a.exr");
         return f / "a.exr";
       }),
       1,
       {"no such file", "a.exr"}},
      {"movie cut",
       [](auto& f) {
         movie(f / "a.mkv", 40);
         cut(f / "a.mkv", 0.6);
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.mkv") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       0,
       {"truncated", "copy"}},
      {"one bit of a movie",
       [](auto& f) {
         movie(f / "a.mkv", 12);
         std::string bytes = readText(f / "a.mkv");
         // In the middle of the seventh of twelve frames, by their number 6.
         bytes[bytes.size() * 13 / 24] = static_cast<char>(bytes[bytes.size() * 13 / 24] ^ 0x10);
         writeText(f / "a.mkv", bytes);
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.mkv") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       0,
       {"truncated", "frame 6 is damaged", "copy the clip again"}},
      {"one bit of a PNG",
       [](auto& f) {
         picture(f / "a.png");
         std::string bytes = readText(f / "a.png");
         bytes[bytes.size() / 2] = static_cast<char>(bytes[bytes.size() / 2] ^ 0x10);
         writeText(f / "a.png", bytes);
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.png") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       1,
       {"a.png", "checksum", "copy it again"}},
      {"a lost block of a compressed DNG",
       [](auto& f) {
         const fs::path top = fs::path(EDGE_REFERENCE).parent_path().parent_path();
         std::string bytes = readText(top / "fuzz/corpus/dng/compressed");
         bytes.replace(bytes.size() - 3000, 512, 512, '\0');
         writeText(f / "a.dng", bytes);
         writeText(f / "chart.json", goodChart().dump());
         return "range " + quoted(f / "a.dng") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       1,
       {"a.dng", "pixels are damaged", "copy it again"}},
      {"not a number in a picture",
       [](auto& f) {
         writeText(f / "chart.json", goodChart().dump());
         picture(f / "a.exr", 3, 32, std::nanf(""));
         return "range " + quoted(f / "a.exr") + " --curve linear --chart " + quoted(f / "chart.json");
       },
       1,
       {"a.exr", "finite"}},
  };
}

TEST(FaultCorpus, MediaAreExplained) {
  test::meetAll(mediaFaults());
}

}  // namespace
}  // namespace edge
