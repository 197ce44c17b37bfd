#include "noise/readout.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <complex>
#include <nlohmann/json.hpp>
#include <numbers>

#include "base/json_numbers.h"
#include "base/numbers.h"
#include "base/parallel.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kTau = 2 * std::numbers::pi;
constexpr int kTrend = 4;  // terms of the polynomial a wall's shading is taken for
constexpr int kMostHarmonics = 6;
constexpr int kShortestPeriod = 6;      // samples
constexpr double kFewestPeriods = 1.5;  // in a frame
constexpr double kAsHigh = 0.85;    // of the highest peak of the autocorrelation: the period, not a multiple
constexpr double kLeastPeak = 0.3;  // of the autocorrelation, that is a period
constexpr double kLeastSure = 6;    // amplitude of the bars over its own error
constexpr double kStands = 0.02;    // periods a frame, up to which bars stand still (or swap)
constexpr double kAsExpected = 0.08;  // periods a frame
constexpr double kLonger = 1.02;      // than a frame: impossible

using Trace = Eigen::VectorXd;

// Each frame over its mean, the polynomial taken off.
Trace withoutTrend(const Trace& v) {
  const auto n = static_cast<int>(v.size());
  Eigen::MatrixXd terms(n, kTrend);
  for (int y = 0; y < n; ++y)
    for (int k = 0; k < kTrend; ++k) terms(y, k) = std::pow(2.0 * y / std::max(1, n - 1) - 1, k);
  return v - terms * terms.householderQr().solve(v);
}

struct Bars {
  double period = 0, sigma = 0;  // samples
  double sure = 0;               // amplitude over its error
  double contrast = 0;           // amplitude over the mean level
  std::vector<std::complex<double>> phasors;
};

// Lag of the first peak of the autocorrelation that is as high as any; 0: there is none.
double firstPeriod(const std::vector<Trace>& traces) {
  const auto n = static_cast<int>(traces[0].size());
  const int longest = static_cast<int>(n / kFewestPeriods);
  std::vector<double> r(static_cast<size_t>(longest) + 1);
  parallelFor(longest + 1, [&](int lag) {
    double sum = 0, power = 0;
    for (const auto& t : traces) {
      const int m = n - lag;
      sum += t.head(m).dot(t.tail(m));
      power += std::sqrt(t.head(m).squaredNorm() * t.tail(m).squaredNorm());
    }
    r[static_cast<size_t>(lag)] = power > 0 ? sum / power : 0;
  });
  double highest = 0;
  std::vector<int> peaks;
  for (int lag = kShortestPeriod; lag < longest; ++lag) {
    const auto k = static_cast<size_t>(lag);
    if (r[k] < kLeastPeak || r[k] < r[k - 1] || r[k] < r[k + 1]) continue;
    // The slope down from lag 0 is no peak: something lower must lie before it.
    if (*std::min_element(r.begin(), r.begin() + lag) > 0.5 * r[k]) continue;
    peaks.push_back(lag);
    highest = std::max(highest, r[k]);
  }
  for (int lag : peaks)
    if (r[static_cast<size_t>(lag)] >= kAsHigh * highest) return lag;
  return 0;
}

// Trend and harmonics at a period.
Eigen::MatrixXd termsOf(int n, double period, int harmonics) {
  Eigen::MatrixXd m(n, kTrend + 2 * harmonics);
  for (int y = 0; y < n; ++y) {
    for (int k = 0; k < kTrend; ++k) m(y, k) = std::pow(2.0 * y / std::max(1, n - 1) - 1, k);
    for (int h = 1; h <= harmonics; ++h) {
      m(y, kTrend + 2 * h - 2) = std::cos(kTau * h * y / period);
      m(y, kTrend + 2 * h - 1) = std::sin(kTau * h * y / period);
    }
  }
  return m;
}

struct Fit {
  double left = 0;  // sum of squares
  Eigen::MatrixXd coefficients;
};
Fit fitAt(const Eigen::MatrixXd& frames, double period, int harmonics) {
  const Eigen::MatrixXd terms = termsOf(static_cast<int>(frames.rows()), period, harmonics);
  const Eigen::MatrixXd c = terms.householderQr().solve(frames);
  return {(frames - terms * c).squaredNorm(), c};
}

