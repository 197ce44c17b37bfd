#include "recover/detail.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>

namespace edge {
namespace {

constexpr double kHighPassSigma = 3;   // pixels
constexpr double kLeastTexture = 0.5;  // L*, standard deviation
constexpr double kClearOfNoise = 0.9;  // correlation of a single frame of the base with itself
constexpr size_t kLeastFrames = 4;
constexpr double kElsewhere = 0.7;  // noise-free correlation below which it is another picture
constexpr double kPresent = 0.5;    // of the base's contrast
constexpr double kKernelArea =
    4 * 3.14159265358979 * kHighPassSigma * kHighPassSigma;  // pixels that act as one

using Planes = std::vector<cv::Mat>;

Planes highPassed(const LightnessFrames& f) {
  Planes out;
  for (const auto& frame : f.frames) {
    const cv::Mat m(f.height, f.width, CV_32F, const_cast<float*>(frame.data()));
    cv::Mat low;
    cv::GaussianBlur(m, low, {}, kHighPassSigma, kHighPassSigma, cv::BORDER_REFLECT_101);
    out.emplace_back(m - low);
  }
  return out;
}

// Mean of every second frame from `first`; of all for step 1.
cv::Mat meanOf(const Planes& planes, size_t first, size_t step) {
  cv::Mat sum = cv::Mat::zeros(planes[0].size(), CV_32F);
  double n = 0;
  for (size_t i = first; i < planes.size(); i += step, ++n) sum += planes[i];
  return sum / n;
}

// Over what is left when `b` is moved by (dx, dy), up to kDetailReach either way.
double covariance(const cv::Mat& a, const cv::Mat& b, int dx = 0, int dy = 0) {
  const int r = kDetailReach;
  const cv::Rect inside(r, r, a.cols - 2 * r, a.rows - 2 * r);
  const cv::Mat x = a(inside), y = b(inside + cv::Point(dx, dy));
  const double n = static_cast<double>(x.total());
  return x.dot(y) / n - cv::mean(x)[0] * cv::mean(y)[0];
}

struct Shift {
  int dx = 0, dy = 0;
};
Shift shiftOf(const cv::Mat& take, const cv::Mat& base) {
  Shift best;
  double most = covariance(base, take);
  for (int dy = -kDetailReach; dy <= kDetailReach; ++dy)
    for (int dx = -kDetailReach; dx <= kDetailReach; ++dx)
      if (const double c = covariance(base, take, dx, dy); c > most) {
        most = c;
        best = {dx, dy};
      }
  return best;
}

bool usable(const LightnessFrames& f) {
  return !f.frames.empty() && f.width > 8 * kDetailReach && f.height > 8 * kDetailReach;
}

// Variance of the texture without noise; nullopt where it does not stand clear of it.
std::optional<double> textureOf(const Planes& base) {
  const double s = covariance(meanOf(base, 0, 2), meanOf(base, 1, 2));
  double single = 0;
  for (const auto& p : base) single += covariance(p, p) / static_cast<double>(base.size());
  if (!(s > kLeastTexture * kLeastTexture) || !(std::sqrt(s / single) > kClearOfNoise)) return std::nullopt;
  return s;
}

}  // namespace

bool Detail::elsewhere() const {
  return noiseFree && own > kPresent && *noiseFree + 3 * noiseFreeSigma < kElsewhere;
}

std::optional<Detail> detailOf(const LightnessFrames& take, const LightnessFrames& base) {
  if (!usable(take) || !usable(base) || base.frames.size() < kLeastFrames || take.width != base.width ||
      take.height != base.height)
    return std::nullopt;
  const Planes b = highPassed(base), o = highPassed(take);
  const auto texture = textureOf(b);
  if (!texture) return std::nullopt;
  const cv::Mat meanBase = meanOf(b, 0, 1), meanTake = meanOf(o, 0, 1);
  const Shift shift = shiftOf(meanTake, meanBase);
  Detail d;
  d.texture = std::sqrt(*texture);
  for (const auto& frame : o)
    d.single += covariance(meanBase, frame, shift.dx, shift.dy) /
                std::sqrt(*texture * std::max(1e-12, covariance(frame, frame))) /
                static_cast<double>(o.size());
  d.single = std::clamp(d.single, 0.0, 1.0);
  const double shared = covariance(meanBase, meanTake, shift.dx, shift.dy);
  d.gain = shared / *texture;
  if (o.size() < kLeastFrames) return d;
  const double own = covariance(meanOf(o, 0, 2), meanOf(o, 1, 2));
  d.noiseFree = own > 0 ? std::min(1.0, shared / std::sqrt(*texture * own)) : 0;
  d.own = std::sqrt(std::max(0.0, own) / *texture);
  // Sampling error of a correlation between averages over independent spots.
  const double spots = std::max(4.0, static_cast<double>(meanTake.total()) / kKernelArea);
  d.noiseFreeSigma = own > 0 ? std::sqrt(covariance(meanTake, meanTake) / own / spots) : 1;
  return d;
}

std::optional<Detail> detailOfBase(const LightnessFrames& base) {
  // Too few for halves: against all of itself, by a little too good.
  if (base.frames.size() < 2 * kLeastFrames) return detailOf(base, base);
  LightnessFrames halves[2];
  for (auto& h : halves) {
    h.width = base.width;
    h.height = base.height;
  }
  for (size_t i = 0; i < base.frames.size(); ++i) halves[i % 2].frames.push_back(base.frames[i]);
  return detailOf(halves[0], halves[1]);
}

}  // namespace edge
