#include "color/curve.h"

#include <algorithm>
#include <cmath>
#include <filesystem>

#include "base/error.h"
#include "base/files.h"
#include "base/units.h"
#include "color/curve_files.h"

namespace edge {
namespace {

class Linear final : public Curve {
 public:
  double toLinear(double c) const override { return c; }
  double toCode(double x) const override { return x; }
};

// ACES S-2014-003, clause 4.4 (ACEScc).
class AcesCc final : public Curve {
 public:
  double toLinear(double c) const override {
    const double p = std::exp2(c * 17.52 - 9.72);
    return c <= (9.72 - 15) / 17.52 ? (p - kTiny) * 2 : p;
  }
  double toCode(double x) const override {
    if (x <= 0) return (std::log2(kTiny) + 9.72) / 17.52;
    return (std::log2(x < 2 * kTiny ? kTiny + x / 2 : x) + 9.72) / 17.52;
  }

 private:
  static constexpr double kTiny = 1.0 / 65536;
};

// ITU-R BT.709-6, item 1.2. The linear part carries negative light.
class Bt709 final : public Curve {
 public:
  double toLinear(double c) const override {
    return c < 4.5 * kBreak ? c / 4.5 : std::pow((c + 0.099) / 1.099, 1 / 0.45);
  }
  double toCode(double x) const override { return x < kBreak ? 4.5 * x : 1.099 * std::pow(x, 0.45) - 0.099; }

 private:
  static constexpr double kBreak = 0.018;
};

// IEC 61966-2-1.
class Srgb final : public Curve {
 public:
  double toLinear(double c) const override {
    return c <= 0.04045 ? c / 12.92 : std::pow((c + 0.055) / 1.055, 2.4);
  }
  double toCode(double x) const override {
    return x <= 0.0031308 ? 12.92 * x : 1.055 * std::pow(x, 1 / 2.4) - 0.055;
  }
};

// Signal of an 18 % card in HLG and in PQ: ITU-R BT.2408-7, table 1.
constexpr double kHdrGreySignal = 0.38;

// ITU-R BT.2100-2, table 5 (HLG OETF), mirrored for negative light; scene-linear 0.18 at 38 % signal.
class Hlg final : public Curve {
 public:
  double toLinear(double c) const override { return std::copysign(inverse(std::abs(c)) / scale_, c); }
  double toCode(double x) const override { return std::copysign(forward(std::abs(x) * scale_), x); }

 private:
  static constexpr double kA = 0.17883277, kB = 1 - 4 * kA;
  static double constantC() { return 0.5 - kA * std::log(4 * kA); }
  static double forward(double e) {
    return e <= 1.0 / 12 ? std::sqrt(3 * e) : kA * std::log(12 * e - kB) + constantC();
  }
  static double inverse(double c) {
    return c <= 0.5 ? c * c / 3 : (std::exp((c - constantC()) / kA) + kB) / 12;
  }
  double scale_ = inverse(kHdrGreySignal) / kMiddleGrey;  // signal light of scene-linear 1
};

// ITU-R BT.2100-2, table 4 (PQ): light of the scene through the standard's own OOTF and inverse EOTF, as HLG
// is light of the scene. Scene-linear 0.18 stands at 38 % signal (26 cd/m2), so that a 90 % white comes to 57
// % (BT.2408-7, table 1). Mirrored below zero, end slope above code 1 where the formula runs into its pole.
class Pq final : public Curve {
 public:
  double toLinear(double c) const override {
    const double a = std::abs(c);
    const double e = a <= 1 ? sceneOf(eotf(a)) : 1 + (a - 1) * kEndSlope();
    return std::copysign(e / scale_, c);
  }
  double toCode(double x) const override {
    const double a = std::abs(x) * scale_;
    const double c = a <= 1 ? inverse(displayOf(a)) : 1 + (a - 1) / kEndSlope();
    return std::copysign(c, x);
  }

