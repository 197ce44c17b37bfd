#include "chart/registration.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

namespace edge {
namespace {

constexpr int kSmoothing = 5;     // pixels of the filter against noise
constexpr double kSearch = 0.05;  // of the width: larger shifts are another framing
constexpr double kFlat = 0.9;     // of the brightest: what clips is flat, and no place can be told from it
constexpr double kAlike = 0.998;  // what is left may lie along a direction without structure
constexpr double kBetter = 0.8;   // of what is left unexplained without a shift

// Even contrast: square root of light, zero mean, unit spread.
cv::Mat prepared(const LumaPicture& p) {
  cv::Mat m(p.height, p.width, CV_32F);
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x)
      m.at<float>(y, x) = std::sqrt(std::max(0.0F, p.luma[static_cast<size_t>(y) * p.width + x]));
  cv::GaussianBlur(m, m, cv::Size(), 1.0);
  cv::Scalar mean, sd;
  cv::meanStdDev(m, mean, sd);
  m = (m - mean[0]) / std::max(1e-9, sd[0]);
  return m;
}

// Where a picture is not at its end.
cv::Mat belowTop(const LumaPicture& p) {
  const float top = *std::max_element(p.luma.begin(), p.luma.end());
  cv::Mat mask(p.height, p.width, CV_8U);
  for (int y = 0; y < p.height; ++y)
    for (int x = 0; x < p.width; ++x)
      mask.at<std::uint8_t>(y, x) = p.luma[static_cast<size_t>(y) * p.width + x] < kFlat * top ? 255 : 0;
  // The filters carry what clips over its border.
  cv::erode(mask, mask, cv::Mat::ones(2 * kSmoothing + 1, 2 * kSmoothing + 1, CV_8U));
  return mask;
}

std::optional<Shift> refined(const cv::Mat& a, const cv::Mat& b, const cv::Mat& mask, cv::Point2d from) {
  cv::Mat warp = cv::Mat::eye(2, 3, CV_32F);
  warp.at<float>(0, 2) = static_cast<float>(from.x), warp.at<float>(1, 2) = static_cast<float>(from.y);
  try {
    Shift s;
    s.correlation =
        cv::findTransformECC(a, b, warp, cv::MOTION_TRANSLATION,
                             {cv::TermCriteria::COUNT | cv::TermCriteria::EPS, 60, 1e-5}, mask, kSmoothing);
    s.dx = warp.at<float>(0, 2), s.dy = warp.at<float>(1, 2);
    if (std::isfinite(s.dx) && std::isfinite(s.dy) && std::isfinite(s.correlation)) return s;
  } catch (const cv::Exception&) {  // did not converge
  }
  return std::nullopt;
}

}  // namespace

std::optional<Shift> registerPictures(const LumaPicture& base, const LumaPicture& moved) {
  if (base.width != moved.width || base.height != moved.height || base.width < 32 || base.height < 32)
    return std::nullopt;
  const cv::Mat a = prepared(base), b = prepared(moved);
  for (const auto& m : {a, b}) {
    double low = 0, high = 0;
    cv::minMaxLoc(m, &low, &high);
    if (!(high - low > 1e-3)) return std::nullopt;  // a blank picture
  }
  cv::Mat window;
  cv::createHanningWindow(window, a.size(), CV_32F);
  // Copies: the function multiplies its arguments by the window in place where their size suits its
  // transform.
  const cv::Point2d start = cv::phaseCorrelate(a.clone(), b.clone(), window);
  const cv::Mat mask = belowTop(moved);
  // A row of even steps looks like itself one step on and brighter: a shift must explain more than none does,
  // and a wrong start must not hide a small one.
  std::optional<Shift> best;
  try {
    best = Shift{0, 0, cv::computeECC(a, b, mask)};
  } catch (const cv::Exception&) {
    return std::nullopt;  // nothing that does not clip
  }
  if (best->correlation > kAlike) return best;
  const double most = kSearch * base.width;
  for (const auto& from : {start, cv::Point2d()}) {
    if (std::hypot(from.x, from.y) >= most) continue;
    const auto s = refined(a, b, mask, from);
    if (s && std::hypot(s->dx, s->dy) <= most && 1 - s->correlation < kBetter * (1 - best->correlation))
      best = s;
  }
  return std::isfinite(best->correlation) ? best : std::nullopt;
}

}  // namespace edge
