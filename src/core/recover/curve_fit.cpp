#include "recover/curve_fit.h"

#include <fmt/format.h>

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "base/json_numbers.h"
#include "base/units.h"
#include "recover/bring_back.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kKnot = 0.75;        // stops
constexpr double kOffsetPrior = 0.1;  // stops
constexpr double kSmoothing = 2.5;    // weight of the third difference of the coefficients, per unit of code
constexpr double kModelError = 0.0004;  // of code: what a spline of this knot distance can't follow
constexpr double kLostInNoise =
    0.42;  // noise of a pixel, in steps of the codes a stop: its mean is misplaced
constexpr int kIterations = 40;
constexpr int kTablePerStop = 12;

// Uniform cubic B-spline: four weights and their derivatives at u in 0..1.
struct Basis {
  double w[4], d[4];
};
Basis basisAt(double u) {
  const double v = 1 - u;
  return {{v * v * v / 6, (3 * u * u * u - 6 * u * u + 4) / 6, (-3 * u * u * u + 3 * u * u + 3 * u + 1) / 6,
           u * u * u / 6},
          {-v * v / 2, (9 * u * u - 12 * u) / 6, (-9 * u * u + 6 * u + 3) / 6, u * u / 2}};
}

class Solver {
 public:
  explicit Solver(const CurveFitInput& in) : in_(in) {
    offsets_ = in.plannedStops, patches_ = in.patchStops;
    double low = 1e9, high = -1e9;
    for (const auto& c : in.cells) {
      low = std::min(low, exposure(c)), high = std::max(high, exposure(c));
    }
    from_ = low - 0.5, knots_ = static_cast<int>(std::ceil((high + 0.5 - from_) / kKnot)) + 4;
    // Start: a straight line through the cells.
    double sx = 0, sy = 0, sxx = 0, sxy = 0, n = 0;
    for (const auto& c : in.cells) {
      const double x = exposure(c);
      sx += x, sy += c.code, sxx += x * x, sxy += x * c.code, n += 1;
    }
    const double slope = std::max(1e-3, (n * sxy - sx * sy) / std::max(1e-9, n * sxx - sx * sx));
    for (int k = 0; k < knots_; ++k) a_.push_back(sy / n + slope * (from_ + (k - 1) * kKnot - sx / n));
  }

  void run() {
    for (int i = 0; i < kIterations; ++i)
      if (step() < 1e-6) break;
  }

  [[nodiscard]] double exposure(const CurveCell& c) const { return offsets_[c.take] + patches_[c.patch]; }
  [[nodiscard]] double code(double x) const {
    const auto [k, u] = place(x);
    const Basis b = basisAt(u);
    double sum = 0;
    for (int j = 0; j < 4; ++j) sum += b.w[j] * a_[static_cast<size_t>(k + j)];
    return sum;
  }
  [[nodiscard]] const std::vector<double>& offsets() const { return offsets_; }

 private:
  [[nodiscard]] std::pair<int, double> place(double x) const {
    const double at = std::clamp((x - from_) / kKnot, 0.0, knots_ - 3.0 - 1e-9);
    return {static_cast<int>(at), at - std::floor(at)};
  }

  // One Gauss-Newton step in spline coefficients, offsets and patches together. Coefficients are start plus
  // increments; increments that would fall are held at zero.
  double step() {
    const auto takes = static_cast<int>(offsets_.size()), patches = static_cast<int>(patches_.size());
    const int unknowns = knots_ + takes + patches;
    const int rows = static_cast<int>(in_.cells.size()) + takes + patches + knots_ - 3;
    Eigen::MatrixXd J = Eigen::MatrixXd::Zero(rows, unknowns);
    Eigen::VectorXd r = Eigen::VectorXd::Zero(rows);
    int row = 0;
    for (const auto& c : in_.cells) {
      const double x = exposure(c), weight = 1 / std::hypot(c.sigma, kModelError);
      const auto [k, u] = place(x);
      const Basis b = basisAt(u);
      double slope = 0, value = 0;
      for (int j = 0; j < 4; ++j) {
        const double a = a_[static_cast<size_t>(k + j)];
        value += b.w[j] * a, slope += b.d[j] * a / kKnot;
        // A coefficient is the sum of the increments up to it.
        for (int m = 0; m <= k + j; ++m) J(row, m) += weight * b.w[j];
      }
      J(row, knots_ + static_cast<int>(c.take)) = weight * slope;
      J(row, knots_ + takes + static_cast<int>(c.patch)) = weight * slope;
      r(row++) = weight * (c.code - value);
    }
    for (int t = 0; t < takes; ++t, ++row) {
      // The base is what the others are counted from.
      const double sd = in_.plannedStops[static_cast<size_t>(t)] == 0 ? 1e-4 : kOffsetPrior;
      J(row, knots_ + t) = 1 / sd,
                      r(row) =
                          (in_.plannedStops[static_cast<size_t>(t)] - offsets_[static_cast<size_t>(t)]) / sd;
    }
    for (int p = 0; p < patches; ++p, ++row) {
      const double sd = std::max(1e-4, in_.patchSigma[static_cast<size_t>(p)]);
      J(row, knots_ + takes +
                 p) = 1 / sd,
                 r(row) = (in_.patchStops[static_cast<size_t>(p)] - patches_[static_cast<size_t>(p)]) / sd;
    }
    for (int k = 3; k < knots_; ++k, ++row) {
      const double w = kSmoothing;
      // Third difference of the coefficients = second difference of the increments.
      const auto d = [&](int m) { return a_[static_cast<size_t>(m)] - a_[static_cast<size_t>(m - 1)]; };
      J(row, k) = w, J(row, k - 1) = -2 * w, J(row, k - 2) = w;
      r(row) = -w * (d(k) - 2 * d(k - 1) + d(k - 2));
    }
    return apply(solveBounded(J, r), takes);
  }

