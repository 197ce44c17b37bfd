#include "shoot/take_checks.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>
#include <opencv2/imgproc.hpp>

#include "base/numbers.h"
#include "base/parallel.h"
#include "media/clip.h"
#include "recover/series.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr int kMaxSide = 960;
// Tolerances, in the unit of each check.
constexpr double kExposure = 0.25, kBase = 0.1, kDrift = 0.05, kFlicker = 0.012, kBalance = 0.06,
                 kFraming = 2, kFocus = 0.85, kUneven = 0.15, kFiltered = 0.15;
constexpr double kTelling = 4;     // standard errors that a figure must stand from its tolerance-free value
constexpr int kFlickerFrames = 4;  // fewer tell no flicker from drift
constexpr double kFocusSigma = 0.05;
constexpr double kBalanceSnr = 3;  // below it a log curve and filtered chroma misplace the mean of a channel
constexpr double kHighPass = 2;    // pixels of the reduced picture

cv::Mat view(const LumaPicture& p) {
  return {p.height, p.width, CV_32F, const_cast<float*>(p.luma.data())};
}

cv::Mat highPassed(const cv::Mat& m) {
  cv::Mat low;
  cv::GaussianBlur(m, low, cv::Size(), kHighPass);
  return m - low;
}

class Checker {
 public:
  Checker(const TakeEvidence& take, const TakeEvidence& base, const Chart& chart, const Plateau& plateau,
          const TakeExpectation& expected)
      : take_(take),
        base_(base),
        chart_(chart),
        plateau_(plateau),
        e_(expected),
        neutrals_(neutralPatches(chart)) {
    back_ = solveOffset(take.stats, base.stats, neutrals_, plateau);
  }

  std::vector<TakeCheck> run() {
    format();
    exposure();
    overTime();
    balance();
    framingAndFocus();
    uneven();
    filtered();
    return std::move(out_);
  }

 private:
  void add(const char* code, double figure, double tolerance, const char* unit, bool pass, std::string words,
           bool told = true) {
    out_.push_back({code, figure, tolerance, unit, pass, told, std::move(words)});
  }

  void format() {
    const PixelFormat& f = take_.format;
    std::string wrong;
    const auto differs = [](double is, double wanted) {
      return wanted > 0 && is > 0 && std::abs(is - wanted) > 0.01 * wanted;
    };
    if ((f.layout == Layout::Cfa) != e_.raw) wrong = e_.raw ? "no raw frames" : "raw frames";
    if (!e_.raw && !f.isFloat() && e_.bits > 0 && f.bitDepth < e_.bits)
      wrong = fmt::format("{} bit where {:g} were planned", f.bitDepth, e_.bits);
    if (differs(take_.fps, e_.fps))
      wrong = fmt::format("{:g} fps where {:g} were planned", take_.fps, e_.fps);
    if (take_.format.width != base_.format.width || take_.format.height != base_.format.height)
      wrong = fmt::format("{} x {} where the base has {} x {}", f.width, f.height, base_.format.width,
                          base_.format.height);
    add("format", wrong.empty() ? 0 : 1, 0, "", wrong.empty(), wrong.empty() ? "format as planned" : wrong);
    if (take_.stats.missingFrames > 0)
      add("truncated", static_cast<double>(take_.stats.missingFrames), 0, "frames", false,
          fmt::format("{} frames that the file promises are not there: copy it again",
                      take_.stats.missingFrames));
  }

  void exposure() {
    if (!back_)
      return add("exposure", 0, kExposure, "stops", true, "no patch can be compared with the base", false);
    const double off = back_->offsetStops() - e_.plannedStops, tolerance = e_.base ? kBase : kExposure;
    const bool pass = std::abs(off) <= std::max(tolerance, kTelling * back_->sigmaStops);
    add(e_.base ? "base-differs" : "exposure", off, tolerance, "stops", pass,
        fmt::format("{} stops where {} were planned", formatSigned(back_->offsetStops(), 2),
                    formatSigned(e_.plannedStops, 2)));
  }

