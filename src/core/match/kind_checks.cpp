#include "match/kind_checks.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "match/check_context.h"
#include "noise/iso_sweep.h"

namespace edge {
namespace {

constexpr double kShorter = 0.1;  // stops by which the first step of a wedge is short: a channel ends in it
constexpr double kIsFall = 0.05;  // stops: less is no step, both patches are clipped or lost
constexpr double kDark = 0.18 / 16;     // scene-linear: four stops below grey is no cap
constexpr double kLeak = 0.18 / 256;    // scene-linear, between parts of the picture
constexpr double kEqual = 0.15;         // stops
constexpr double kWhiteBalance = 0.02;  // stops between red and green, blue and green

class KindChecker {
 public:
  KindChecker(const TakeEvidence& take, const TakeEvidence* first, const Chart& chart, const Plateau& plateau,
              const TakeExpectation& expected)
      : take_(take), first_(first), chart_(chart), plateau_(plateau), expected_(expected) {}

  std::vector<TakeCheck> run(CheckKind kind) {
    if (kind == CheckKind::Wedge) wedge();
    if (kind == CheckKind::Black) black();
    if (kind == CheckKind::Sweep) sweep();
    if (kind == CheckKind::Equal) equal();
    return std::move(out_);
  }

 private:
  void add(const char* code, double figure, double tolerance, const char* unit, bool pass, std::string words,
           bool told = true) {
    out_.push_back({code, figure, tolerance, unit, pass, told, std::move(words), nullptr});
  }

  // The brightest patch and the one after it in the chart's light: in falling order where it is not known.
  void wedge() {
    const auto& p = take_.stats.patches;
    if (p.size() < 3)
      return add("too-dark", 0, kShorter, "stops", true, "the wedge is not marked yet", false);
    std::vector<size_t> order(p.size());
    for (size_t k = 0; k < order.size(); ++k) order[k] = k;
    std::stable_sort(order.begin(), order.end(), [&](size_t a, size_t b) {
      return chart_.patches[a].stops.value_or(-static_cast<double>(a)) >
             chart_.patches[b].stops.value_or(-static_cast<double>(b));
    });
    // By how much less than its step the first fall is: a channel that ends below the brightest patch shows
    // it.
    const auto fall = [&](size_t from, size_t c) {
      const double a = p[order[from]].mean[c], b = p[order[from + 1]].mean[c];
      return a > 0 && b > 0 ? std::log2(a / b) : 0;
    };
    // The step as the chart has it; where nobody has said it yet, the middle one of the falls that are seen.
    const auto stepOf = [&](size_t c) {
      const auto a = chart_.patches[order[0]].stops, b = chart_.patches[order[1]].stops;
      if (a && b) return *a - *b;
      std::vector<double> falls;
      for (size_t k = 0; k + 1 < order.size(); ++k)
        if (fall(k, c) > kIsFall) falls.push_back(fall(k, c));
      if (falls.empty()) return 0.0;
      std::nth_element(falls.begin(), falls.begin() + static_cast<std::ptrdiff_t>(falls.size() / 2),
                       falls.end());
      return falls[falls.size() / 2];
    };
    double most = -99;
    for (size_t c = 0; c < 3; ++c) most = std::max(most, stepOf(c) - fall(0, c));
    const bool pass = most > kShorter;
    add("too-dark", most, kShorter, "stops", pass,
        pass ? "its brightest patch clips"
             : "its brightest patch does not clip: the upper end of the range is not shown; open up");
  }

  void black() {
    double low = 1e9, high = -1e9, error = 0;
    for (const auto& a : take_.stats.patches) {
      low = std::min(low, a.luma), high = std::max(high, a.luma);
      error = std::max(error, std::sqrt(a.lumaVariance / std::max(1.0, a.pixels)));
    }
    if (take_.stats.patches.empty()) return;
    if (low > kDark) return add("not-black", low, kDark, "", false, "it is not dark: was the cap on?");
    const double leak = high - low;
    const bool pass = leak < std::max(kLeak, kTellingSigmas * error);
    add("not-black", leak, kLeak, "", pass,
        pass ? "dark all over"
             : "one part of it is brighter than another: light gets in, or the sensor glows");
  }

  // `chart` holds what the sweep is measured on (dimPatch in noise/iso_sweep.h).
  void sweep() {
    if (take_.stats.patches.empty()) return;
    const AreaStats& dim = take_.stats.patches.front();
    const double noise = std::sqrt(dim.lumaVariance);
    if (!(noise > 0))
      return add("too-bright", 0, kTooBrightSnr, "SNR", true, "no noise is seen in it", false);
    const double snr = dim.luma / noise;
    add("too-bright", snr, kTooBrightSnr, "SNR", snr <= kTooBrightSnr,
        fmt::format("its dim patch has an SNR of {:.0f}: {}", snr,
                    snr <= kTooBrightSnr
                        ? "dark enough"
                        : "photons drown the circuit's own noise; less light for all of the sweep"));
  }