  [[nodiscard]] Eigen::VectorXd solveBounded(const Eigen::MatrixXd& J, const Eigen::VectorXd& r) const {
    Eigen::MatrixXd A = J;
    Eigen::VectorXd b = r;
    std::vector<bool> held(static_cast<size_t>(knots_));
    Eigen::VectorXd x;
    for (int pass = 0; pass < knots_; ++pass) {
      Eigen::MatrixXd normal = A.transpose() * A;
      normal.diagonal().array() += 1e-9 * normal.diagonal().maxCoeff();
      x = normal.ldlt().solve(A.transpose() * b);
      bool fell = false;
      for (int m = 1; m < knots_; ++m) {
        const double now = a_[static_cast<size_t>(m)] - a_[static_cast<size_t>(m - 1)];
        if (held[static_cast<size_t>(m)] || now + x(m) >= -1e-12) continue;
        b -= A.col(m) * -now;  // to zero and no further
        A.col(m).setZero();
        held[static_cast<size_t>(m)] = fell = true;
      }
      if (!fell) break;
    }
    for (int m = 1; m < knots_; ++m)
      if (held[static_cast<size_t>(m)]) x(m) = a_[static_cast<size_t>(m - 1)] - a_[static_cast<size_t>(m)];
    return x;
  }

  double apply(const Eigen::VectorXd& x, int takes) {
    double moved = 0, sum = 0;
    for (int m = 0; m < knots_; ++m) {
      sum += x(m);
      a_[static_cast<size_t>(m)] += sum;
      moved = std::max(moved, std::abs(sum));
    }
    for (size_t t = 0; t < offsets_.size(); ++t) offsets_[t] += x(knots_ + static_cast<int>(t));
    for (size_t p = 0; p < patches_.size(); ++p) {
      const double d = x(knots_ + takes + static_cast<int>(p));
      patches_[p] += d, moved = std::max(moved, std::abs(d));
    }
    return moved;
  }

  const CurveFitInput& in_;
  std::vector<double> offsets_, patches_, a_;
  double from_ = 0;
  int knots_ = 0;
};

}  // namespace

double CurveFit::stopsOfCode(double c) const {
  const auto at = std::lower_bound(code.begin(), code.end(), c);
  if (at == code.begin()) return stops.front();
  if (at == code.end()) return stops.back();
  const auto i = static_cast<size_t>(at - code.begin());
  const double span = code[i] - code[i - 1];
  return stops[i - 1] + (span > 0 ? (c - code[i - 1]) / span : 0) * (stops[i] - stops[i - 1]);
}

CurveFit fitCurve(const CurveFitInput& in) {
  if (in.plannedStops.size() < 3 || in.cells.size() < 3 * in.plannedStops.size())
    throw Error(fmt::format("{} usable cells of {} takes are too few to measure a curve", in.cells.size(),
                            in.plannedStops.size()),
                "bracket", "", "shoot a bracket of seven takes on a chart with grey steps");
  Solver s(in);
  s.run();
  CurveFit f;
  f.takeStops = s.offsets(), f.cellsUsed = static_cast<int>(in.cells.size());
  f.fromStops = 1e9, f.toStops = -1e9;
  for (const auto& c : in.cells) {
    f.fromStops = std::min(f.fromStops, s.exposure(c)), f.toStops = std::max(f.toStops, s.exposure(c));
  }
  const int n = static_cast<int>(std::ceil((f.toStops - f.fromStops) * kTablePerStop));
  for (int i = 0; i <= n; ++i) {
    const double x = f.fromStops + (f.toStops - f.fromStops) * i / n, c = s.code(x);
    if (!f.code.empty() && c <= f.code.back()) continue;  // strictly rising, for the inverse
    f.stops.push_back(x), f.code.push_back(c);
  }
  if (f.code.size() < 4)
    throw Error("the codes do not rise with the light", "bracket", "",
                "check that the takes are those of the list");
  double sum = 0;
  for (const auto& c : in.cells) {
    f.cellStops.push_back(s.exposure(c));
    f.residualStops.push_back(f.stopsOfCode(c.code) - f.cellStops.back());
    sum += f.residualStops.back() * f.residualStops.back();
  }
  f.rmsStops = std::sqrt(sum / static_cast<double>(in.cells.size()));
  return f;
}

