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

Still readImage(const std::filesystem::path& file, bool headerOnly) {
  static auto* const read = load<decltype(edgeReadPicture)>(kPictures, "edgeReadPicture");
  Still still;
  read(file, headerOnly, still);
  return still;
}

std::unique_ptr<ClipReader> openMovie(const std::filesystem::path& file) {
  static auto* const open = load<decltype(edgeOpenMovie)>(kMovies, "edgeOpenMovie");
  std::unique_ptr<ClipReader> reader;
  open(file, threads(), reader);
  return reader;
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
