#include "measure/evenness.h"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <nlohmann/json.hpp>

#include "base/error.h"
#include "chart/place.h"
#include "measure/response.h"

namespace edge {
namespace {

constexpr double kStrongSnr = 10;
constexpr double kLeastSpread = 0.05;  // of the frame's width: along a shorter way no slope can be told

// log2 level of each patch without the offset; NaN where clipped or noisy.
std::vector<double> levelsOf(const WedgeMeasure& w) {
  const ResponsePoints p = pointsOf(w, kY, 1, false);
  const Response r = fitResponse(p, std::nullopt);
  std::vector<double> level(w.patches.size(), std::nan(""));
  for (size_t i = 0; i < p.patch.size(); ++i) {
    const double signal = p.mean[i] - r.offset;
    if (p.mean[i] < r.ceiling && signal > kStrongSnr * std::sqrt(p.variance[i]))
      level[p.patch[i]] = std::log2(signal);
  }
  return level;
}

double spread(const Eigen::VectorXd& v) {
  return std::sqrt((v.array() - v.mean()).square().mean());
}

// By patch, the standard error of the plane's height over its mean; cov: of (common change, slopes).
std::vector<double> planeSigma(const Chart& chart, const std::vector<int>& axes, const Eigen::MatrixXd& cov) {
  const auto n = static_cast<double>(chart.patches.size());
  Point mean;
  for (const auto& p : chart.patches)
    mean.x += middleOf(p.corners).x / n, mean.y += middleOf(p.corners).y / n;
  std::vector<double> sigma;
  for (const auto& patch : chart.patches) {
    const Point p = middleOf(patch.corners);
    Eigen::VectorXd off = Eigen::VectorXd::Zero(cov.rows());
    for (size_t d = 0; d < axes.size(); ++d)
      off(static_cast<Eigen::Index>(d) + 1) = (axes[d] ? p.y - mean.y : p.x - mean.x) / chart.referenceWidth;
    sigma.push_back(std::sqrt(std::max(0.0, off.dot(cov * off))));
  }
  return sigma;
}

}  // namespace

Chart turned(const Chart& chart) {
  double left = 1e300, right = -1e300, top = 1e300, bottom = -1e300;
  for (const auto& p : chart.patches)
    for (const auto& c : p.corners)
      left = std::min(left, c.x), right = std::max(right, c.x), top = std::min(top, c.y),
      bottom = std::max(bottom, c.y);
  Chart t = chart;
  t.outline.reset();
  for (auto& p : t.patches)
    for (auto& c : p.corners) c = {left + right - c.x, top + bottom - c.y};
  return t;
}

Evenness evennessOf(const WedgeMeasure& first, const Chart& chart, const WedgeMeasure& second,
                    const Chart& turnedChart) {
  const auto a = levelsOf(first), b = levelsOf(second);
  std::vector<size_t> use;
  for (size_t k = 0; k < std::min({a.size(), b.size(), chart.patches.size(), turnedChart.patches.size()});
       ++k)
    if (std::isfinite(a[k]) && std::isfinite(b[k])) use.push_back(k);
  if (use.size() < 4)
    throw Error("fewer than four steps are clear of clip and noise in both passes", "", "the turned pass",
                "shoot both passes at the same exposure, the whole wedge in the frame");
  const auto n = static_cast<Eigen::Index>(use.size());
  const double sx = chart.referenceWidth / turnedChart.referenceWidth,
               sy = chart.referenceHeight / turnedChart.referenceHeight;
  Eigen::MatrixXd way(n, 2);
  Eigen::VectorXd ratio(n);
  for (Eigen::Index i = 0; i < n; ++i) {
    const size_t k = use[static_cast<size_t>(i)];
    const Point p = middleOf(chart.patches[k].corners), q = middleOf(turnedChart.patches[k].corners);
    way(i, 0) = (p.x - q.x * sx) / chart.referenceWidth, way(i, 1) = (p.y - q.y * sy) / chart.referenceWidth;
    ratio(i) = a[k] - b[k];
  }
  // Columns: slope along each direction in which the steps really moved, and a common change of the light.
  std::vector<int> axes;
  for (int d : {0, 1})
    if (spread(way.col(d)) > kLeastSpread) axes.push_back(d);
  if (axes.empty())
    throw Error("no step has changed its place between the passes", "", "the turned pass",
                "turn the chart by 180 degrees in its place, or give its chart file");
  Eigen::MatrixXd m(n, static_cast<Eigen::Index>(axes.size()) + 1);
  m.col(0).setOnes();
  for (size_t d = 0; d < axes.size(); ++d) m.col(static_cast<Eigen::Index>(d) + 1) = way.col(axes[d]);
  const Eigen::VectorXd fit = m.colPivHouseholderQr().solve(ratio);
  const Eigen::VectorXd rest = ratio - m * fit;
  Evenness e;
  e.patches = static_cast<int>(n);
  const double dof = std::max<double>(1, static_cast<double>(n - m.cols()));
  e.residual = std::sqrt(rest.squaredNorm() / dof);
  const Eigen::MatrixXd cov = (m.transpose() * m).inverse() * (e.residual * e.residual);
  double low = 1e300, high = -1e300, mean = 0, variance = 0;
  for (const auto& patch : chart.patches) {
    const Point p = middleOf(patch.corners);
    double at = 0;
    for (size_t d = 0; d < axes.size(); ++d)
      at += fit(static_cast<Eigen::Index>(d) + 1) * (axes[d] ? p.y : p.x) / chart.referenceWidth;
    e.correction.push_back(at), mean += at / static_cast<double>(chart.patches.size());
    low = std::min(low, at), high = std::max(high, at);
  }
  for (double& c : e.correction) c -= mean;
  e.sigma = planeSigma(chart, axes, cov);
  for (size_t d = 0; d < axes.size(); ++d) {
    const auto i = static_cast<Eigen::Index>(d) + 1;
    variance += cov(i, i) * std::pow(way.col(axes[d]).cwiseAbs().maxCoeff(), 2);
  }
  e.acrossStops = high - low, e.acrossSigma = std::sqrt(variance);
  return e;
}

void correct(WedgeMeasure& wedge, const Evenness& e) {
  for (size_t k = 0; k < std::min(wedge.patches.size(), e.correction.size()); ++k) {
    PatchMeasure& p = wedge.patches[k];
    p.stops += e.correction[k];
    p.stopsSigma = std::hypot(p.stopsSigma, e.sigma[k]);
  }
}

nlohmann::json toJson(const Evenness& e) {
  return {{"across_stops", e.acrossStops}, {"sigma", e.acrossSigma},     {"residual", e.residual},
          {"patches", e.patches},          {"correction", e.correction}, {"correction_sigma", e.sigma}};
}

}  // namespace edge
