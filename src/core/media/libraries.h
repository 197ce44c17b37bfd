// The heavy libraries behind pictures and movies are modules of their own, loaded when the first clip asks
// for them: OpenImageIO brings some 250 libraries into the process (0.35 s, 100 MB), FFmpeg some 130. Sums,
// plans and the window do without. What crosses the border is declared here; both sides are built together.
#pragma once
#include "media/delivered.h"
#include "media/readers.h"
#include "media/writers.h"

namespace edge {

class MovieSink {
 public:
  virtual ~MovieSink() = default;
  virtual void add(const std::vector<std::uint16_t>& y, const std::vector<std::uint16_t>& cb,
                   const std::vector<std::uint16_t>& cr) = 0;
  virtual void finish() = 0;
};

}  // namespace edge

// Entries of libedge_pictures.so and libedge_movies.so. `threads`: each module has its own count.
extern "C" {
void edgeReadPicture(const std::filesystem::path& file, bool headerOnly, edge::DecodedStill& still);
void edgeOpenMovie(const std::filesystem::path& file, int threads, std::unique_ptr<edge::ClipReader>& reader);
void edgeOpenMovieSink(const std::filesystem::path& file, int width, int height, int fps, int threads,
                       std::unique_ptr<edge::MovieSink>& sink);
void edgeThroughEncode(edge::Encode encode, double megabits, int width, int height, double fps,
                       const std::vector<std::vector<std::uint8_t>>& frames, const edge::Progress& progress,
                       edge::Encoded& out);
}