// Least squares over the period, near where the autocorrelation has it.
std::optional<Bars> barsOf(const std::vector<Trace>& traces) {
  const double start = firstPeriod(traces);
  if (!(start > 0)) return std::nullopt;
  const auto n = static_cast<int>(traces[0].size());
  Eigen::MatrixXd frames(n, static_cast<int>(traces.size()));
  for (size_t t = 0; t < traces.size(); ++t) frames.col(static_cast<int>(t)) = traces[t];
  const int harmonics = std::clamp(static_cast<int>(0.45 * start), 1, kMostHarmonics);
  const auto left = [&](double frequency) { return fitAt(frames, 1 / frequency, harmonics).left; };
  // A tenth of a cycle over the frame is a step that misses no least value.
  const double step = 0.1 / (n * harmonics), from = 1 / (start + 1.5), to = 1 / (start - 1.5);
  double best = 1 / start, least = left(best);
  for (double f = from; f <= to; f += step)
    if (const double l = left(f); l < least) {
      least = l;
      best = f;
    }
  double width = step;
  for (int i = 0; i < 40; ++i, width *= 0.6)
    for (const double f : {best - width, best + width})
      if (const double l = left(f); l < least) {
        least = l;
        best = f;
      }
  const Fit fit = fitAt(frames, 1 / best, harmonics);
  const Eigen::MatrixXd residual = frames - termsOf(n, 1 / best, harmonics) * fit.coefficients;
  // Neighbouring rows of what is left hang together: they count for fewer.
  const double own = residual.squaredNorm();
  const double lag = residual.topRows(n - 1).cwiseProduct(residual.bottomRows(n - 1)).sum();
  const double rho = own > 0 ? std::clamp(lag / own, 0.0, 0.95) : 0;
  const double samples = static_cast<double>(frames.size());
  const double variance =
      own / std::max(1.0, samples - static_cast<double>(fit.coefficients.size()) - 1) * (1 + rho) / (1 - rho);
  Bars b;
  b.period = 1 / best;
  const double h = 0.02 / n;  // cycles a row, for the curvature
  const double curvature = (left(best - h) + left(best + h) - 2 * fit.left) / (h * h);
  const double frequencySigma = curvature > 0 ? std::sqrt(2 * variance / curvature) : best;
  b.sigma = frequencySigma / (best * best);
  double power = 0;
  for (int t = 0; t < frames.cols(); ++t) {
    const std::complex<double> c(fit.coefficients(kTrend, t), -fit.coefficients(kTrend + 1, t));
    b.phasors.push_back(c);
    power += std::norm(c) / static_cast<double>(frames.cols());
  }
  b.contrast = std::sqrt(power);
  b.sure = b.contrast / std::max(1e-12, std::sqrt(2 * variance / n));
  return b;
}

// Periods a frame by which the bars move down the phase, and its error.
std::pair<double, double> advanceOf(const std::vector<std::complex<double>>& c) {
  std::complex<double> sum = 0;
  for (size_t t = 0; t + 1 < c.size(); ++t) sum += c[t + 1] * std::conj(c[t]);
  const double mean = std::arg(sum);
  double squares = 0;
  for (size_t t = 0; t + 1 < c.size(); ++t)
    squares += std::pow(std::arg(c[t + 1] * std::conj(c[t]) * std::polar(1.0, -mean)), 2);
  const double n = static_cast<double>(c.size()) - 1;
  return {mean / kTau, std::sqrt(squares / std::max(1.0, n * (n - 1))) / kTau};
}

double around(double periods) {  // -0.5..0.5
  return periods - std::round(periods);
}

// From how the bars move against how a strobe of this frequency must make them move.
void findDirection(const Bars& bars, double fps, double strobeHz, Readout& r) {
  if (!(fps > 0) || bars.phasors.size() < 2) return;
  const double expected = around(strobeHz / fps);
  const auto [moved, error] = advanceOf(bars.phasors);
  const double down = std::abs(around(moved - expected)), up = std::abs(around(moved + expected));
  if (std::min(down, up) > std::max(kAsExpected, 4 * error)) {
    r.warnings.push_back(
        {"strobe-mismatch",
         fmt::format(
             "the bars move {} of a period a frame, a strobe of {} Hz would make it {}: is the frequency "
             "right, and the frame rate of {}?",
             formatNumber(std::abs(moved), 2), formatNumber(strobeHz, 2), formatNumber(std::abs(expected), 2),
             formatNumber(fps, 3)),
         ""});
    return;
  }
  if (std::abs(expected) < kStands || std::abs(expected) > 0.5 - kStands || std::abs(down - up) < 2 * error)
    return;
  r.direction = down < up ? ReadoutDirection::TopToBottom : ReadoutDirection::BottomToTop;
}

}  // namespace

const char* wordOf(ReadoutDirection d) {
  return d == ReadoutDirection::TopToBottom ? "top-to-bottom" : "bottom-to-top";
}

