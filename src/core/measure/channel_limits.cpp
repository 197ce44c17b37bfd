#include "measure/channel_limits.h"

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "measure/trust.h"

namespace edge {
namespace {

constexpr double kClampSkewness = 0.3;
constexpr double kModelledSigma = 0.015;  // stops, of a limit read from noise modelled below a clamp
constexpr double kLimitedSigma =
    0.7;  // log2 of a noise below a quarter of a code: not known to a factor of two
constexpr double kLeastChartSigma = 1e-3;  // stops: no chart is exact, whatever its file states
// What a lossy codec leaves of the variance of noise it codes well differs by codec and quantiser: 0.7
// to 1.4, found on intra-frame codecs at two to four bits a pixel (docs/method.md, "Lossy codecs").
constexpr double kCodecShared = 0.12;  // sd of ln variance, of all patches alike
constexpr double kCodecOwn = 0.12;     // and from patch to patch
constexpr double kCodecDoubt = 0.7;    // of what is put back for coding, of each patch and of all alike
constexpr int kTransparentPatches = 4;
constexpr double kBendKnown = 0.5;   // error of the second order, as a share of what was taken off
constexpr double kLeastSlope = 0.3;  // of log2 SNR against stops
constexpr double kStrongSnr = 10;    // steps that tell how the chart scatters
const double kLn2 = std::log(2.0);

struct Lower {
  double stops = 0;
  bool atLeast = false;
  double slope = 1;
  double limited = 0;  // share of the two steps whose noise rounding hides
};

struct Solution {
  Response response;
  NoiseModel model;
  bool clamped = false;
  std::vector<NoiseTrust> trust;            // by point
  std::vector<double> snr;                  // by point; 0 where nothing is known
  std::vector<std::optional<Lower>> lower;  // by threshold
};

// log2 SNR between two steps: the noise model gives the shape, and what the two steps differ from it is
// shared out evenly; without a model a straight line.
Lower between(const ResponsePoints& p, const NoiseModel& model, size_t bright, size_t dark, double high,
              double low, double want) {
  const double gap = p.stops[bright] - p.stops[dark];
  const auto shape = [&](double stops) {
    const double e = std::exp2(stops), v = model.valid ? model.varianceAt(e) : 0;
    return v > 0 ? stops - std::log2(v) / 2 : 0;
  };
  const double top = high - shape(p.stops[bright]), bottom = low - shape(p.stops[dark]);
  const auto at = [&](double share) {
    return shape(p.stops[bright] - share * gap) + top + share * (bottom - top);
  };
  // False position with halved weights (Illinois): few steps on a curve that is nearly straight.
  double a = 0, b = 1, fa = high - want, fb = low - want, share = 0;
  for (int i = 0; i < 12; ++i) {
    share = fa > fb ? (a * fb - b * fa) / (fb - fa) : 0;
    const double f = at(share) - want;
    if (std::abs(f) < 1e-7) break;
    if (f > 0)
      a = share, fa = f, fb /= 2;
    else
      b = share, fb = f, fa /= 2;
  }
  return {p.stops[bright] - share * gap, false, std::max(kLeastSlope, (high - low) / gap),
          (p.quantised[bright] ? 1 - share : 0) + (p.quantised[dark] ? share : 0)};
}

// From bright to dark, between the patches that bracket the threshold. Nothing where no patch is above it;
// "at least" where the chart, or what is known of the noise, ends first.
std::optional<Lower> lowerAt(const ResponsePoints& p, const Solution& s, double threshold) {
  std::optional<size_t> last;
  const auto open = [&] { return Lower{p.stops[*last], true, 1}; };
  for (size_t i = 0; i < s.snr.size(); ++i) {
    if (s.response.clipped[i]) continue;
    if (p.trust[i] == NoiseTrust::Removed) {
      if (last) return open();
      continue;
    }
    if (s.snr[i] >= threshold) {
      last = i;
      continue;
    }
    if (!last) {
      if (p.trust[i] == NoiseTrust::Quantised) continue;
      return std::nullopt;
    }
    // Rounding hides it: how far below it lies is not known.
    if (p.trust[i] == NoiseTrust::Quantised) return open();
    return between(p, s.model, *last, i, std::log2(s.snr[*last]), std::log2(std::max(s.snr[i], 1e-6)),
                   std::log2(threshold));
  }
  return last ? std::optional(open()) : std::nullopt;
}

// A clamp cuts the noise below black: its skewness beyond that of photons shows it, cap-on or in every patch
// below SNR 1 (rounding of a noise of one code can skew a single one).
bool isClamped(const WedgeMeasure& w, const ChannelQuestion& q, const ResponsePoints& p, const Solution& s) {
  if (q.channelClamped) return true;
  if (q.black) return q.black->skewness > kClampSkewness;
  if (!(s.response.slope > 0)) return false;
  for (size_t i = p.light.size(); i-- > 0;) {
    const bool darkest = i + 1 == p.light.size();
    if (s.response.slope * p.light[i] >= std::sqrt(p.variance[i])) return !darkest;
    const double v = s.model.valid ? s.model.varianceAt(p.light[i]) : 0;
    const double photons = v > 0 ? p.light[i] * s.model.photon * s.model.photon / std::pow(v, 1.5) : 0;
    const double skewness = w.patches[p.patch[i]].channel[q.channel].skewness - photons;
    if (!(skewness > (darkest ? kClampSkewness : kClampSkewness / 2))) return false;
  }
  return true;
}

// What quantising took of the noise that a codec kept.
void undoCoding(ResponsePoints& p) {
  for (size_t i = 0; i < p.variance.size(); ++i)
    if (p.trust[i] == NoiseTrust::Known) p.variance[i] *= std::exp(-p.coding[i]);
}

// Noise of what a codec has changed, from the model of what it has not; nothing below the last of these: what
// quantising took of them leans on the model where it reaches out.
void modelCoded(ResponsePoints& p, const Solution& s) {
  const auto known = [](NoiseTrust t) { return t == NoiseTrust::Known; };
  const bool enough =
      s.model.valid && std::count_if(p.trust.begin(), p.trust.end(), known) >= kTransparentPatches;
  std::optional<double> darkest;
  for (size_t i = 0; i < p.trust.size(); ++i)
    if (known(p.trust[i]) && !s.response.clipped[i]) darkest = p.stops[i];
  const double slope = s.response.slope;
  for (size_t i = 0; i < p.trust.size(); ++i) {
    if (known(p.trust[i])) continue;
    const bool within = enough && darkest && p.stops[i] > *darkest;
    if (within) p.variance[i] = s.model.varianceAt(p.light[i]) * slope * slope;
    p.trust[i] = within ? NoiseTrust::Known : NoiseTrust::Removed;
  }
}

// `base`: what stands already of the same points, to be kept when they are moved a little. Trust and variance
// of the points are changed on the way.
Solution solve(const WedgeMeasure& w, const ChannelQuestion& q, ResponsePoints& p, const Solution* base) {
  Solution s;
  s.response = fitResponse(p, q.black ? std::optional(q.black->mean) : std::nullopt);
  if (base) {
    s.clamped = base->clamped, p.trust = base->trust;
  } else {
    s.model = fitNoiseModel(p, s.response);
    s.clamped = isClamped(w, q, p, s);
    judgeNoise(w, q.channel, s.response, s.clamped, p);
  }
  s.trust = p.trust;
  if (q.beforeCoding) undoCoding(p);
  s.model = fitNoiseModel(p, s.response);
  if (q.beforeCoding) modelCoded(p, s);
  const double slope = s.response.slope;
  for (size_t i = 0; i < p.light.size(); ++i) {
    const double signal = std::max(0.0, slope * p.light[i]);
    double variance = p.variance[i];
    if (s.clamped && s.model.valid && signal < 3 * std::sqrt(variance))
      variance = s.model.varianceAt(p.light[i]) * slope * slope;
    s.snr.push_back(p.trust[i] == NoiseTrust::Removed ? 0 : signal / std::sqrt(variance));
  }
  for (double t : q.thresholds) s.lower.push_back(slope > 0 ? lowerAt(p, s, t) : std::nullopt);
  return s;
}

void move(ResponsePoints& p, size_t i, double stops) {
  p.stops[i] += stops, p.light[i] = std::exp2(p.stops[i]);
}

double greyOf(const Solution& s) {
  return s.response.slope > 0 ? std::log2(kMiddleGrey / s.response.slope) : 0;
}

ResponsePoints pointsFor(const WedgeMeasure& w, const ChannelQuestion& q) {
  ResponsePoints p = pointsOf(w, q.channel, q.varianceFactor, q.withFixed, q.shading);
  p.clipKnown = q.clipKnown;
  return p;
}

class Propagation {
 public:
  Propagation(const WedgeMeasure& w, const ChannelQuestion& q)
      : w_(w), q_(q), points_(pointsFor(w, q)), moved_(points_), base_(solve(w, q, moved_, nullptr)) {}

