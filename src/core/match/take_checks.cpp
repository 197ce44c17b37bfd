#include "match/take_checks.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/numbers.h"
#include "base/units.h"
#include "match/check_context.h"
#include "match/kind_checks.h"

using nlohmann::json;

namespace edge {
namespace {

// Tolerances, in the unit of each check.
constexpr double kExposure = 0.25, kBase = 0.1, kDrift = 0.05, kFlicker = 0.012, kBalance = 0.06,
                 kRatio = 0.12, kClipped = 1, kBlack = 0.003, kUneven = 0.15, kFiltered = 0.15;
constexpr double kTelling = kTellingSigmas;
constexpr int kFlickerFrames = 4;  // fewer tell no flicker from drift
constexpr double kBalanceSnr = 3;  // below it a log curve and filtered chroma misplace the mean of a channel
constexpr double kBlackUncertain = 0.0005;  // scene-linear: a ninth of a stop at five stops below grey
constexpr double kDarkPatch = -2.5;         // stops from grey, from which a patch tells the black level

class Checker {
 public:
  explicit Checker(const CheckContext& c)
      : c_(c), take_(c.take), base_(c.base), chart_(c.chart), e_(c.expected) {}

  std::vector<TakeCheck> run() {
    out_ = checkFile(take_, &base_, e_);
    exposure();
    overTime();
    balance();
    ratio();
    chartClipped();
    black();
    checkPictures(c_, out_);
    uneven();
    filtered();
    return std::move(out_);
  }

 private:
  void add(const char* code, double figure, double tolerance, const char* unit, bool pass, std::string words,
           bool told = true, json evidence = nullptr) {
    out_.push_back({code, figure, tolerance, unit, pass, told, std::move(words), std::move(evidence)});
  }

  void exposure() {
    if (!c_.back)
      return add("exposure", 0, kExposure, "stops", true, "no patch can be compared with the base", false);
    const double off = c_.back->offsetStops() - e_.plannedStops, tolerance = e_.base ? kBase : kExposure;
    const bool pass = std::abs(off) <= std::max(tolerance, kTelling * c_.back->sigmaStops);
    add(e_.base ? "base-differs" : "exposure", off, tolerance, "stops", pass,
        fmt::format("{} stops where {} were planned", formatSigned(c_.back->offsetStops(), 2),
                    formatSigned(e_.plannedStops, 2)),
        true,
        byPatch([](const AreaStats& a, const AreaStats& b) { return std::log2(a.luma / b.luma); },
                "stops against base"));
  }

  // A figure of every usable neutral patch against its light.
  template <class F>
  [[nodiscard]] json byPatch(F figure, const char* label) const {
    json x = json::array(), y = json::array();
    for (size_t i : c_.neutrals) {
      const AreaStats &a = take_.stats.patches[i], &b = base_.stats.patches[i];
      if (c_.clipped(a) || c_.clipped(b) || !(a.luma > 0) || !(b.luma > 0)) continue;
      const double v = figure(a, b);
      if (!std::isfinite(v)) continue;
      x.push_back(std::log2(b.luma / kMiddleGrey)), y.push_back(v);
    }
    return {{"kind", "curve"},
            {"x", x},
            {"y", y},
            {"x_label", "patch of the base, stops from grey"},
            {"y_label", label}};
  }

  // Light of the neutral patches frame by frame, relative to their mean, in stops; its standard error from
  // how far the patches disagree about it.
  [[nodiscard]] std::vector<double> lightOverTime(double* sigma) const {
    const auto frames = static_cast<size_t>(take_.stats.frames);
    std::vector<const AreaStats*> used;
    double level = 0;
    for (size_t i : c_.neutrals) {
      const AreaStats& a = take_.stats.patches[i];
      if (a.luma <= 0 || a.frameLuma.size() != frames || c_.clipped(a)) continue;
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
        fmt::format("light changes by {} stops within the clip", formatSigned(drift, 3)), driftSigma < kDrift,
        overFrames(light));
    if (n < kFlickerFrames) return;
    double squares = 0;
    for (size_t i = 0; i < light.size(); ++i) {
      const double r = light[i] - (sy / n + slope * (static_cast<double>(i) - st / n));
      squares += r * r;
    }
    const double flicker = std::sqrt(squares / (n - 2));
    add("flicker", flicker, kFlicker, "stops", flicker <= std::max(kFlicker, kTelling * sigma),
        fmt::format("light jumps by {:.3f} stop from frame to frame", flicker), sigma < kFlicker,
        overFrames(light));
  }

