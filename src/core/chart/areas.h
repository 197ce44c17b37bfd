// Four-sided areas of even light on a picture: what the patches of a chart are seen as. Inside the core only:
// it shows OpenCV's types.
#pragma once
#include <opencv2/core.hpp>
#include <vector>

#include "image/luma_picture.h"

namespace edge {

struct Area {
  cv::Point2d middle;
  double side = 0;    // of a square of its area, in pixels
  double square = 0;  // share of the smallest rectangle around it that it fills
  cv::Point2d along;  // unit vector of the rectangle's width
  double width = 0, height = 0;
};

// log2 of luma, smoothed by a pixel, at most 14 stops below the brightest.
[[nodiscard]] cv::Mat stopsOf(const LumaPicture& picture);
// Brighter or darker than what surrounds them, over all levels, or parted by an edge. Largest first; at most
// 600.
[[nodiscard]] std::vector<Area> areasOf(const cv::Mat& stops);

}  // namespace edge