  // Light of the neutral patches frame by frame, relative to their mean, in stops; its standard error from
  // how far the patches disagree about it.
  [[nodiscard]] std::vector<double> lightOverTime(double* sigma) const {
    const auto frames = static_cast<size_t>(take_.stats.frames);
    std::vector<const AreaStats*> used;
    double level = 0;
    for (size_t i : neutrals_) {
      const AreaStats& a = take_.stats.patches[i];
      if (a.luma <= 0 || a.frameLuma.size() != frames || clipped(a)) continue;
      used.push_back(&a), level += a.luma;
    }
    std::vector<double> light(frames);
    double scatter = 0;
    for (size_t n = 0; n < frames && level > 0; ++n) {
      double sum = 0;
      for (const auto* a : used) sum += a->frameLuma[n];
      const double k = sum / level;
      light[n] = std::log2(std::max(1e-6, k));
      for (const auto* a : used) {
        const double r = a->frameLuma[n] - k * a->luma;
        scatter += r * r;
      }
    }
    const auto patches = static_cast<double>(used.size());
    *sigma = patches < 3 || frames < 2
                 ? 1
                 : std::sqrt(scatter / static_cast<double>(frames - 1) * patches / (patches - 1)) / level /
                       std::log(2.0);
    return light;
  }

  [[nodiscard]] bool clipped(const AreaStats& a) const {
    for (size_t c = 0; c < 3; ++c)
      if (plateau_[c] &&
          a.codes[c].shareFrom(*plateau_[c] - CodeDistribution::codesAt(*plateau_[c], 6)) > 0.001)
        return true;
    return false;
  }

  void overTime() {
    double sigma = 1;
    const std::vector<double> light = lightOverTime(&sigma);
    const auto n = static_cast<double>(light.size());
    if (n < 3) return add("drift", 0, kDrift, "stops", true, "too few frames", false);
    double st = 0, sy = 0, stt = 0, sty = 0;
    for (size_t i = 0; i < light.size(); ++i) {
      const double t = static_cast<double>(i);
      st += t, sy += light[i], stt += t * t, sty += t * light[i];
    }
    const double slope = (n * sty - st * sy) / (n * stt - st * st), drift = slope * (n - 1);
    const double driftSigma = sigma * std::sqrt(12.0 / n);
    add("drift", drift, kDrift, "stops", std::abs(drift) <= std::max(kDrift, kTelling * driftSigma),
        fmt::format("light changes by {} stops within the clip", formatSigned(drift, 3)),
        driftSigma < kDrift);
    if (n < kFlickerFrames) return;
    double squares = 0;
    for (size_t i = 0; i < light.size(); ++i) {
      const double r = light[i] - (sy / n + slope * (static_cast<double>(i) - st / n));
      squares += r * r;
    }
    const double flicker = std::sqrt(squares / (n - 2));
    add("flicker", flicker, kFlicker, "stops", flicker <= std::max(kFlicker, kTelling * sigma),
        fmt::format("light jumps by {:.3f} stop from frame to frame", flicker), sigma < kFlicker);
  }

  // Red and blue against green on the neutrals, take against base: mean over patches weighted by how well
  // each is known, its standard error from their scatter.
  void balance() {
    struct Seen {
      double red, blue, weight;
    };
    std::vector<Seen> seen;
    const auto frames = static_cast<double>(std::max<std::int64_t>(1, take_.stats.frames));
    for (size_t i : neutrals_) {
      const AreaStats &a = take_.stats.patches[i], &b = base_.stats.patches[i];
      const auto positive = [](const Vec3& m) { return m[0] > 0 && m[1] > 0 && m[2] > 0; };
      if (clipped(a) || clipped(b) || !positive(a.mean) || !positive(b.mean) || a.luma <= 0 ||
          a.luma * a.luma < kBalanceSnr * kBalanceSnr * a.lumaVariance)
        continue;
      const auto ratio = [&](int c) {
        return std::log2(a.mean[c] / a.mean[1]) - std::log2(b.mean[c] / b.mean[1]);
      };
      seen.push_back(
          {ratio(0), ratio(2), 1 / (a.lumaVariance / (a.luma * a.luma * a.pixels * frames) + 1e-6)});
    }
    if (seen.size() < 3)
      return add("balance", 0, kBalance, "stops", true, "too few neutral patches to compare", false);
    double weight = 0, red = 0, blue = 0, scatter = 0;
    for (const auto& x : seen) weight += x.weight, red += x.weight * x.red, blue += x.weight * x.blue;
    red /= weight, blue /= weight;
    const bool byRed = std::abs(red) > std::abs(blue);
    for (const auto& x : seen) scatter += std::pow(x.weight * (byRed ? x.red - red : x.blue - blue), 2);
    const double sigma = std::sqrt(scatter) / weight, worst = byRed ? red : blue;
    add("balance", worst, kBalance, "stops", std::abs(worst) <= std::max(kBalance, kTelling * sigma),
        fmt::format("against the base red {} and blue {} stops", formatSigned(red, 3), formatSigned(blue, 3)),
        sigma < kBalance);
  }