RowTraces measureRows(ClipReader& reader, const DecodeOptions& options, FrameWindow window,
                      const Progress& progress) {
  const Decoder decoder(reader.info().format, options);
  const int width = decoder.developedWidth(), height = decoder.developedHeight();
  RowTraces t{reader.info().fps, decoder.format().height, decoder.mosaic() ? 2.0 : 1.0, {}};
  const Vec3 w = lumaWeights(decoder.primaries());
  const FramesRead read = forEachFrame(reader, window, progress, [&](const Frame& frame) {
    std::vector<double> rows(static_cast<size_t>(height));
    parallelFor(height, [&](int y) {
      std::vector<float> rgb(3 * static_cast<size_t>(width));
      decoder.readRow(frame, y, 0, width, rgb.data(), nullptr, false);
      double sum = 0;
      for (size_t x = 0; x < rgb.size(); x += 3) sum += w[0] * rgb[x] + w[1] * rgb[x + 1] + w[2] * rgb[x + 2];
      rows[static_cast<size_t>(y)] = sum / width;
    });
    t.frames.push_back(std::move(rows));
  });
  t.missing = read.missing;
  return t;
}

Readout readoutOf(const RowTraces& traces, double strobeHz) {
  Readout r;
  warnOf(traces.missing, "", r.warnings);
  const auto nothing = [&](const char* code, std::string message) {
    r.warnings.push_back({code, std::move(message), ""});
    return r;
  };
  std::vector<Trace> still, moving;
  for (const auto& f : traces.frames) {
    const Trace v = Eigen::Map<const Trace>(f.data(), static_cast<Eigen::Index>(f.size()));
    const double mean = v.mean();
    if (!v.allFinite()) return nothing("no-bars", "a row is not a finite number");
    if (mean > 0) still.push_back(withoutTrend(v / mean));
  }
  if (still.empty() || still[0].size() < 4 * kShortestPeriod)
    return nothing("no-bars", "there is no light in the picture");
  // Over the mean of all frames, so that what stands before the lens does not shape them.
  Trace scene = Trace::Zero(still.empty() ? 0 : still[0].size());
  for (const auto& f : traces.frames) scene += Eigen::Map<const Trace>(f.data(), scene.size());
  scene /= std::max(1e-12, scene.mean());
  const bool allLit = still.size() == traces.frames.size();
  for (size_t t = 0; allLit && t + 1 < still.size(); ++t) {
    const auto level = [&](size_t i) {
      const Eigen::Map<const Trace> v(traces.frames[i].data(), scene.size());
      return Trace(v / v.mean());
    };
    moving.push_back(withoutTrend((level(t + 1) - level(t)).cwiseQuotient(scene.cwiseMax(0.02))));
  }
  // Differences of frames know nothing of what stands before the lens, but only moving bars are in them.
  auto best = barsOf(still);
  if (!moving.empty())
    if (auto b = barsOf(moving);
        b && b->sure > kLeastSure &&
        (!best || best->sure < kLeastSure || b->sigma / b->period < best->sigma / best->period))
      best = std::move(b);
  if (!best || best->sure < kLeastSure)
    return nothing(
        "no-bars",
        "no bars are found: is the strobe lit and fast enough for two bars a frame, the shutter far shorter "
        "than a flash period, and the field even? A global shutter shows none");
  r.contrast = best->contrast;
  r.rowsPerPeriod = best->period * traces.rowsPerSample;
  r.periodSigma = best->sigma * traces.rowsPerSample;
  r.milliseconds = 1000 * traces.rows / *r.rowsPerPeriod / strobeHz;
  r.millisecondsSigma = *r.milliseconds * r.periodSigma / *r.rowsPerPeriod;
  for (const auto& c : best->phasors) r.phases.push_back(std::arg(c) / kTau);
  if (traces.fps > 0 && *r.milliseconds > kLonger * 1000 / traces.fps)
    r.warnings.push_back(
        {"impossible-readout",
         fmt::format("{} ms is longer than a frame lasts ({} ms): the strobe's frequency or the frame "
                     "rate is not what was said",
                     formatNumber(*r.milliseconds, 2), formatNumber(1000 / traces.fps, 2)),
         ""});
  // The bars move by frames that follow each other.
  if (!traces.missing.firstDamaged) findDirection(*best, traces.fps, strobeHz, r);
  return r;
}

json readoutJson(const RowTraces& t, const Readout& r) {
  json j = {{"readout_ms", number(r.milliseconds)},
            {"sigma", r.milliseconds ? json(r.millisecondsSigma) : json()},
            {"rows_per_period", number(r.rowsPerPeriod)},
            {"rows_per_period_sigma", r.rowsPerPeriod ? json(r.periodSigma) : json()},
            {"rows", t.rows},
            {"fps", t.fps > 0 ? json(t.fps) : json()},
            {"contrast", r.contrast},
            {"direction", r.direction ? json(wordOf(*r.direction)) : json()},
            {"warnings", toJson(r.warnings)}};
  return j;
}

}  // namespace edge
