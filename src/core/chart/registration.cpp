#include "chart/registration.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/video/tracking.hpp>

#include "base/units.h"

namespace edge {
namespace {

constexpr int kSmoothing = 5;         // pixels of the filter against noise
constexpr int kSmoothingTurned = 11;  // where most of it must go
constexpr double kSearch = 0.05;      // of the width: larger shifts are another framing
constexpr double kFlat = 0.9;     // of the brightest: what clips is flat, and no place can be told from it
constexpr double kAlike = 0.998;  // what is left may lie along a direction without structure
constexpr double kBetter = 0.8;   // of what is left unexplained without a shift
constexpr double kTurned = 0.75;  // and of that without a turn: noise alone leaves 0.8
constexpr double kMostTurn = 0.1, kMostScale = 0.1;  // radians, and of the size: more is another framing
constexpr double kStretch = 0.01;   // of a camera's move no more than this stretches or shears
constexpr double kSeen = 0.3;       // pixels at the corner: less of a turn or size is not told from noise
constexpr double kNoiseBlur = 2.5;  // pixels
constexpr int kSteps = 60;

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

// The middle of a picture, about which turns and sizes are told.
Point middleOf(double width, double height) {
  return {(width - 1) / 2, (height - 1) / 2};
}

cv::Mat warpOf(const Framing& f, double width, double height) {
  const Point o = f.of({0, 0}, width, height);
  const double c = f.scale * std::cos(f.turn), s = f.scale * std::sin(f.turn);
  return (cv::Mat_<float>(2, 3) << c, -s, o.x, s, c, o.y);
}

// The similarity that a general linear warp comes nearest to; nullopt: it is none.
std::optional<Framing> similarityOf(const cv::Mat& warp, double width, double height) {
  const double a = warp.at<float>(0, 0), b = warp.at<float>(0, 1), c = warp.at<float>(1, 0),
               d = warp.at<float>(1, 1);
  Framing f;
  f.scale = std::hypot((a + d) / 2, (c - b) / 2), f.turn = std::atan2((c - b) / 2, (a + d) / 2);
  const Point m = middleOf(width, height);
  f.dx = a * m.x + b * m.y + warp.at<float>(0, 2) - m.x;
  f.dy = c * m.x + d * m.y + warp.at<float>(1, 2) - m.y;
  if (!(std::abs(f.turn) < kMostTurn && std::abs(f.scale - 1) < kMostScale)) return std::nullopt;
  if (std::hypot((a - d) / 2, (b + c) / 2) > kStretch) return std::nullopt;
  return f;
}

class Registration {
 public:
  Registration(cv::Mat base, cv::Mat moved, cv::Mat mask)
      : base_(std::move(base)), moved_(std::move(moved)), mask_(std::move(mask)) {}

  // The correlation under a framing; nullopt: nothing is left that does not clip.
  [[nodiscard]] std::optional<Framing> rated(Framing f) const {
    const cv::Mat warp = warpOf(f, base_.cols, base_.rows);
    cv::Mat back, seen;
    const int way = cv::INTER_LINEAR | cv::WARP_INVERSE_MAP;
    cv::warpAffine(moved_, back, warp, base_.size(), way);
    cv::warpAffine(mask_, seen, warp, base_.size(), cv::INTER_NEAREST | cv::WARP_INVERSE_MAP);
    try {
      f.correlation = cv::computeECC(base_, back, seen);
    } catch (const cv::Exception&) {
      return std::nullopt;
    }
    return std::isfinite(f.correlation) ? std::optional(f) : std::nullopt;
  }

  [[nodiscard]] std::optional<double> ratedWithoutNoise(const Framing& f) const {
    Registration smooth = *this;
    cv::GaussianBlur(base_, smooth.base_, cv::Size(), kNoiseBlur);
    cv::GaussianBlur(moved_, smooth.moved_, cv::Size(), kNoiseBlur);
    const auto r = smooth.rated(f);
    return r ? std::optional(r->correlation) : std::nullopt;
  }

  [[nodiscard]] std::optional<Framing> shifted(cv::Point2d from, int smoothing = kSmoothing) const {
    Framing f;
    f.dx = from.x, f.dy = from.y;
    const auto found = refined(f, cv::MOTION_TRANSLATION, smoothing);
    if (!found) return std::nullopt;
    Framing s;
    s.dx = found->first.at<float>(0, 2), s.dy = found->first.at<float>(1, 2), s.correlation = found->second;
    return std::isfinite(s.dx) && std::isfinite(s.dy) ? std::optional(s) : std::nullopt;
  }

