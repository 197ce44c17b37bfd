#include "media/libraries.h"

#include <dlfcn.h>

#include "base/error.h"
#include "base/parallel.h"

namespace edge {
namespace {

// Kept until the process ends.
template <class Entry>
Entry* load(const char* library, const char* name) {
  void* handle = dlopen(library, RTLD_NOW | RTLD_LOCAL);
  void* entry = handle ? dlsym(handle, name) : nullptr;
  if (!entry)
    throw Error("a part of the application can't be loaded", library, dlerror(),
                "install the application again");
  return reinterpret_cast<Entry*>(entry);
}

constexpr const char* kPictures = "libedge_pictures.so";
constexpr const char* kMovies = "libedge_movies.so";

}  // namespace

DecodedStill readImage(const std::filesystem::path& file, bool headerOnly) {
  static auto* const read = load<decltype(edgeReadPicture)>(kPictures, "edgeReadPicture");
  DecodedStill still;
  read(file, headerOnly, still);
  return still;
}

std::unique_ptr<ClipReader> openMovie(const std::filesystem::path& file) {
  static auto* const open = load<decltype(edgeOpenMovie)>(kMovies, "edgeOpenMovie");
  std::unique_ptr<ClipReader> reader;
  open(file, threads(), reader);
  return reader;
}

void loadReaders() {
  (void)load<decltype(edgeReadPicture)>(kPictures, "edgeReadPicture");
  (void)load<decltype(edgeOpenMovie)>(kMovies, "edgeOpenMovie");
}

std::span<const EncodeSpec> encodes() {
  static constexpr EncodeSpec specs[] = {{Encode::Web, "web", "ITU-T H.264, 4:2:0, 8 bit", 8},
                                         {Encode::Broadcast, "broadcast", "ITU-T H.262, 4:2:2, 8 bit", 50}};
  return specs;
}

const EncodeSpec& specOf(Encode encode) {
  return encodes()[static_cast<size_t>(encode)];
}

Encoded throughEncode(Encode encode, double megabits, int width, int height, double fps,
                      const std::vector<std::vector<std::uint8_t>>& frames, const Progress& progress) {
  if (width < 16 || height < 16 || width % 2 || height % 2 || frames.empty() || !(fps > 0) || !(megabits > 0))
    throw Error("this can't be encoded", "", "", "frames of even width and height, a rate above 0");
  for (const auto& f : frames)
    if (f.size() != 3 * static_cast<size_t>(width) * static_cast<size_t>(height))
      throw Error("frames of different sizes can't be encoded", "", "", "choose a clip of one raster");
  static auto* const code = load<decltype(edgeThroughEncode)>(kMovies, "edgeThroughEncode");
  Encoded out;
  code(encode, megabits, width, height, fps, frames, progress, out);
  if (out.frames.size() != frames.size())
    throw Error("the encode lost frames", "", "", "look without it, or at another rate");
  return out;
}

MovieWriter::MovieWriter(const std::filesystem::path& file, int width, int height, int fps) {
  static auto* const open = load<decltype(edgeOpenMovieSink)>(kMovies, "edgeOpenMovieSink");
  open(file, width, height, fps, threads(), sink_);
}

MovieWriter::~MovieWriter() = default;

void MovieWriter::add(const std::vector<std::uint16_t>& y, const std::vector<std::uint16_t>& cb,
                      const std::vector<std::uint16_t>& cr) {
  sink_->add(y, cb, cr);
}

void MovieWriter::finish() {
  sink_->finish();
}

}  // namespace edge
