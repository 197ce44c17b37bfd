#include "measure/response.h"

#include <algorithm>
#include <cmath>
#include <numeric>

#include "measure/coding.h"
#include "measure/nonnegative_fit.h"

namespace edge {
namespace {

constexpr double kLinearBelow = 0.7;  // share of the clip level used for the line
constexpr double kUnityBelow = 0.8;   // and for the unity-slope line that meets the plateau
constexpr int kUnityPatches = 5;
constexpr double kClippedDeficit = 1.05;                   // the line predicts this much more than is there
constexpr double kShoulderFrom = 0.2, kShoulderTo = 0.93;  // shares of the top where a soft shoulder can be
constexpr double kSoftBelow = 0.6;                         // and the line then stands on levels below this
constexpr double kKneeStops = 0.05;
constexpr int kLinePatches = 5;        // least number that carry a line beside a shoulder
constexpr double kOtherLight = 0.3;    // stops: points further apart can't share a level but at the end
constexpr double kSameLevel = 0.005;   // relative
constexpr double kCollapsed = 0.5;     // of the variance of the next darker point
constexpr double kPiledUp = 0.5;       // share of samples on the highest code
constexpr double kDimmerSigmas = 4;    // of the chart, from which a dim first step is said
constexpr double kSpreadCodes = 0.5;   // noise, in codes, that spreads them over several
constexpr double kLeastSpread = 0.28;  // and that spreads them at all: 0.08 codes squared, centred on one
constexpr double kNoSpread = 0.01;     // codes squared

struct Line {
  double slope = 0, offset = 0, slopeSigma = 0, offsetSigma = 0;
  bool valid = false;
};

// Weighted least squares of mean = slope * light + offset over the chosen points.
Line fitLine(const ResponsePoints& p, const std::vector<size_t>& use, double black) {
  double sw = 0, sx = 0, sy = 0, sxx = 0, sxy = 0;
  for (size_t i : use) {
    const double model = 0.01 * (p.mean[i] - black);
    const double w =
        1 / (p.variance[i] / (p.samples[i] * p.frames[i]) + p.meanRounding[i] + model * model + 1e-30);
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

// Unity-slope line of the four or five patches below `ceiling`: log2 of its slope.
double unityLine(const ResponsePoints& p, double ceiling, double offset, const Line& line) {
  double sum = 0;
  int n = 0;
  for (size_t i = 0; i < p.mean.size() && n < kUnityPatches; ++i) {
    const double signal = p.mean[i] - offset;
    if (p.mean[i] >= ceiling || signal <= 3 * std::sqrt(p.variance[i])) continue;
    sum += std::log2(signal) - p.stops[i], ++n;
  }
  return n < 2 ? std::log2(line.slope) : sum / n;
}

// Patches below the plateau that fall short of the line: a soft shoulder. The lowest level of them, or
// nothing.
std::optional<double> shoulderLevel(const ResponsePoints& p, const Line& line, double top) {
  std::optional<double> lowest;
  for (size_t i = 0; i < p.mean.size(); ++i) {
    const double predicted = line.slope * p.light[i] + line.offset;
    const double error = std::hypot(2 * p.chartSigma[i] * std::log(2.0) * p.mean[i],
                                    std::sqrt(p.variance[i] / (p.samples[i] * p.frames[i])));
    const bool within = p.mean[i] > kShoulderFrom * top && p.mean[i] < kShoulderTo * top;
    if (within && predicted - p.mean[i] > std::max(2 * error, (kClippedDeficit - 1) * p.mean[i]))
      lowest = std::min(lowest.value_or(top), p.mean[i]);
  }
  return lowest;
}

// Where the deviation passes kKneeStops, between the two patches around it.
std::optional<Limit> kneeAt(const ResponsePoints& p, const Line& line, double ceiling) {
  double before = 0;
  for (size_t i = p.mean.size(); i-- > 0;) {  // from dark to bright
    const double signal = p.mean[i] - line.offset;
    if (p.mean[i] < kShoulderFrom * ceiling || !(signal > 0)) continue;
    const double off = std::log2(line.slope * p.light[i] / signal);
    if (off >= kKneeStops && i + 1 < p.mean.size()) {
      const double share = (kKneeStops - before) / std::max(1e-9, off - before),
                   gap = p.stops[i] - p.stops[i + 1];
      return Limit{p.stops[i + 1] + std::clamp(share, 0.0, 1.0) * gap, gap / std::sqrt(12.0), false};
    }
    before = off;
  }
  return std::nullopt;
}

std::vector<bool> shortPoints(const ResponsePoints& p, const Line& line, double top) {
  std::vector<bool> falls(p.mean.size());
  for (size_t i = 0; i < p.mean.size(); ++i)
    falls[i] = line.slope * p.light[i] + line.offset > kClippedDeficit * p.mean[i] && p.mean[i] > 0.93 * top;
  return falls;
}

// A second point at the same level although their light differs.
bool sharesLevel(const ResponsePoints& p, size_t i) {
  for (size_t j = 0; j < p.mean.size(); ++j) {
    const double apart = std::abs(p.stops[i] - p.stops[j]);
    const double error = 4 * std::sqrt((p.variance[i] + p.variance[j]) / (p.samples[i] * p.frames[i]));
    if (j != i && apart > std::max(kOtherLight, 4 * std::hypot(p.chartSigma[i], p.chartSigma[j])) &&
        std::abs(p.mean[i] - p.mean[j]) < kSameLevel * p.mean[i] + error)
      return true;
  }
  return false;
}

// Noise rises with light; where it falls to less than half, or the codes pile up at their top although noise
// should spread them, something cut it.
bool isCut(const ResponsePoints& p, const std::vector<bool>& falls, size_t i) {
  size_t next = i + 1;
  while (next < p.mean.size() && falls[next]) ++next;
  if (next == p.mean.size() || p.quantised[next]) return false;
  const double expected = p.variance[next], step2 = p.step[i] * p.step[i];
  // A narrow spread of codes can fall on one of them by chance down to this share of a code squared.
  if (step2 > 0 && expected < kSpreadCodes * kSpreadCodes * step2)
    return expected > kLeastSpread * kLeastSpread * step2 && p.changes[i] < kNoSpread * step2;
  return p.changes[i] < kCollapsed * expected || p.topShare[i] > kPiledUp;
}

bool atFormatEnd(const ResponsePoints& p, size_t i) {
  if (!(p.levels > 0) || !(p.formatTop > 0)) return false;
  const double near = 1.5 / p.levels;
  return p.code[i] > p.formatTop - near || std::abs(p.code[i] - 1) < near;
}

std::vector<bool> clippedPoints(const ResponsePoints& p, const Line& line, double top) {
  std::vector<bool> falls = shortPoints(p, line, top);
  bool proof = p.clipKnown;
  for (size_t i = 0; i < falls.size() && !proof; ++i)
    proof = falls[i] && (sharesLevel(p, i) || isCut(p, falls, i) || atFormatEnd(p, i));
  if (!proof) std::fill(falls.begin(), falls.end(), false);
  return falls;
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

std::vector<size_t> brightestFirst(const WedgeMeasure& w) {
  std::vector<size_t> order(w.patches.size());
  std::iota(order.begin(), order.end(), size_t{0});
  std::stable_sort(order.begin(), order.end(),
                   [&](size_t a, size_t b) { return w.patches[a].stops > w.patches[b].stops; });
  return order;
}

ResponsePoints pointsOf(const WedgeMeasure& w, int channel, double varianceFactor, bool withFixed,
                        const std::vector<double>& shading) {
  ResponsePoints p;
  p.levels = w.levels, p.formatTop = w.topCode;
  for (size_t i : brightestFirst(w)) {
    const PatchMeasure& patch = w.patches[i];
    const ChannelMeasure& c = patch.channel[channel];
    p.patch.push_back(i);
    p.stops.push_back(patch.stops), p.light.push_back(std::exp2(patch.stops));
    p.mean.push_back(c.mean - (i < shading.size() ? shading[i] : 0)), p.samples.push_back(c.samples);
    p.frames.push_back(static_cast<double>(w.frames));
    p.chartSigma.push_back(patch.stopsSigma);
    p.meanRounding.push_back(c.meanRounding);
    const bool limited = c.quantisation == Quantisation::Limited;
    double variance = (c.variance - (limited ? 0 : c.quantisationVariance)) * varianceFactor;
    if (withFixed)
      for (const auto& fixed : {c.fixedVariance, c.fixedRowVariance, c.fixedColumnVariance})
        variance += std::max(0.0, fixed.value_or(0));
    p.changes.push_back(c.variance);
    p.coding.push_back(w.lossyCodec.empty() ? 0 : leftByCoding(patch.coefficients));
    variance *= std::exp(-c.secondOrder);
    p.bend.push_back(c.secondOrder);
    // Noise that rounding hides is anywhere below what rounding alone would look like.
    if (limited) variance = std::max(variance, c.step * c.step / 12 * varianceFactor);
    p.variance.push_back(std::max(variance, 1e-24));
    p.quantised.push_back(limited);
    p.code.push_back(c.code), p.topCode.push_back(c.topCode), p.topShare.push_back(c.topShare);
    p.step.push_back(c.step), p.trust.push_back(limited ? NoiseTrust::Quantised : NoiseTrust::Known);
  }
  return p;
}

Response fitResponse(const ResponsePoints& p, std::optional<double> black) {
  Response r;
  const double top = *std::max_element(p.mean.begin(), p.mean.end());
  r.ceiling = kLinearBelow * top;
  Line line = fitBelow(p, r.ceiling, black);
  for (int round = 0; line.valid && round < 6; ++round) {
    const auto level = shoulderLevel(p, line, top);
    const double ceiling = level ? std::min({r.ceiling, *level, kSoftBelow * top}) : r.ceiling;
    if (ceiling >= r.ceiling && round > 0) break;
    const auto carried = std::count_if(p.mean.begin(), p.mean.end(), [&](double m) { return m < ceiling; });
    if (!level || carried < kLinePatches) break;
    const Line lower = fitBelow(p, ceiling, black);
    if (!lower.valid) break;
    line = lower, r.ceiling = ceiling;
    r.knee = kneeAt(p, line, r.ceiling);
  }
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
    // Dimmer than its calibration: so much less light was there, and "at least" counts from that.
    const double signal = p.mean.front() - r.offset;
    const double dimmer = signal > 0 ? std::log2(r.slope * p.light.front() / signal) : 0;
    if (dimmer > kDimmerSigmas * p.chartSigma.front() && p.light.front() > 0 && !r.knee) r.dimmer = dimmer;
    r.clip = {p.stops.front() - std::max(0.0, dimmer), p.chartSigma.front(), true};
    return r;
  }
  r.plateau = plateauOf(p, r.clipped, top);
  const double signal = *r.plateau - r.offset;
  r.clip.stops =
      std::log2(signal) - unityLine(p, r.knee ? r.ceiling : kUnityBelow * *r.plateau, r.offset, line);
  return r;
}

NoiseModel fitNoiseModel(const ResponsePoints& p, const Response& r) {
  std::vector<std::vector<double>> rows;  // 1, E, E^2, each over v: relative residuals
  for (size_t i = 0; i < p.mean.size(); ++i) {
    const double snr = r.slope * p.light[i] / std::sqrt(p.variance[i]);
    const bool low = r.plateau && p.mean[i] >= kLinearBelow * *r.plateau;
    if (r.clipped[i] || low || snr <= 3 || snr >= 200 || p.trust[i] != NoiseTrust::Known) continue;
    const double v = p.variance[i] / (r.slope * r.slope), e = p.light[i];
    rows.push_back({1 / v, e / v, e * e / v});
  }
  if (rows.size() < 3) return {};
  const auto fit = nonNegativeFit(rows, std::vector<double>(rows.size(), 1));
  return fit ? NoiseModel{(*fit)[0], (*fit)[1], (*fit)[2], true} : NoiseModel();
}

}  // namespace edge