  void equal() {
    if (!first_ || first_ == &take_) return;
    const auto back = solveOffset(take_.stats, first_->stats, neutralPatches(chart_), plateau_);
    if (!back || back->withheld)
      return add("unequal", 0, kEqual, "stops", true, "it can't be compared with the first", false);
    const double off = back->offsetStops(), tolerance = std::max(kEqual, kTellingSigmas * back->sigmaStops);
    const bool noted = take_.format.layout == Layout::Cfa && expected_.isoStops &&
                       std::abs(off + *expected_.isoStops) <= tolerance;
    const bool pass = std::abs(off) <= tolerance || noted;
    add("unequal", off, kEqual, "stops", pass,
        pass ? (noted && std::abs(off) > tolerance ? "darker by its ISO, which raw only notes"
                                                   : "as bright as the first of its series")
             : fmt::format("{} stops from the first of its series: light or iris was not set for its ISO",
                           formatSigned(off, 2)));
  }

  const TakeEvidence& take_;
  const TakeEvidence* first_;
  const Chart& chart_;
  const Plateau& plateau_;
  const TakeExpectation& expected_;
  std::vector<TakeCheck> out_;
};

// What the file says. Never a fault: all are developed as the base is, and a camera whose codes themselves
// changed shows it in "balance".
TakeCheck checkWhiteBalance(const PixelFormat& take, const PixelFormat& base) {
  double most = 0;
  for (const size_t c : {0, 2}) {
    const double off = std::log2(take.whiteBalance[c] / base.whiteBalance[c]);
    if (std::abs(off) > std::abs(most)) most = off;
  }
  const bool same = std::abs(most) <= kWhiteBalance;
  return {"white-balance",
          most,
          kWhiteBalance,
          "stops",
          true,
          true,
          same ? "white balance as the base"
               : fmt::format(
                     "white balance was set anew: red x {:.2f}, blue x {:.2f}, base {:.2f} and {:.2f}; "
                     "developed as the base is, so no figure suffers",
                     take.whiteBalance[0], take.whiteBalance[2], base.whiteBalance[0], base.whiteBalance[2]),
          nullptr};
}

}  // namespace

std::vector<TakeCheck> checkFile(const TakeEvidence& take, const TakeEvidence* base,
                                 const TakeExpectation& e) {
  const PixelFormat& f = take.format;
  const auto differs = [](double is, double wanted) {
    return wanted > 0 && is > 0 && std::abs(is - wanted) > 0.01 * wanted;
  };
  std::string wrong;
  const bool raw = f.layout == Layout::Cfa;
  if (e.raw && raw != *e.raw) wrong = *e.raw ? "no raw frames" : "raw frames";
  if (!raw && !f.isFloat() && e.bits > 0 && f.bitDepth < e.bits)
    wrong = fmt::format("{} bit where {:g} were planned", f.bitDepth, e.bits);
  if (differs(take.fps, e.fps)) wrong = fmt::format("{:g} fps where {:g} were planned", take.fps, e.fps);
  if (differs(f.width, e.width) || differs(f.height, e.height))
    wrong = fmt::format("{} x {} where {:g} x {:g} were planned", f.width, f.height, e.width, e.height);
  if (base && (f.width != base->format.width || f.height != base->format.height))
    wrong = fmt::format("{} x {} where the base has {} x {}", f.width, f.height, base->format.width,
                        base->format.height);
  if (wrong.empty() && base && take.coding != base->coding)
    wrong = fmt::format("recorded as {} where the base is {}", take.coding, base->coding);
  std::vector<TakeCheck> out;
  out.push_back({"format", wrong.empty() ? 0.0 : 1.0, 0, "", wrong.empty(), true,
                 wrong.empty() ? "format as planned" : wrong, nullptr});
  if (const MissingFrames& missing = take.stats.missing; missing.count > 0)
    out.push_back({kTruncated, static_cast<double>(missing.count), 0, "frames", false, true, wordsOf(missing),
                   nullptr});
  if (base && raw && base->format.layout == Layout::Cfa) out.push_back(checkWhiteBalance(f, base->format));
  return out;
}

std::vector<TakeCheck> checkOfKind(CheckKind kind, const TakeEvidence& take, const TakeEvidence* first,
                                   const Chart& chart, const Plateau& plateau,
                                   const TakeExpectation& expected) {
  auto out = checkFile(take, nullptr, expected);
  for (auto& c : KindChecker(take, first, chart, plateau, expected).run(kind)) out.push_back(std::move(c));
  return out;
}

Chart nineAreas(double width, double height) {
  Chart c;
  c.kind = "colour";
  c.referenceWidth = width, c.referenceHeight = height;
  constexpr double kHalf = 0.08;  // of the picture
  for (const int at : {4, 0, 1, 2, 3, 5, 6, 7, 8}) {
    const double x = (0.2 + 0.3 * (at % 3)) * width, y = (0.2 + 0.3 * (at / 3)) * height;
    const double dx = kHalf * width, dy = kHalf * height;
    Patch p;
    p.name = std::to_string(at + 1);
    p.corners = {Point{x - dx, y - dy}, {x + dx, y - dy}, {x + dx, y + dy}, {x - dx, y + dy}};
    c.patches.push_back(p);
  }
  return c;
}

}  // namespace edge