  ChannelLimits run() {
    const size_t n = points_.patch.size();
    out_.clip = start(base_.response.clip.stops, base_.response.clip.atLeast);
    out_.grey = start(greyOf(base_), false);
    for (size_t t = 0; t < q_.thresholds.size(); ++t)
      if (base_.lower[t])
        out_.lower[q_.thresholds[t]] = start(base_.lower[t]->stops, base_.lower[t]->atLeast);
    for (size_t i = 0; i < n; ++i) {
      const size_t k = points_.patch[i], own = n + 2 * (n * static_cast<size_t>(q_.channel) + k);
      const double variance = points_.variance[i];
      const double dof = points_.samples[i] * std::max(1.0, points_.frames[i] - 1);
      // White noise: 2/dof; of filtered noise fewer samples are independent.
      const double inflation = (1 + std::max(1.0, w_.filtering[q_.channel].inflation)) / 2;
      const double meanSigma = std::sqrt(variance / (points_.samples[i] * points_.frames[i]) +
                                         (base_.response.clipped[i] ? 0 : points_.meanRounding[i]));
      vary(k, q_.chartScale * std::max(points_.chartSigma[i], kLeastChartSigma),
           [&](ResponsePoints& p, double h) { move(p, i, h); });
      vary(own, meanSigma, [&](ResponsePoints& p, double h) { p.mean[i] += h; });
      vary(own + 1,
           std::hypot(std::sqrt(2 * inflation / dof),
                      q_.beforeCoding ? std::hypot(kCodecOwn, kCodecDoubt * points_.coding[i]) : 0,
                      kBendKnown * points_.bend[i]),
           [&](ResponsePoints& p, double h) { p.variance[i] *= std::exp(h); });
    }
    addExtras();
    return finish();
  }

