#include "recover/reducer.h"

#include <algorithm>
#include <cmath>
#include <opencv2/imgproc.hpp>
#include <opencv2/photo.hpp>

namespace edge {
namespace {

constexpr Rung kLadder[] = {{"light, one frame", 0.02, 1},
                            {"light, three frames", 0.02, 3},
                            {"medium, three frames", 0.05, 3},
                            {"strong, five frames", 0.1, 5}};
constexpr int kTemplate = 3, kSearch = 9;  // pixels

// Luma and two colour differences of a frame, each reduced by itself.
using Ycc = std::array<cv::Mat, 3>;

Ycc asYcc(const CodeFrames& codes, size_t i) {
  const Vec3 w = lumaWeights(Primaries::Bt709);
  cv::Mat rgb[3];
  for (size_t c = 0; c < 3; ++c)
    rgb[c] = cv::Mat(codes.height, codes.width, CV_32F, const_cast<float*>(codes.frames[i][c].data()));
  const cv::Mat luma = w[0] * rgb[0] + w[1] * rgb[1] + w[2] * rgb[2];
  return {luma, cv::Mat(rgb[2] - luma), cv::Mat(rgb[0] - luma)};
}

std::array<std::vector<float>, 3> asCodes(const Ycc& ycc) {
  const Vec3 w = lumaWeights(Primaries::Bt709);
  const cv::Mat r = ycc[0] + ycc[2], b = ycc[0] + ycc[1];
  const cv::Mat g = (ycc[0] - w[0] * r - w[2] * b) / w[1];
  std::array<std::vector<float>, 3> out;
  for (const auto& [plane, c] : {std::pair(&r, 0), std::pair(&g, 1), std::pair(&b, 2)})
    out[static_cast<size_t>(c)].assign(plane->begin<float>(), plane->end<float>());
  return out;
}

// The library works on eight bits: each plane is stretched over them, so that a step is far below its noise.
Ycc reducedAt(const std::vector<Ycc>& all, int at, const Rung& rung) {
  Ycc out;
  for (size_t c = 0; c < 3; ++c) {
    double low = 1e9, high = -1e9;
    for (const auto& frame : all) {
      double least = 0, most = 0;
      cv::minMaxLoc(frame[c], &least, &most);
      low = std::min(low, least);
      high = std::max(high, most);
    }
    const double scale = 255 / std::max(high - low, 1e-6);
    std::vector<cv::Mat> planes(all.size());
    for (size_t f = 0; f < all.size(); ++f) all[f][c].convertTo(planes[f], CV_8U, scale, -low * scale);
    cv::Mat reduced;
    cv::fastNlMeansDenoisingMulti(planes, reduced, at, rung.frames, static_cast<float>(rung.strength * scale),
                                  kTemplate, kSearch);
    reduced.convertTo(out[c], CV_32F, 1 / scale, low);
  }
  return out;
}

double detailContrast(const cv::Mat& luma) {
  cv::Mat grey = luma.clone(), low;
  cv::GaussianBlur(grey, low, {}, kHighPassSigma, kHighPassSigma, cv::BORDER_REFLECT_101);
  grey -= low;
  cv::Scalar mean, sd;
  cv::meanStdDev(grey, mean, sd);
  return sd[0];
}

}  // namespace

std::span<const Rung> reducerLadder() {
  return kLadder;
}

CodeFrames reduced(const CodeFrames& codes, const Rung& rung, bool apart) {
  CodeFrames out;
  out.width = codes.width;
  out.height = codes.height;
  const int n = static_cast<int>(codes.frames.size()), reach = rung.frames / 2;
  if (n < rung.frames || codes.width < kSearch || codes.height < kSearch) return out;
  std::vector<Ycc> all;
  for (size_t i = 0; i < codes.frames.size(); ++i) all.push_back(asYcc(codes, i));
  const int step = apart ? rung.frames : 1;
  for (int at = reach; at + reach < n && static_cast<int>(out.frames.size()) < kReducedFrames; at += step)
    out.frames.push_back(asCodes(reducedAt(all, at, rung)));
  return out;
}

std::optional<double> smearOf(const CodeFrames& codes, const Rung& rung) {
  const int n = rung.frames, reach = n / 2, run = kSmearStep * (n - 1);
  const cv::Rect still(0, 0, codes.width - run, codes.height);
  if (static_cast<int>(codes.frames.size()) < n || still.width < 2 * kSearch || still.height < 2 * kSearch)
    return std::nullopt;
  std::vector<Ycc> standing, moving;
  const auto cropped = [&](const Ycc& whole, int x) {
    Ycc out;
    for (size_t c = 0; c < 3; ++c) out[c] = whole[c](still + cv::Point(x, 0)).clone();
    return out;
  };
  for (int i = 0; i < n; ++i) {
    const Ycc whole = asYcc(codes, static_cast<size_t>(i));
    standing.push_back(cropped(whole, kSmearStep * reach));
    moving.push_back(cropped(whole, kSmearStep * i));
  }
  const double kept = detailContrast(reducedAt(standing, reach, rung)[0]);
  const double left = detailContrast(reducedAt(moving, reach, rung)[0]);
  return kept > 0 ? std::optional(std::max(0.0, 1 - left / kept)) : std::nullopt;
}

}  // namespace edge