  void framingAndFocus() {
    if (take_.mean.width != base_.mean.width || take_.mean.height != base_.mean.height) return;
    const auto shift = registerPictures(base_.mean, take_.mean);
    const bool found = shift && shift->correlation >= Shift::kTrusted;
    if (!found) {
      add("framing", 0, kFraming, "pixels", true, "too little is seen to compare the framing", false);
      return;
    }
    const double dx = shift->dx * take_.reduction, dy = shift->dy * take_.reduction, far = std::hypot(dx, dy);
    add("framing", far, kFraming, "pixels", far <= kFraming,
        fmt::format("shifted by {:.1f} pixels across and {:.1f} down against the base", dx, dy));
    focus(*shift);
  }

  // Contrast of fine detail against the base: cov(B, O) / cov(B1, B2) of high-passed pictures, noise-free as
  // the noise of the three is independent (2-measurement, section 7).
  void focus(const Shift& shift) {
    if (!back_ || base_.half[0].luma.empty() || take_.half[0].luma.empty()) return;
    const cv::Mat warp = (cv::Mat_<float>(2, 3) << 1, 0, shift.dx, 0, 1, shift.dy);
    const auto aligned = [&](const LumaPicture& p) {
      cv::Mat m;
      cv::warpAffine((view(p) - back_->q) / back_->k, m, warp, cv::Size(p.width, p.height),
                     cv::INTER_CUBIC | cv::WARP_INVERSE_MAP);
      return highPassed(m);
    };
    const cv::Mat b1 = highPassed(view(base_.half[0])), b2 = highPassed(view(base_.half[1]));
    const cv::Mat o1 = aligned(take_.half[0]), o2 = aligned(take_.half[1]);
    const cv::Mat usable = usableMask();
    double bb = 0, bo = 0, noise = 0, n = 0;
    for (int y = 4; y < b1.rows - 4; ++y)
      for (int x = 4; x < b1.cols - 4; ++x) {
        if (!usable.at<std::uint8_t>(y, x)) continue;
        const double o = (o1.at<float>(y, x) + o2.at<float>(y, x)) / 2,
                     d = o1.at<float>(y, x) - o2.at<float>(y, x);
        bb += static_cast<double>(b1.at<float>(y, x)) * b2.at<float>(y, x);
        bo += o * (b1.at<float>(y, x) + b2.at<float>(y, x)) / 2;
        noise += d * d / 4, n += 1;
      }
    if (n < 1000 || bb <= 0) return;
    const double gain = bo / bb, sigma = std::sqrt(noise / n / bb);
    add("focus", gain, kFocus, "of the base's detail", gain >= kFocus - 2 * sigma || sigma > kFocusSigma,
        fmt::format("{:.0f} % of the base's fine contrast", 100 * gain), sigma <= kFocusSigma);
  }