  [[nodiscard]] std::optional<Framing> turned(const Framing& from) const {
    const auto found = refined(from, cv::MOTION_AFFINE, kSmoothingTurned);
    if (!found) return std::nullopt;
    const auto f = similarityOf(found->first, base_.cols, base_.rows);
    if (!f) return std::nullopt;
    Framing alone = *f;
    alone.dx = alone.dy = 0;
    return alone.most(base_.cols, base_.rows) < kSeen ? std::nullopt : rated(*f);
  }

 private:
  // Warp and correlation.
  [[nodiscard]] std::optional<std::pair<cv::Mat, double>> refined(const Framing& from, int motion,
                                                                  int smoothing) const {
    cv::Mat warp = warpOf(from, base_.cols, base_.rows);
    try {
      const double correlation = cv::findTransformECC(
          base_, moved_, warp, motion, {cv::TermCriteria::COUNT | cv::TermCriteria::EPS, kSteps, 1e-5}, mask_,
          smoothing);
      if (std::isfinite(correlation)) return std::pair(warp, correlation);
    } catch (const cv::Exception&) {  // did not converge
    }
    return std::nullopt;
  }

  cv::Mat base_, moved_, mask_;
};

}  // namespace

Point Framing::of(Point p, double width, double height) const {
  const Point m = middleOf(width, height);
  const double c = scale * std::cos(turn), s = scale * std::sin(turn);
  return {m.x + c * (p.x - m.x) - s * (p.y - m.y) + dx, m.y + s * (p.x - m.x) + c * (p.y - m.y) + dy};
}

double Framing::most(double width, double height) const {
  double far = 0;
  for (const Point p : {Point{0, 0}, Point{width, 0}, Point{0, height}, Point{width, height}}) {
    const Point q = of(p, width, height);
    far = std::max(far, std::hypot(q.x - p.x, q.y - p.y));
  }
  return far;
}

Framing Framing::inPixels(double larger) const {
  Framing f = *this;
  f.dx *= larger, f.dy *= larger;
  return f;
}

Quad framed(const Quad& q, const Framing& f, double width, double height, double perPixel) {
  Quad out = q;
  for (auto& c : out) {
    const Point at = f.of({c.x / perPixel, c.y / perPixel}, width, height);
    c = {at.x * perPixel, at.y * perPixel};
  }
  return out;
}

std::string wordsOf(const Framing& f) {
  std::string words = fmt::format("shifted by {:.1f} pixels across and {:.1f} down", f.dx, f.dy);
  if (f.turn != 0 || f.scale != 1)
    words += fmt::format(", turned by {:.2f} degrees and {:.2f} % {}", f.turn * kDegrees,
                         100 * std::abs(f.scale - 1), f.scale < 1 ? "smaller" : "larger");
  return words;
}

std::optional<Framing> registerPictures(const LumaPicture& base, const LumaPicture& moved) {
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
  const Registration registration(a, b, belowTop(moved));
  // A row of even steps looks like itself one step on and brighter: a shift must explain more than none does,
  // and a wrong start must not hide a small one.
  std::optional<Framing> best = registration.rated({});
  if (!best || best->correlation > kAlike) return best;
  const double most = kSearch * base.width;
  for (const auto& from : {start, cv::Point2d()}) {
    if (std::hypot(from.x, from.y) >= most) continue;
    const auto s = registration.shifted(from);
    if (s && std::hypot(s->dx, s->dy) <= most && 1 - s->correlation < kBetter * (1 - best->correlation))
      best = s;
  }
  if (best->correlation > kAlike) return best;
  const auto t = registration.turned(*best);
  if (!t || std::hypot(t->dx, t->dy) > most) return best;
  // Noise is no reason against a turn: all are rated without most of it. Nor is a better shift one for it.
  std::optional<Framing> straight = best;
  std::optional<double> least = registration.ratedWithoutNoise(*best);
  const double before = least.value_or(1);
  for (const auto& from : {cv::Point2d(best->dx, best->dy), cv::Point2d(t->dx, t->dy)}) {
    const auto s = registration.shifted(from, kSmoothingTurned);
    const auto r = s && std::hypot(s->dx, s->dy) <= most ? registration.ratedWithoutNoise(*s) : std::nullopt;
    if (r && *r > least.value_or(-1)) straight = s, least = r;
  }
  const auto turned = registration.ratedWithoutNoise(*t);
  if (!least || !turned) return best;
  if (1 - *turned < kTurned * (1 - *least)) return t;
  if (1 - *least < kBetter * (1 - before)) return straight;
  return best;
}

}  // namespace edge
