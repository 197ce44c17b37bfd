// Transfer curves: code value (0..1 of full or legal range) to scene-linear (18 % grey = 0.18) and back.
// Never clamped: codes below 0 and above 1 and negative light pass through by the curve's own continuation.
#pragma once
#include <filesystem>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace edge {

class Curve {
 public:
  virtual ~Curve() = default;
  [[nodiscard]] virtual double toLinear(double code) const = 0;
  [[nodiscard]] virtual double toCode(double linear) const = 0;
};

struct NamedCurve {
  std::string name;
  std::shared_ptr<const Curve> curve;
};

// Log-camera parameters with the names and meaning of CLF (SMPTE ST 2136-1 / S-2014-006, "cameraLinToLog"):
//   code = logSideSlope log_base(linSideSlope x + linSideOffset) + logSideOffset   for x > linSideBreak
//   code = linearSlope x + offset that makes it continuous                         below
struct LogCamera {
  double base = 2, logSideSlope = 1, logSideOffset = 0, linSideSlope = 1, linSideOffset = 0, linSideBreak = 0;
  double linearSlope = 0;  // 0: the slope of the log part at the break
};

// The encoding seen from grey.
struct EncodingReach {
  double greyCode;        // of 0.18
  double whiteCode;       // of 0.90
  double stopsAboveGrey;  // log2(f^-1(1) / 0.18)
  double stopsBelowGrey;  // log2(0.18 / f^-1(0)); where code 0 is no light or less: to one ten-bit step above
                          // no light
  bool belowByTenBitStep;  // the second reading of stopsBelowGrey was used
};

// The curves that have a name: one table, read by picker, help and tests.
struct CurveEntry {
  const char* name;
  const char* source;  // the standard
  std::shared_ptr<const Curve> (*make)();
};
[[nodiscard]] std::span<const CurveEntry> namedCurves();
[[nodiscard]] std::string curveNames();  // "linear, acescct, ..."

// One of namedCurves, or a .clf, .cube (1D), .spi1d, .csv or .json
// file, or
// `library:NAME` for a transform that the installed colour library brings itself. hlg and pq of
// ITU-R BT.2100 stand on the 18 % card at 38 % signal (ITU-R BT.2408); pq is the display's light, not undone
// to the scene's.
[[nodiscard]] NamedCurve makeCurve(const std::string& nameOrFile);
[[nodiscard]] bool isCurveName(const std::string& name);  // no file
inline constexpr const char* kLibraryPrefix = "library:";
[[nodiscard]] std::shared_ptr<const Curve> logCameraCurve(const LogCamera& parameters);

// Piecewise linear through rising points (code, linear); the end slopes go on outside.
[[nodiscard]] std::shared_ptr<const Curve> tableCurve(std::vector<double> codes, std::vector<double> linears);

[[nodiscard]] EncodingReach reachOf(const Curve& curve);

// d linear / d code at a code, from a step of a quarter code of `levels` either way.
[[nodiscard]] double slopeAt(const Curve& curve, double code, double levels);

}  // namespace edge