 private:
  [[nodiscard]] Traced start(double stops, bool atLeast) const {
    return {stops, atLeast, std::vector<double>(points_.patch.size() * (1 + 2 * kMeasured)), 0};
  }

  template <class Move>
  void vary(size_t source, double sigma, Move move) {
    if (!(sigma > 0)) return;
    constexpr double kHalf = 0.5;
    Solution s[2];
    for (int side : {0, 1}) {
      moved_ = points_;
      move(moved_, side ? kHalf * sigma : -kHalf * sigma);
      s[side] = solve(w_, q_, moved_, &base_);
    }
    const auto note = [&](Traced& t, double low, double high, bool same) {
      if (same) t.parts[source] += (high - low) / (2 * kHalf);
    };
    const auto same = [&](bool a, bool b, const Traced& t) { return a == t.atLeast && b == t.atLeast; };
    note(out_.clip, s[0].response.clip.stops, s[1].response.clip.stops,
         same(s[0].response.clip.atLeast, s[1].response.clip.atLeast, out_.clip));
    note(out_.grey, greyOf(s[0]), greyOf(s[1]), true);
    slope_ += std::pow((s[1].response.slope - s[0].response.slope) / (2 * kHalf), 2);
    offset_ += std::pow((s[1].response.offset - s[0].response.offset) / (2 * kHalf), 2);
    for (size_t t = 0; t < q_.thresholds.size(); ++t) {
      if (!base_.lower[t] || !s[0].lower[t] || !s[1].lower[t]) continue;
      Traced& lower = out_.lower[q_.thresholds[t]];
      note(lower, s[0].lower[t]->stops, s[1].lower[t]->stops,
           same(s[0].lower[t]->atLeast, s[1].lower[t]->atLeast, lower));
    }
  }

  // Of ln variance, of all patches alike.
  [[nodiscard]] double codecShared() const {
    double sum = 0, n = 0;
    for (size_t i = 0; i < points_.patch.size(); ++i)
      if (base_.trust[i] == NoiseTrust::Known && !base_.response.clipped[i])
        sum += std::abs(points_.coding[i]), n += 1;
    return std::hypot(kCodecShared, n > 0 ? kCodecDoubt * sum / n : 0);
  }