  [[nodiscard]] static json overFrames(const std::vector<double>& light) {
    json x = json::array();
    for (size_t i = 0; i < light.size(); ++i) x.push_back(i + 1);
    return {{"kind", "curve"}, {"x", x}, {"y", light}, {"x_label", "frame"}, {"y_label", "light, stops"}};
  }

  // Red and blue against green on the neutrals, take against base: mean over patches weighted by how well
  // each is known, its standard error from their scatter.
  void balance() {
    struct Seen {
      double red, blue, weight;
    };
    std::vector<Seen> seen;
    const auto frames = static_cast<double>(std::max<std::int64_t>(1, take_.stats.frames));
    for (size_t i : c_.neutrals) {
      const AreaStats &a = take_.stats.patches[i], &b = base_.stats.patches[i];
      const auto positive = [](const Vec3& m) { return m[0] > 0 && m[1] > 0 && m[2] > 0; };
      if (c_.clipped(a) || c_.clipped(b) || !positive(a.mean) || !positive(b.mean) || a.luma <= 0 ||
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
        sigma < kBalance,
        byPatch(
            [&](const AreaStats& a, const AreaStats& b) {
              const int c = byRed ? 0 : 2;
              return std::log2(a.mean[c] / a.mean[1]) - std::log2(b.mean[c] / b.mean[1]);
            },
            byRed ? "red against green, stops" : "blue against green, stops"));
  }

  // Light on the objects against light on the chart, take against base: one lamp of several has changed.
  void ratio() {
    if (!c_.back) return;
    double worst = 0, worstSigma = 0;
    const AreaStats* where = nullptr;
    for (size_t i = 0; i < take_.stats.regions.size() && i < base_.stats.regions.size(); ++i) {
      const AreaStats &a = take_.stats.regions[i], &b = base_.stats.regions[i];
      const double light = (a.luma - c_.back->q) / c_.back->k;
      if (c_.clipped(a) || c_.clipped(b) || !(light > 0) || !(b.luma > 0)) continue;
      const double off = std::log2(light / b.luma);
      const double floor = (std::abs(c_.back->q) + kBlackUncertain) / std::abs(a.luma) / std::log(2.0);
      const double sigma = std::hypot(c_.back->sigmaStops, floor / 2);
      if (where &&
          std::abs(off) / std::hypot(sigma, kRatio) <= std::abs(worst) / std::hypot(worstSigma, kRatio))
        continue;
      worst = off, worstSigma = sigma, where = &a;
    }
    if (!where) return;
    json place;
    for (const auto& r : take_.regions)
      if (r.name == where->name) place = placeOf(chart_, r.corners);
    add("ratio", worst, kRatio, "stops", std::abs(worst) <= std::max(kRatio, kTelling * worstSigma),
        fmt::format("light on {} against the chart differs from the base by {} stops", where->name,
                    formatSigned(worst, 2)),
        worstSigma < kRatio, place);
  }

  // The chart clips where it must not: at base and below.
  void chartClipped() {
    if (e_.plannedStops > 0) return;
    double share = 0;
    size_t which = 0;
    for (size_t i = 0; i < take_.stats.patches.size(); ++i)
      for (int k = 0; k < 3; ++k) {
        const double s = 100 * shareAtEnd(take_.stats.patches[i], k, c_.plateau, kAtEnd);
        if (s > share) share = s, which = i;
      }
    add("clipped", share, kClipped, "% of a patch", share <= kClipped,
        share <= kClipped
            ? std::string("no patch of the chart clips")
            : fmt::format("{} clips in {:.0f} % of its pixels", chart_.patches[which].name, share),
        true, share > 0 ? placeOf(chart_, chart_.patches[which].corners) : json());
  }

  // Light that is there without light: a changed black level or stray light, relative to grey of the take.
  void black() {
    const bool dark = std::any_of(chart_.patches.begin(), chart_.patches.end(),
                                  [](const Patch& p) { return p.stops && *p.stops <= kDarkPatch; });
    if (!c_.back || c_.back->byMedian || !dark) return;
    const double tolerance = kBlack * std::max(1.0, c_.back->k);
    add("black", c_.back->q, tolerance, "scene-linear", std::abs(c_.back->q) <= tolerance,
        fmt::format("black lies {:+.4f} from that of the base (grey is 0.18)", c_.back->q));
  }

  // Plane through the patches of known light, upper half of the scale: what is dark there is glare's.
  void uneven() {
    if (!e_.base && e_.plannedStops != 0) return;
    std::vector<std::array<double, 3>> rows;
    for (size_t i = 0; i < chart_.patches.size(); ++i) {
      const Patch& p = chart_.patches[i];
      const AreaStats& a = take_.stats.patches[i];
      if (!p.stops || *p.stops < -2 || a.luma <= 0 || c_.clipped(a)) continue;
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
    json xs = json::array(), ys = json::array();
    for (const auto& r : rows) xs.push_back(r[0]), ys.push_back(r[2]);
    const Eigen::VectorXd plane = A.colPivHouseholderQr().solve(v);
    const double across = std::abs(plane(1)) * (x1 - x0) + std::abs(plane(2)) * (y1 - y0);
    add("uneven", across, kUneven, "stops", across <= kUneven,
        fmt::format("the light differs by {:.2f} stop over the chart", across), true,
        json{{"kind", "curve"},
             {"x", xs},
             {"y", ys},
             {"x_label", "place across, of the width"},
             {"y_label", "light less calibration, stops"}});
  }

  // Noise that knows its neighbour above: noise reduction or sharpening in the camera. On frame differences
  // of the sample blocks.
  void filtered() {
    if (take_.stats.frames < 2) return;
    double product = 0, square = 0, n = 0;
    for (size_t i : c_.neutrals) {
      const PatchSample& s = take_.stats.samples[i];
      if (c_.clipped(take_.stats.patches[i])) continue;
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
                    lag, std::abs(lag) > kFiltered ? "is at work in the camera" : "is not seen"),
        true, placeOf(chart_, chart_.patches[c_.neutrals[c_.neutrals.size() / 2]].corners));
  }

  const CheckContext& c_;
  const TakeEvidence &take_, &base_;
  const Chart& chart_;
  const TakeExpectation& e_;
  std::vector<TakeCheck> out_;
};

}  // namespace

bool CheckContext::clipped(const AreaStats& a) const {
  return isPartlyClipped(a, plateau);
}

bool CheckContext::anythingClips() const {
  const auto any = [this](const std::vector<AreaStats>& list) {
    return std::any_of(list.begin(), list.end(), [this](const AreaStats& a) { return clipped(a); });
  };
  return any(take.stats.patches) || any(take.stats.regions);
}

json placeOf(const Chart& chart, const Quad& q) {
  double x0 = 1e9, x1 = -1e9, y0 = 1e9, y1 = -1e9;
  for (const auto& c : q) {
    x0 = std::min(x0, c.x), x1 = std::max(x1, c.x);
    y0 = std::min(y0, c.y), y1 = std::max(y1, c.y);
  }
  return {{"kind", "place"},
          {"x0", x0 / chart.referenceWidth},
          {"y0", y0 / chart.referenceHeight},
          {"x1", x1 / chart.referenceWidth},
          {"y1", y1 / chart.referenceHeight}};
}

std::vector<TakeCheck> checkTake(const TakeEvidence& take, const TakeEvidence& base, const Chart& chart,
                                 const Plateau& plateau, const TakeExpectation& expected) {
  CheckContext c{take, base, chart, plateau, expected, neutralPatches(chart), {}};
  c.back = solveOffset(take.stats, base.stats, c.neutrals, plateau);
  if (c.back && c.back->withheld) c.back.reset();
  return Checker(c).run();
}

json toJson(const TakeCheck& c) {
  return {{"code", c.code}, {"figure", c.figure}, {"tolerance", c.tolerance}, {"unit", c.unit},
          {"pass", c.pass}, {"told", c.told},     {"words", c.words},         {"evidence", c.evidence}};
}

TakeCheck takeCheckFromJson(const json& j) {
  return {j.at("code"), j.at("figure"), j.at("tolerance"), j.at("unit"),
          j.at("pass"), j.at("told"),   j.at("words"),     j.at("evidence")};
}

}  // namespace edge