CurveFitInput gatherCurve(const Series& series, const Progress& progress, std::optional<double> grey) {
  CurveFitInput in;
  const auto zero = grey ? grey : series.chart.greyStops();
  if (!zero)
    throw Error("nobody says which patch is 18 % grey: the chart's stops count from something else",
                series.chartFile.string(), "grey",
                "name the patch in the chart (\"grey\"), or say its stops (--grey)");
  DecodeOptions decode = series.decode;
  decode.curve = "linear";  // codes as they are
  std::vector<TakeStats> stats;
  const auto neutrals = neutralPatches(series.chart);
  const auto measure = [&](const std::filesystem::path& clip, FrameWindow window, double planned) {
    progress.report(static_cast<double>(stats.size()) / static_cast<double>(series.takes.size() + 1),
                    clip.filename().string());
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    const auto reader = openClip(clip);
    stats.push_back(measureTake(*reader, decode, series.chart, {}, window, quiet));
    in.plannedStops.push_back(planned);
  };
  measure(series.base, series.window, 0);
  for (const auto& t : series.takes)
    if (t.plannedStops) measure(t.clip, t.window.value_or(series.window), *t.plannedStops);
  double low = 1e9, high = -1e9;
  for (const auto& s : stats)
    for (size_t p : neutrals)
      low = std::min(low, s.patches[p].luma), high = std::max(high, s.patches[p].luma);
  for (size_t n = 0; n < neutrals.size(); ++n) {
    const Patch& p = series.chart.patches[neutrals[n]];
    if (!p.stops)
      throw Error("a neutral patch has no stops", series.chartFile.string(), p.name,
                  "give the chart's calibrated stops");
    in.patchStops.push_back(*p.stops - *zero), in.patchSigma.push_back(p.stopsSigma);
  }
  // Slope of the codes a stop, to tell what is lost in noise and in the ends.
  const double perStop = (high - low) / 10;
  for (size_t t = 0; t < stats.size(); ++t)
    for (size_t n = 0; n < neutrals.size(); ++n) {
      const AreaStats& a = stats[t].patches[neutrals[n]];
      const bool ends = a.luma > high - 0.01 * (high - low) || a.luma < low + 0.02 * (high - low);
      if (ends || std::sqrt(a.lumaVariance) > kLostInNoise * perStop) continue;
      const double frames = static_cast<double>(std::max<std::int64_t>(1, stats[t].frames));
      in.cells.push_back({t, n, a.luma, std::sqrt(a.lumaVariance / (a.pixels * frames))});
    }
  return in;
}

std::string curveCsv(const CurveFit& f) {
  std::string out = "linear,code\n";
  for (size_t i = 0; i < f.code.size(); ++i)
    out += fmt::format("{:.8g},{:.8g}\n", kMiddleGrey * std::exp2(f.stops[i]), f.code[i]);
  return out;
}

json toJson(const CurveFit& f) {
  return {{"stops", f.stops},          {"code", f.code},
          {"take_stops", f.takeStops}, {"rms_stops", f.rmsStops},
          {"from_stops", f.fromStops}, {"to_stops", f.toStops},
          {"cells", f.cellsUsed},      {"residual_stops", f.residualStops},
          {"cell_stops", f.cellStops}};
}

CurveFit curveFitFromJson(const json& j) {
  CurveFit f;
  f.stops = j.at("stops").get<std::vector<double>>(), f.code = j.at("code").get<std::vector<double>>();
  f.takeStops = j.at("take_stops").get<std::vector<double>>();
  f.residualStops = j.at("residual_stops").get<std::vector<double>>();
  f.cellStops = j.at("cell_stops").get<std::vector<double>>();
  f.rmsStops = j.at("rms_stops"), f.fromStops = j.at("from_stops"), f.toStops = j.at("to_stops");
  f.cellsUsed = Whole(j.at("cells"));
  return f;
}

}  // namespace edge