  void addExtras() {
    // Clipped patches share one code: its rounding moves them all alike.
    double rounding = 0;
    for (size_t i = 0; i < points_.patch.size(); ++i)
      if (base_.response.clipped[i]) rounding = std::max(rounding, points_.meanRounding[i]);
    if (base_.response.plateau && !out_.clip.atLeast) {
      const double signal = *base_.response.plateau - base_.response.offset;
      out_.clip.extra += rounding / std::pow(signal * kLn2, 2);
    }
    for (size_t t = 0; t < q_.thresholds.size(); ++t) {
      if (!base_.lower[t]) continue;
      const double shared = std::hypot(q_.factorSigma, q_.beforeCoding ? codecShared() : 0);
      const double factor = shared / 2 / kLn2 / base_.lower[t]->slope;
      const double limited = kLimitedSigma * base_.lower[t]->limited / base_.lower[t]->slope;
      out_.lower[q_.thresholds[t]].extra +=
          factor * factor + limited * limited + (base_.clamped ? kModelledSigma * kModelledSigma : 0);
    }
  }

  ChannelLimits finish() {
    ChannelRange& r = out_.range;
    r.usable = q_.channel == kY || !w_.subsampled;
    r.slope = base_.response.slope, r.offset = base_.response.offset;
    r.slopeSigma = std::sqrt(slope_), r.offsetSigma = std::sqrt(offset_);
    r.clamped = base_.clamped, r.model = base_.model, r.knee = base_.response.knee;
    r.clip = out_.clip.limit();
    r.snr.assign(w_.patches.size(), 0);
    r.trust.assign(w_.patches.size(), NoiseTrust::Known);
    for (size_t i = 0; i < points_.patch.size(); ++i)
      r.snr[points_.patch[i]] = base_.snr[i], r.trust[points_.patch[i]] = base_.trust[i];
    r.dimmer = base_.response.dimmer;
    if (!r.usable || !(r.slope > 0)) out_.lower.clear();
    for (const auto& [t, lower] : out_.lower)
      r.lower[t] = lower.limit(), r.range[t] = minus(out_.clip, lower).limit();
    return std::move(out_);
  }

  const WedgeMeasure& w_;
  const ChannelQuestion& q_;
  ResponsePoints points_, moved_;  // moved_: kept for its room
  Solution base_;
  ChannelLimits out_;
  double slope_ = 0, offset_ = 0;  // variances
};

}  // namespace

Limit Traced::limit() const {
  double v = extra;
  for (double p : parts) v += p * p;
  return {stops, std::sqrt(v), atLeast};
}

Traced fixedAt(double stops) {
  return {stops, false, {}, 0};
}

Traced minus(const Traced& upper, const Traced& lower) {
  Traced d{upper.stops - lower.stops, upper.atLeast || lower.atLeast, upper.parts, upper.extra + lower.extra};
  if (d.parts.size() < lower.parts.size()) d.parts.resize(lower.parts.size());
  for (size_t i = 0; i < lower.parts.size(); ++i) d.parts[i] -= lower.parts[i];
  return d;
}

ChannelLimits limitsOf(const WedgeMeasure& wedge, const ChannelQuestion& question) {
  return Propagation(wedge, question).run();
}

ChartScatter chartScatter(const WedgeMeasure& w, int channel) {
  const ResponsePoints p = pointsOf(w, channel, 1, false);
  const Response r = fitResponse(p, std::nullopt);
  ChartScatter s;
  double squares = 0, raw = 0, products = 0, previous = 0;
  for (size_t i = 0; i < p.mean.size(); ++i) {
    const double signal = p.mean[i] - r.offset;
    if (!(r.slope > 0) || !(signal > 0) || p.mean[i] >= r.ceiling ||
        signal < kStrongSnr * std::sqrt(p.variance[i]))
      continue;
    const double off = std::log2(signal / (r.slope * p.light[i]));
    const double own =
        (p.variance[i] / (p.samples[i] * p.frames[i]) + p.meanRounding[i] + r.offsetSigma * r.offsetSigma) /
        std::pow(signal * kLn2, 2);
    const double stated = std::max(p.chartSigma[i], kLeastChartSigma);
    squares += (off * off - own) / (stated * stated), raw += off * off - own;
    if (s.patches) products += off * previous;
    previous = off, ++s.patches;
  }
  if (s.patches < 6) return s;
  const double dof = s.patches - 1;
  s.stops = std::sqrt(std::max(0.0, raw) / dof);
  s.drift = raw > 0 ? products / raw : 0;
  s.scale = std::sqrt(std::max(1 + squares, 0.02) / (1 + dof));
  return s;
}

}  // namespace edge
