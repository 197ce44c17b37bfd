#include "chart/areas.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <tuple>

namespace edge {
namespace {

constexpr double kLevelStep = 0.4;  // stops between thresholds
constexpr double kDeepest = 14;     // stops below the brightest that are looked at
constexpr double kSmallest = 6;     // pixels a side
constexpr double kLargest = 0.2;    // of the picture's area
constexpr size_t kMostAreas = 600;
// Stops a pixel by which light may change inside an area: patches that touch have nothing but an edge between
// them. From the faintest step on quiet light to the plain edges that noise leaves.
constexpr double kEven[] = {0.02, 0.04, 0.08, 0.16};

class Collector {
 public:
  explicit Collector(double pixels) : pixels_(pixels) {}
  // `grown`: pixels that an area's sides gain, where its edges were cut away.
  void addAll(const cv::Mat& mask, double grown) {
    std::vector<std::vector<cv::Point>> contours;
    cv::findContours(mask, contours, cv::RETR_LIST, cv::CHAIN_APPROX_NONE);
    for (const auto& c : contours) add(c, grown);
  }
  [[nodiscard]] std::vector<Area> areas() {
    std::sort(out_.begin(), out_.end(), [](const Area& a, const Area& b) {
      return std::make_tuple(-a.side, a.middle.y, a.middle.x) <
             std::make_tuple(-b.side, b.middle.y, b.middle.x);
    });
    if (out_.size() > kMostAreas) out_.resize(kMostAreas);
    return std::move(out_);
  }

 private:
  void add(const std::vector<cv::Point>& contour, double grown) {
    const double area = cv::contourArea(contour);
    if (area < kSmallest * kSmallest || area > kLargest * pixels_) return;
    const cv::RotatedRect box = cv::minAreaRect(contour);
    const double a = box.size.width, b = box.size.height;
    if (std::min(a, b) < kSmallest || std::max(a, b) > 4 * std::min(a, b) || area < 0.8 * a * b) return;
    std::vector<cv::Point> corners;
    cv::approxPolyDP(contour, corners, 0.06 * cv::arcLength(contour, true), true);
    if (corners.size() != 4 || !cv::isContourConvex(corners)) return;
    const cv::Moments m = cv::moments(contour);
    const double angle = box.angle * CV_PI / 180;
    const Area seen{{m.m10 / m.m00 + 0.5, m.m01 / m.m00 + 0.5},
                    std::sqrt((a + grown) * (b + grown) * area / (a * b)),
                    area / (a * b),
                    {std::cos(angle), std::sin(angle)},
                    a + grown,
                    b + grown};
    for (auto& o : out_)
      if (cv::norm(o.middle - seen.middle) < 0.3 * o.side) {  // seen before: the better one counts
        if (seen.square > o.square) o = seen;
        return;
      }
    out_.push_back(seen);
  }

  double pixels_;
  std::vector<Area> out_;
};

}  // namespace

cv::Mat stopsOf(const LumaPicture& p) {
  cv::Mat linear(p.height, p.width, CV_32F, const_cast<float*>(p.luma.data())), smooth, stops;
  cv::GaussianBlur(linear, smooth, cv::Size(), 1);
  double top = 0;
  cv::minMaxLoc(smooth, nullptr, &top);
  smooth = cv::max(smooth, top * std::exp2(-kDeepest));
  cv::log(smooth, stops);
  return stops / std::log(2.0);
}

std::vector<Area> areasOf(const cv::Mat& stops) {
  double low = 0, high = 0;
  cv::minMaxLoc(stops, &low, &high);
  Collector found(static_cast<double>(stops.total()));
  for (double t = high - kLevelStep / 2; t > low; t -= kLevelStep)
    for (const bool bright : {true, false}) found.addAll(bright ? stops > t : stops <= t, 0);
  cv::Mat dx, dy, slope;
  cv::Scharr(stops, dx, CV_32F, 1, 0, 1 / 32.0);
  cv::Scharr(stops, dy, CV_32F, 0, 1, 1 / 32.0);
  cv::magnitude(dx, dy, slope);
  for (const double even : kEven) found.addAll(slope < even, 2);
  return found.areas();
}

}  // namespace edge