 private:
  static constexpr double m1 = 2610.0 / 16384, m2 = 2523.0 / 4096 * 128;
  static constexpr double c1 = 3424.0 / 4096, c2 = 2413.0 / 4096 * 32, c3 = 2392.0 / 4096 * 32;
  static double eotf(double c) {
    const double p = std::pow(c, 1 / m2);
    return std::pow(std::max(p - c1, 0.0) / (c2 - c3 * p), 1 / m1);
  }
  static double inverse(double y) {
    if (y <= 0)
      return 0;  // the standard's c1^m2 = 7e-7 is the code of no light; 0 keeps the mirror continuous
    const double p = std::pow(y, m1);
    return std::pow((c1 + c2 * p) / (1 + c3 * p), m2);
  }
  // The OOTF of table 4: BT.709's curve to E', then E'^2.4 of 100 cd/m2. Both in shares: of the scene's top
  // light, of 10000 cd/m2.
  static constexpr double kSceneSpan = 59.5208, kKnee = 0.0003024;
  static double displayOf(double e) {
    const double signal = e <= kKnee ? 267.84 * e : 1.099 * std::pow(kSceneSpan * e, 0.45) - 0.099;
    return std::pow(signal, 2.4) / 100;
  }
  static double sceneOf(double y) {
    const double signal = std::pow(100 * y, 1 / 2.4);
    return signal <= 267.84 * kKnee ? signal / 267.84
                                    : std::pow((signal + 0.099) / 1.099, 1 / 0.45) / kSceneSpan;
  }
  static double kEndSlope() {
    static const double slope = (sceneOf(eotf(1)) - sceneOf(eotf(1 - 1e-6))) / 1e-6;
    return slope;
  }
  double scale_ = sceneOf(eotf(kHdrGreySignal)) / kMiddleGrey;  // of the scene's top light, at scene-linear 1
};

class LogCameraCurve final : public Curve {
 public:
  explicit LogCameraCurve(const LogCamera& p) : p_(p), logBase_(std::log(p.base)) {
    const double argument = p.linSideSlope * p.linSideBreak + p.linSideOffset;
    if (!(p.base > 0) || p.base == 1 || !(argument > 0) || !(p.linSideSlope > 0) || !(p.logSideSlope > 0))
      throw Error("these log-camera parameters give no rising curve", "", "base, slopes or break",
                  "base > 0 and not 1, slopes > 0, and linSideSlope * linSideBreak + linSideOffset > 0");
    slope_ = p.linearSlope > 0 ? p.linearSlope : p.logSideSlope * p.linSideSlope / (argument * logBase_);
    codeAtBreak_ = logPart(p.linSideBreak);
  }
  double toLinear(double c) const override {
    if (c <= codeAtBreak_) return p_.linSideBreak + (c - codeAtBreak_) / slope_;
    return (std::exp((c - p_.logSideOffset) / p_.logSideSlope * logBase_) - p_.linSideOffset) /
           p_.linSideSlope;
  }
  double toCode(double x) const override {
    return x <= p_.linSideBreak ? codeAtBreak_ + (x - p_.linSideBreak) * slope_ : logPart(x);
  }

 private:
  double logPart(double x) const {
    return p_.logSideSlope * std::log(p_.linSideSlope * x + p_.linSideOffset) / logBase_ + p_.logSideOffset;
  }
  LogCamera p_;
  double logBase_, slope_ = 0, codeAtBreak_ = 0;
};

class TableCurve final : public Curve {
 public:
  TableCurve(std::vector<double> codes, std::vector<double> linears)
      : codes_(std::move(codes)), linears_(std::move(linears)) {}
  double toLinear(double c) const override { return interpolate(codes_, linears_, c); }
  double toCode(double x) const override { return interpolate(linears_, codes_, x); }

