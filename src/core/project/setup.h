// How a configuration's clips are to be read, and where charts and objects lie: what is not known is asked.
#pragma once
#include "chart/find.h"
#include "project/project.h"
#include "recover/curve_fit.h"

namespace edge {

// Open questions of a decode state on clips of this format, in the words of Configuration::ask: "curve",
// "range", "matrix". What a file is tagged with needs no asking.
[[nodiscard]] std::vector<std::string> questionsOf(const DecodeOptions& decode, const PixelFormat& format);
[[nodiscard]] std::string questionWords(const std::string& question);

// Whether anything can be measured: charts apart, no question is open.
[[nodiscard]] inline bool isDecoded(const Configuration& c) {
  return c.ask.empty();
}

// Charts and objects carried over to another configuration of the same framing, scaled to its raster.
void takeOver(const Configuration& from, Configuration& to);

// Clip of a configuration that charts are placed on. Chart::Wedge lies on the wedge clip, all else on the
// base.
enum class Placing { Wedge, Chart, Objects };
[[nodiscard]] const ClipRecord* clipFor(const Configuration& c, Placing what);

// Finds the chart on that clip. Errors: no such clip. nullopt: not found for certain.
[[nodiscard]] std::optional<FoundChart> findChartOf(const Configuration& c,
                                                    const std::filesystem::path& folder, Placing what,
                                                    const Chart& layout, const Progress& progress);

// To look at its clips only: what is still asked is guessed. Nothing is measured by it.
[[nodiscard]] DecodeOptions lookingDecode(const Configuration& c, const std::filesystem::path& folder);

inline constexpr const char* kCurveResult = "curve";
[[nodiscard]] std::string curveInputHash(const Configuration& c, const std::filesystem::path& folder);
// Curve measured from the bracket, where it still fits.
[[nodiscard]] std::optional<CurveFit> storedCurve(const Project& p, const Configuration& c);
// Written into the project's folder "curves"; returns its name relative to the folder.
[[nodiscard]] std::string writeMeasuredCurve(const Configuration& c, const std::filesystem::path& folder,
                                             const CurveFit& fit);

}  // namespace edge
