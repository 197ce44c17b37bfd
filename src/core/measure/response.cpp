#include "measure/response.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "measure/nonnegative_fit.h"

namespace edge {
namespace {

constexpr double kLinearBelow = 0.7;  // share of the clip level used for the line
constexpr double kUnityBelow = 0.8;   // and for the unity-slope line that meets the plateau
constexpr int kUnityPatches = 5;
constexpr double kClippedDeficit = 1.05;  // the line predicts this much more than is there

struct Line {
  double slope = 0, offset = 0, slopeSigma = 0, offsetSigma = 0;
  bool valid = false;
};

// Weighted least squares of mean = slope * light + offset over the chosen points.
Line fitLine(const ResponsePoints& p, const std::vector<size_t>& use, double black) {
  double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (size_t i : use) {
    const double model = 0.01 * (p.mean[i] - black);
    const double w = 1 / (p.variance[i] / (p.samples[i] * p.frames[i]) + model * model + 1e-30);
    sw += w, sx += w * p.light[i], sy += w * p.mean[i];
    sxx += w * p.light[i] * p.light[i], sxy += w * p.light[i] * p.mean[i];
  }
  const double det = sw * sxx - sx * sx;
  Line l;
  if (use.size() < 2 || !(det > 1e-14 * sw * sxx)) return l;
  l.slope = (sw * sxy - sx * sy) / det;
  l.offset = (sxx * sy - sx * sxy) / det;
  l.slopeSigma = std::sqrt(sw / det), l.offsetSigma = std::sqrt(sxx / det);
  l.valid = l.slope > 0;
  return l;
}

// The line of the points below `ceiling`: all of them first, for the offset; then the slope from SNR >= 3
// only.
Line fitBelow(const ResponsePoints& p, double ceiling, std::optional<double> black) {
  std::vector<size_t> use;
  for (size_t i = 0; i < p.mean.size(); ++i)
    if (p.mean[i] < ceiling) use.push_back(i);
  Line l =
      fitLine(p, use, black.value_or(p.mean.empty() ? 0 : *std::min_element(p.mean.begin(), p.mean.end())));
  if (!l.valid) return l;
  l = fitLine(p, use, black.value_or(l.offset));
  if (!l.valid) return l;
  std::vector<size_t> strong;
  for (size_t i : use)
    if (l.slope * p.light[i] >= 3 * std::sqrt(p.variance[i])) strong.push_back(i);
  if (strong.size() < 3) return l;
  const Line refit = fitLine(p, strong, black.value_or(l.offset));
  if (!refit.valid) return l;
  l.slope = refit.slope, l.slopeSigma = refit.slopeSigma;
  return l;
}

// Unity-slope line of the four or five patches below 0.8 plateau: log2 of its slope and the standard error.
Limit unityLine(const ResponsePoints& p, double plateau, double offset, const Line& line) {
  double sum = 0, squares = 0, chart = 0;
  int n = 0;
  for (size_t i = 0; i < p.mean.size() && n < kUnityPatches; ++i) {
    const double signal = p.mean[i] - offset;
    if (p.mean[i] >= kUnityBelow * plateau || signal <= 3 * std::sqrt(p.variance[i])) continue;
    const double b = std::log2(signal) - p.stops[i];
    sum += b, squares += b * b, chart += p.chartSigma[i] * p.chartSigma[i], ++n;
  }
  if (n < 2) return {std::log2(line.slope), line.slopeSigma / line.slope / std::log(2.0), false};
  const double scatter = std::sqrt(std::max(0.0, squares / n - sum * sum / n / n) / (n - 1));
  return {sum / n, std::max(scatter, std::sqrt(chart) / n), false};
}

std::vector<bool> clippedPoints(const ResponsePoints& p, const Line& line, double top) {
  std::vector<bool> clipped(p.mean.size());
  for (size_t i = 0; i < p.mean.size(); ++i)
    clipped[i] =
        line.slope * p.light[i] + line.offset > kClippedDeficit * p.mean[i] && p.mean[i] > 0.93 * top;
  return clipped;
}

// Level of the clipped patches: the mean of those that lie together at the top.
double plateauOf(const ResponsePoints& p, const std::vector<bool>& clipped, double top) {
  double sum = 0;
  int n = 0;
  for (size_t i = 0; i < p.mean.size(); ++i)
    if (clipped[i] && p.mean[i] > 0.995 * top) sum += p.mean[i], ++n;
  return n ? sum / n : top;
}

}  // namespace

ResponsePoints pointsOf(const WedgeMeasure& w, int channel, double varianceFactor) {
  ResponsePoints p;
  std::vector<size_t> order(w.patches.size());
  std::iota(order.begin(), order.end(), size_t{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](size_t a, size_t b) { return w.patches[a].stops > w.patches[b].stops; });
  for (size_t i : order) {
    const PatchMeasure& patch = w.patches[i];
    const ChannelMeasure& c = patch.channel[channel];
    p.patch.push_back(i);
    p.stops.push_back(patch.stops), p.light.push_back(std::exp2(patch.stops));
    p.mean.push_back(c.mean), p.samples.push_back(c.samples);
    p.frames.push_back(static_cast<double>(w.frames));
    p.chartSigma.push_back(patch.stopsSigma);
    const bool limited = c.quantisation == Quantisation::Limited;
    p.variance.push_back(
        std::max((c.variance - (limited ? 0 : c.quantisationVariance)) * varianceFactor, 1e-24));
    p.quantised.push_back(limited);
  }
  return p;
}

Response fitResponse(const ResponsePoints& p, std::optional<double> black) {
  Response r;
  const double top = *std::max_element(p.mean.begin(), p.mean.end());
  const Line line = fitBelow(p, kLinearBelow * top, black);
  r.slope = line.slope, r.offset = line.offset;
  r.slopeSigma = line.slopeSigma, r.offsetSigma = line.offsetSigma;
  if (!line.valid) {
    r.clipped.assign(p.mean.size(), false);
    r.clip = {p.stops.front(), 0, true};
    return r;
  }
  r.clipped = clippedPoints(p, line, top);
  const bool any = std::find(r.clipped.begin(), r.clipped.end(), true) != r.clipped.end();
  if (!any) {
    r.clip = {p.stops.front(), p.chartSigma.front(), true};
    return r;
  }
  r.plateau = plateauOf(p, r.clipped, top);
  const Limit unity = unityLine(p, *r.plateau, r.offset, line);
  const double signal = *r.plateau - r.offset;
  const double offsetPart = r.offsetSigma / signal / std::log(2.0);
  r.clip = {std::log2(signal) - unity.stops, std::hypot(unity.sigma, offsetPart), false};
  return r;
}

NoiseModel fitNoiseModel(const ResponsePoints& p, const Response& r) {
  std::vector<std::vector<double>> rows;  // 1, E, E^2, each over v: relative residuals
  for (size_t i = 0; i < p.mean.size(); ++i) {
    const double snr = r.slope * p.light[i] / std::sqrt(p.variance[i]);
    const bool low = r.plateau && p.mean[i] >= kLinearBelow * *r.plateau;
    if (r.clipped[i] || low || snr <= 3 || snr >= 200 || p.quantised[i]) continue;
    const double v = p.variance[i] / (r.slope * r.slope), e = p.light[i];
    rows.push_back({1 / v, e / v, e * e / v});
  }
  if (rows.size() < 3) return {};
  const auto fit = nonNegativeFit(rows, std::vector<double>(rows.size(), 1));
  return fit ? NoiseModel{(*fit)[0], (*fit)[1], (*fit)[2], true} : NoiseModel();
}

}  // namespace edge