 private:
  static double interpolate(const std::vector<double>& from, const std::vector<double>& to, double v) {
    const auto upper = std::upper_bound(from.begin() + 1, from.end() - 1, v);
    const size_t i = static_cast<size_t>(upper - from.begin());
    return to[i - 1] + (v - from[i - 1]) * (to[i] - to[i - 1]) / (from[i] - from[i - 1]);
  }
  std::vector<double> codes_, linears_;
};

// ACES S-2016-001, clause 4.4 (ACEScct), in the parameters of CLF.
LogCamera acesCctParameters() {
  return {2, 1 / 17.52, 9.72 / 17.52, 1, 0, 0.0078125, 10.5402377416545};
}

}  // namespace

std::shared_ptr<const Curve> logCameraCurve(const LogCamera& parameters) {
  return std::make_shared<LogCameraCurve>(parameters);
}

std::shared_ptr<const Curve> tableCurve(std::vector<double> codes, std::vector<double> linears) {
  return std::make_shared<TableCurve>(std::move(codes), std::move(linears));
}

std::span<const CurveEntry> namedCurves() {
  using Made = std::shared_ptr<const Curve>;
  static constexpr CurveEntry entries[] = {
      {"linear", "scene-linear, as OpenEXR holds it", []() -> Made { return std::make_shared<Linear>(); }},
      {"acescct", "ACES S-2016-001", []() -> Made { return logCameraCurve(acesCctParameters()); }},
      {"acescc", "ACES S-2014-003", []() -> Made { return std::make_shared<AcesCc>(); }},
      {"bt709", "ITU-R BT.709-6", []() -> Made { return std::make_shared<Bt709>(); }},
      {"srgb", "IEC 61966-2-1", []() -> Made { return std::make_shared<Srgb>(); }},
      {"hlg", "ITU-R BT.2100-2", []() -> Made { return std::make_shared<Hlg>(); }},
      {"pq", "ITU-R BT.2100-2", []() -> Made { return std::make_shared<Pq>(); }},
  };
  return entries;
}

std::string curveNames() {
  std::string names;
  for (const auto& c : namedCurves()) names += (names.empty() ? "" : ", ") + std::string(c.name);
  return names;
}

bool isCurveName(const std::string& name) {
  const auto all = namedCurves();
  return name.rfind(kLibraryPrefix, 0) == 0 ||
         std::any_of(all.begin(), all.end(), [&](const CurveEntry& c) { return name == c.name; });
}

NamedCurve makeCurve(const std::string& name) {
  for (const auto& c : namedCurves())
    if (name == c.name) return {name, c.make()};
  if (name.rfind(kLibraryPrefix, 0) == 0)
    return {name, readLibraryCurve(name.substr(std::string(kLibraryPrefix).size()))};
  // A name that was mistyped is no file that is missing.
  std::error_code ec;
  if (std::filesystem::path(name).extension().empty() && !std::filesystem::exists(name, ec))
    throw Error("there is no curve \"" + name.substr(0, 60) + "\"", "", "",
                "use " + curveNames() + ", or a curve file");
  return {name, readCurveFile(name)};
}

EncodingReach reachOf(const Curve& curve) {
  EncodingReach r{};
  r.greyCode = curve.toCode(kMiddleGrey);
  r.whiteCode = curve.toCode(0.9);
  r.stopsAboveGrey = std::log2(curve.toLinear(1) / kMiddleGrey);
  const double atZero = curve.toLinear(0);
  r.belowByTenBitStep = atZero <= 1e-9;
  const double lowest = r.belowByTenBitStep ? curve.toLinear(curve.toCode(0) + 1.0 / 1023) : atZero;
  r.stopsBelowGrey = std::log2(kMiddleGrey / lowest);
  return r;
}

double slopeAt(const Curve& curve, double code, double levels) {
  const double h = 0.25 / levels;
  return (curve.toLinear(code + h) - curve.toLinear(code - h)) / (2 * h);
}

}  // namespace edge