  // Away from everything that clips in the take: colours clip in one channel well below where grey does, and
  // a clipped spot bends the fine contrast around it.
  [[nodiscard]] cv::Mat usableMask() const {
    constexpr double kBelowTop = 0.5;
    constexpr int kAround = 9;  // pixels
    std::vector<float> brought;
    bool clips = false;
    for (const auto& a : take_.stats.patches) clips = clips || clipped(a);
    for (const auto& a : take_.stats.regions) clips = clips || clipped(a);
    for (float v : take_.mean.luma) brought.push_back(static_cast<float>((v - back_->q) / back_->k));
    const auto top =
        brought.begin() + static_cast<std::ptrdiff_t>(0.999 * static_cast<double>(brought.size() - 1));
    std::nth_element(brought.begin(), top, brought.end());
    cv::Mat brightest;
    cv::dilate(view(base_.mean), brightest, cv::Mat::ones(kAround, kAround, CV_8U));
    return clips ? cv::Mat(brightest < kBelowTop * *top)
                 : cv::Mat(brightest.rows, brightest.cols, CV_8U, cv::Scalar(255));
  }

  // Plane through the patches of known light, upper half of the scale: what is dark there is glare's.
  void uneven() {
    if (!e_.base && e_.plannedStops != 0) return;
    std::vector<std::array<double, 3>> rows;
    for (size_t i = 0; i < chart_.patches.size(); ++i) {
      const Patch& p = chart_.patches[i];
      const AreaStats& a = take_.stats.patches[i];
      if (!p.stops || *p.stops < -2 || a.luma <= 0 || clipped(a)) continue;
      double x = 0, y = 0;
      for (const auto& corner : p.corners) x += corner.x / 4, y += corner.y / 4;
      rows.push_back({x / chart_.referenceWidth, y / chart_.referenceWidth, std::log2(a.luma) - *p.stops});
    }
    if (rows.size() < 6) return;
    Eigen::MatrixXd A(rows.size(), 3);
    Eigen::VectorXd v(rows.size());
    double x0 = 1, x1 = 0, y0 = 1, y1 = 0;
    for (size_t i = 0; i < rows.size(); ++i) {
      const auto r = static_cast<Eigen::Index>(i);
      A(r, 0) = 1, A(r, 1) = rows[i][0], A(r, 2) = rows[i][1], v(r) = rows[i][2];
      x0 = std::min(x0, rows[i][0]), x1 = std::max(x1, rows[i][0]), y0 = std::min(y0, rows[i][1]),
      y1 = std::max(y1, rows[i][1]);
    }
    const Eigen::VectorXd plane = A.colPivHouseholderQr().solve(v);
    const double across = std::abs(plane(1)) * (x1 - x0) + std::abs(plane(2)) * (y1 - y0);
    add("uneven", across, kUneven, "stops", across <= kUneven,
        fmt::format("the light differs by {:.2f} stop over the chart", across));
  }

  // Noise that knows its neighbour above: noise reduction or sharpening in the camera. On frame differences
  // of the sample blocks.
  void filtered() {
    if (take_.stats.frames < 2) return;
    double product = 0, square = 0, n = 0;
    for (size_t i : neutrals_) {
      const PatchSample& s = take_.stats.samples[i];
      if (clipped(take_.stats.patches[i])) continue;
      for (size_t f = 1; f < s.frames.size(); ++f) {
        double mean = 0;  // light that changes from frame to frame is no noise
        for (size_t at = 1; at < s.frames[f].size(); at += 3) mean += s.frames[f][at] - s.frames[f - 1][at];
        mean /= static_cast<double>(s.width) * s.height;
        for (int x = 0; x < s.width; ++x) {
          double above = 0;
          for (int y = 0; y < s.height; ++y) {
            const size_t at = 3 * (static_cast<size_t>(y) * s.width + x) + 1;
            const double d = s.frames[f][at] - s.frames[f - 1][at] - mean;
            if (y > 0) product += d * above, n += 1;
            square += d * d;
            above = d;
          }
        }
      }
    }
    if (n < 1000 || square <= 0) return;
    const double lag = product / n / (square / (n * kSampleSide / (kSampleSide - 1.0)));
    add("filtered", lag, kFiltered, "correlation", std::abs(lag) <= kFiltered,
        fmt::format("noise correlates by {:.2f} with its neighbour above: noise reduction or sharpening {}",
                    lag, std::abs(lag) > kFiltered ? "is at work in the camera" : "is not seen"));
  }

