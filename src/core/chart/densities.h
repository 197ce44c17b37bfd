// Calibrated densities of a chart's patches from a file: CSV with a header of name and density (or stops), or
// a CGATS table (ISO 28178, .txt and .ti3 alike) with SAMPLE_ID or SAMPLE_NAME and one of D_VIS, VIS, D,
// DENSITY, or XYZ_Y.
#pragma once
#include "chart/chart.h"

namespace edge {

struct PatchLight {
  std::string name;
  double stops = 0;  // log2 luminance against density 0, or against Y = 100
};

// Errors name file and line: no table, no usable column, not a number, absurd values, more than 2000 rows.
[[nodiscard]] std::vector<PatchLight> readDensities(const std::filesystem::path& file);

// Typed: densities in the chart's order, apart by blanks, lines or semicolons; a decimal comma will do.
// Errors name the entry.
[[nodiscard]] std::vector<PatchLight> typedDensities(const std::string& text);

// Puts them in place of the chart's own: by name where all names are known, else in the order of the patches.
// `sigmaStops`: standard error of the calibration. Errors: fewer rows than patches.
void calibrate(Chart& chart, const std::vector<PatchLight>& lights, const std::filesystem::path& file,
               double sigmaStops = 0.01);

}  // namespace edge
