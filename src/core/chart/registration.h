// Where a picture lies against another of the same scene: small shifts, turns and changes of size, found to a
// fraction of a pixel also where one of the two is nearly black (phase correlation for the start, OpenCV's
// enhanced correlation coefficient for the rest: Evangelidis and Psarakis 2008).
#pragma once
#include <optional>
#include <string>

#include "chart/chart.h"
#include "image/luma_picture.h"

namespace edge {

struct Framing {
  double dx = 0, dy = 0;   // of the second picture's middle against the first's, in pixels
  double turn = 0;         // radians about the middle, clockwise as seen
  double scale = 1;        // of the second against the first
  double correlation = 0;  // 1: alike; below kTrusted the rest means nothing
  static constexpr double kTrusted = 0.3;

  // Where a point of the first picture lies in the second; both `width` by `height`.
  [[nodiscard]] Point of(Point p, double width, double height) const;
  // How far the point of the picture moves that moves most.
  [[nodiscard]] double most(double width, double height) const;
  [[nodiscard]] Framing inPixels(double larger) const;  // of a picture so much larger
};

// A quad of the first picture as it lies in the second. `perPixel`: units of the quad to a pixel.
[[nodiscard]] Quad framed(const Quad& q, const Framing& f, double width, double height, double perPixel);
// "shifted by 3.0 pixels across and 1.5 down, turned by 0.20 degrees and 0.50 % larger"
[[nodiscard]] std::string wordsOf(const Framing& f);

// Both of one size. A turn or a size is told only where it explains what a shift does not. nullopt: nothing
// in common was found.
[[nodiscard]] std::optional<Framing> registerPictures(const LumaPicture& base, const LumaPicture& moved);

}  // namespace edge