  const TakeEvidence &take_, &base_;
  const Chart& chart_;
  const Plateau& plateau_;
  const TakeExpectation& e_;
  std::vector<size_t> neutrals_;
  std::optional<BringBack> back_;
  std::vector<TakeCheck> out_;
};

}  // namespace

TakeEvidence gatherTake(const std::filesystem::path& clip, const DecodeOptions& options, const Chart& chart,
                        const std::vector<Patch>& regions, FrameWindow window, const Progress& progress) {
  TakeEvidence e;
  const bool capped = window.count == 0 || window.count > kCheckFrames;
  if (capped) window.count = kCheckFrames;
  DecodeOptions decode = options;
  {
    const auto reader = openClip(clip);
    if (decode.curve.empty()) decode.curve = defaultCurve(reader->info());
    e.format = reader->info().format, e.fps = reader->info().fps;
    const std::int64_t there = reader->info().frames;
    if (capped && there > 0 && there <= window.first + kCheckFrames) window.count = 0;
    e.stats = measureTake(*reader, decode, chart, regions, window, progress);
    if (window.count > 0 && e.stats.frames < window.count)
      e.stats.missingFrames = 0;  // shorter than what was looked for
  }
  const auto reader = openClip(clip);
  const Decoder decoder(e.format, decode);
  const int w = decoder.developedWidth(), h = decoder.developedHeight();
  const int block = std::max(1, (std::max(w, h) + kMaxSide - 1) / kMaxSide);
  e.reduction = static_cast<double>(block) * e.format.width / w;
  for (auto* p : {&e.mean, &e.half[0], &e.half[1]})
    p->width = w / block, p->height = h / block, p->luma.assign(static_cast<size_t>(p->width) * p->height, 0);
  const Vec3 weights = lumaWeights(decoder.primaries());
  int counts[2] = {};
  forEachFrame(*reader, window, progress, [&](const Frame& frame) {
    LumaPicture& half = e.half[(frame.number - window.first) & 1];
    ++counts[(frame.number - window.first) & 1];
    parallelFor(half.height, [&](int y) {
      std::vector<float> row(3 * static_cast<size_t>(w));
      for (int j = 0; j < block; ++j) {
        decoder.readRow(frame, y * block + j, 0, w, row.data(), nullptr, false);
        for (int x = 0; x < half.width * block; ++x)
          half.luma[static_cast<size_t>(y) * half.width + x / block] += static_cast<float>(
              (weights[0] * row[3 * x] + weights[1] * row[3 * x + 1] + weights[2] * row[3 * x + 2]) /
              (block * block));
      }
    });
  });
  const auto total = static_cast<float>(std::max(1, counts[0] + counts[1]));
  for (size_t i = 0; i < e.mean.luma.size(); ++i)
    e.mean.luma[i] = (e.half[0].luma[i] + e.half[1].luma[i]) / total;
  for (int k = 0; k < 2; ++k)
    for (auto& v : e.half[k].luma) v /= static_cast<float>(std::max(1, counts[k]));
  if (counts[1] == 0) e.half[0] = e.half[1] = {};
  return e;
}

std::vector<TakeCheck> checkTake(const TakeEvidence& take, const TakeEvidence& base, const Chart& chart,
                                 const Plateau& plateau, const TakeExpectation& expected) {
  return Checker(take, base, chart, plateau, expected).run();
}

json toJson(const TakeCheck& c) {
  return {{"code", c.code}, {"figure", c.figure}, {"tolerance", c.tolerance}, {"unit", c.unit},
          {"pass", c.pass}, {"told", c.told},     {"words", c.words}};
}

TakeCheck takeCheckFromJson(const json& j) {
  return {j.at("code"), j.at("figure"), j.at("tolerance"), j.at("unit"),
          j.at("pass"), j.at("told"),   j.at("words")};
}

}  // namespace edge
