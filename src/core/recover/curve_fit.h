// An unknown transfer curve from the bracket itself (docs/method.md, "An unknown curve"): monotone cubic
// B-spline in log exposure (knots every 0.75 stop, no increment below zero, light penalty on the third
// difference), solved jointly with the offsets of the takes (prior: planned, sd 0.1 stop) and the light of
// the patches (prior: the chart, its own sd). Clipped cells and cells lost in noise are left out.
#pragma once
#include <filesystem>
#include <nlohmann/json_fwd.hpp>
#include <vector>

#include "recover/series.h"
#include "recover/take.h"

namespace edge {

struct CurveCell {
  size_t take = 0, patch = 0;
  double code = 0;   // mean code value, 0..1
  double sigma = 0;  // its standard error
};

struct CurveFitInput {
  std::vector<double> plannedStops;            // by take, against base
  std::vector<double> patchStops, patchSigma;  // from grey
  std::vector<CurveCell> cells;
};

struct CurveFit {
  std::vector<double> stops, code;    // the curve as a table, rising, from grey
  std::vector<double> takeStops;      // offsets as fitted
  std::vector<double> residualStops;  // by cell: what its code says less its exposure
  std::vector<double> cellStops;      // exposure of each cell, from grey
  double rmsStops = 0;
  double fromStops = 0, toStops = 0;  // covered by cells
  int cellsUsed = 0;
  [[nodiscard]] double stopsOfCode(double code) const;
};

// Errors: fewer than three takes, or too few usable cells.
[[nodiscard]] CurveFit fitCurve(const CurveFitInput& input);

// Streams the takes of a series with its codes left as they are. The series' own curve is not looked at.
// grey: stops of 18 % grey on the chart's scale; nullopt: Chart::greyStops. Errors: nobody says where grey
// is.
[[nodiscard]] CurveFitInput gatherCurve(const Series& series, const Progress& progress,
                                        std::optional<double> grey = std::nullopt);

// As a curve file (header linear,code) that every command reads; 18 % grey is 0.18.
[[nodiscard]] std::string curveCsv(const CurveFit& fit);
[[nodiscard]] nlohmann::json toJson(const CurveFit& fit);
[[nodiscard]] CurveFit curveFitFromJson(const nlohmann::json& j);

}  // namespace edge
