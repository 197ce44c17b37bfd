#include "noise/iso_sweep.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>
#include <numbers>

#include "base/error.h"
#include "base/json_numbers.h"
#include "base/numbers.h"
#include "exposure/series.h"
#include "measure/filtering.h"
#include "measure/quantisation.h"
#include "recover/clip_decode.h"

using nlohmann::json;

namespace edge {
namespace {

constexpr double kModelSigma = 0.007;  // relative, of a noise figure beyond sampling: shading, second order
constexpr double kFewestCodes = 0.4;   // sd: below it rounding hides the noise (phaseBias is a tenth there)
constexpr double kLeans = 0.5;         // skewness of noise that is cut off at black
constexpr double kFollows = 0.08;      // of a level, by which it may miss what its ISO asks for
constexpr double kSureSigmas = 4;
constexpr double kFiltersDiffer = 0.15;  // of ln variance: 0.1 stop of noise
constexpr double kLightMoved = 0.12;     // relative step of the light that is one

// By how much step^2/12 can be wrong where a level lies badly between two codes, relative, of the sd that is
// left: first harmonic of the rounding error (Widrow and Kollar, Quantization Noise, 2008; from memory).
double phaseBias(double sdCodes) {
  const double s2 = sdCodes * sdCodes, pi2 = std::numbers::pi * std::numbers::pi;
  return sdCodes > 2 ? 0 : std::exp(-2 * pi2 * s2) * (1 / pi2 + 4 * s2) / (2 * s2);
}

// Rounding of raw codes is the camera's own and is taken off here as any other: circuits are looked for.
void takeOffRounding(const PatchMeasure& m, bool mosaic, SweepPoint& p) {
  const ChannelMeasure& y = m.channel[kY];
  const ChannelMeasure& recorded = m.channel[mosaic ? kG : kY];
  if (!mosaic) {
    p.quantised = y.quantisation == Quantisation::Limited;
    p.variance = y.variance - y.quantisationVariance;
    return;
  }
  const double rounding = recorded.step * recorded.step / 12;
  // Of the converter's codes, rounding taken off.
  const double codes = recorded.step > 0
                           ? std::sqrt(std::max(0.0, recorded.variance - rounding)) / recorded.step
                           : std::numeric_limits<double>::infinity();
  p.quantised = codes < kFewestCodes;
  p.variance = y.variance * (recorded.variance > 0 ? std::max(0.0, 1 - rounding / recorded.variance) : 1);
  p.relativeSigma = phaseBias(codes);
}

// Least squares level = a r + q, weighted; how far each level lies from its ISO.
struct Line {
  double a = 0, q = 0, aSigma = 0;
};
Line lineOf(const std::vector<SweepPoint>& p, const std::vector<double>& ratio) {
  double s[3] = {}, t[2] = {};
  for (size_t i = 0; i < p.size(); ++i) {
    const double sigma = std::hypot(p[i].levelSigma, 0.01 * p[i].level), w = 1 / (sigma * sigma);
    s[0] += w;
    s[1] += w * ratio[i];
    s[2] += w * ratio[i] * ratio[i];
    t[0] += w * p[i].level;
    t[1] += w * p[i].level * ratio[i];
  }
  const double det = s[0] * s[2] - s[1] * s[1];
  if (!(det > 0)) return {};
  return {(s[0] * t[1] - s[1] * t[0]) / det, (t[0] * s[2] - t[1] * s[1]) / det, std::sqrt(s[0] / det)};
}

// Noise that is cut off at black leans to the bright side, by more than its rounding to codes makes it lean.
bool isCutOff(const WedgeMeasure& w) {
  const PatchMeasure& m = w.patches[0];
  if (!(m.channel[kY].skewness > kLeans)) return false;
  const ChannelMeasure& recorded = m.channel[w.mosaic ? kG : kY];
  if (!(recorded.step > 0) || !std::isfinite(recorded.code)) return true;
  const double rounding = w.mosaic ? recorded.step * recorded.step / 12 : recorded.quantisationVariance;
  const double codes = std::sqrt(std::max(0.0, recorded.variance - rounding)) / recorded.step;
  return recorded.skewness - roundedSkewness(codes, recorded.code * w.levels) > kLeans;
}

// The grey that tells brightness best, over all takes: clear of its noise and whole in every one. nullopt:
// none.
std::optional<size_t> clearest(const std::vector<std::vector<PatchMeasure>>& takes) {
  constexpr double kClear = 3, kPiled = 0.2;  // SNR; share of samples on one top code
  std::optional<size_t> best;
  double bestSnr = kClear;
  for (size_t k = 0; k < takes.front().size(); ++k) {
    double least = std::numeric_limits<double>::infinity();
    for (const auto& patches : takes) {
      const ChannelMeasure& y = patches[k].channel[kY];
      const bool piled = std::any_of(std::begin(patches[k].channel), std::end(patches[k].channel),
                                     [](const ChannelMeasure& c) { return c.topShare > kPiled; });
      least = std::min(least, piled || !(y.variance > 0) ? 0 : y.mean / std::sqrt(y.variance));
    }
    if (least <= bestSnr) continue;
    best = k;
    bestSnr = least;
  }
  return best;
}

bool within(const SweepPoint& p, double expected) {
  return std::abs(p.level - expected) <= std::max(kFollows * std::abs(expected), kSureSigmas * p.levelSigma);
}

struct Brightness {
  GainLaw law = GainLaw::Iso;
  std::vector<double> gain;     // of each point against the first
  std::optional<size_t> moved;  // from this point on the light is another
  double movedStops = 0;
};

// A lamp that changed: the level over ISO is one value before a point and another from there on.
void findMove(const std::vector<SweepPoint>& p, const std::vector<double>& ratio, Brightness& b) {
  double best = 0;
  for (size_t k = 1; k < p.size(); ++k) {
    double sum[2] = {}, weight[2] = {};
    for (size_t i = 0; i < p.size(); ++i) {
      const double over = p[i].level / ratio[i], sigma = std::hypot(p[i].levelSigma / ratio[i], 0.01 * over);
      sum[i >= k] += over / (sigma * sigma);
      weight[i >= k] += 1 / (sigma * sigma);
    }
    const double before = sum[0] / weight[0], after = sum[1] / weight[1];
    const double error = std::sqrt(1 / weight[0] + 1 / weight[1]);
    double chi = 0;
    for (size_t i = 0; i < p.size(); ++i) {
      const double over = p[i].level / ratio[i], sigma = std::hypot(p[i].levelSigma / ratio[i], 0.01 * over);
      chi += std::pow((over - (i >= k ? after : before)) / sigma, 2);
    }
    const double jump = std::abs(after - before) / error;
    if (!(before > 0) || !(after > 0) || std::abs(std::log(after / before)) < kLightMoved ||
        chi > kSureSigmas * static_cast<double>(p.size()) || jump < kSureSigmas || jump < best)
      continue;
    best = jump;
    b.moved = k;
    b.movedStops = std::log2(after / before);
  }
}

// What marked ISOs stand for: the series' exact values, or just the numbers that are engraved; whichever the
// levels follow more closely.
std::vector<double> ratiosOf(const std::vector<SweepPoint>& p) {
  std::vector<double> best;
  double least = std::numeric_limits<double>::infinity();
  for (const bool exact : {true, false}) {
    const auto iso = [&](const SweepPoint& x) { return exact ? readIso(x.iso).exact.value() : x.iso; };
    std::vector<double> ratio;
    for (const auto& x : p) ratio.push_back(iso(x) / iso(p.front()));
    const Line line = lineOf(p, ratio);
    double off = 0;
    for (size_t i = 0; i < p.size(); ++i)
      off += std::pow(
          (p[i].level - line.a * ratio[i] - line.q) / std::hypot(p[i].levelSigma, 0.001 * p[i].level), 2);
    if (off < least) {
      least = off;
      best = ratio;
    }
  }
  return best;
}

Brightness brightnessOf(std::vector<SweepPoint> p) {
  const bool beside =
      std::all_of(p.begin(), p.end(), [](const SweepPoint& x) { return x.beside.has_value(); });
  for (auto& x : p) {
    if (!beside) break;
    x.level = *x.beside;
    x.levelSigma = x.besideSigma;
  }
  const std::vector<double> ratio = ratiosOf(p);
  Brightness b;
  b.gain = ratio;
  const Line line = lineOf(p, ratio);
  bool follows = true, constant = true;
  for (size_t i = 0; i < p.size(); ++i) {
    follows = follows && within(p[i], line.a * ratio[i] + line.q);
    constant = constant && within(p[i], p.front().level);
  }
  // Where there is nothing but black brightness tells nothing: ISO is taken at its word.
  const bool seen = std::all_of(p.begin(), p.end(), [](const SweepPoint& x) {
    return x.level > kSureSigmas * x.levelSigma && x.level > 0;
  });
  if (!seen || (follows && line.a > kSureSigmas * line.aSigma)) return b;
  if (constant) {
    b.law = GainLaw::MetadataOnly;
    b.gain.assign(p.size(), 1);
    return b;
  }
  findMove(p, ratio, b);
  if (b.moved) return b;
  b.law = GainLaw::Mixed;
  for (size_t i = 0; i < p.size(); ++i) b.gain[i] = p[i].level / p.front().level;
  return b;
}

std::vector<SweepPoint> usedOf(const SweepMeasure& m) {
  std::vector<SweepPoint> used;
  for (const auto& p : m.points)
    if (!p.leftOut()) used.push_back(p);
  return used;
}

// Greys that may tell brightness: of known light or role, large enough and within the picture.
Chart greysBeside(const Chart& chart, const std::string& dim, const Decoder& decoder) {
  constexpr int kLeast = 8;  // pixels
  Chart c = chart;
  c.grey.reset();
  std::erase_if(c.patches, [&](const Patch& p) {
    if (p.name == dim || (!p.stops && p.role != "grey" && p.role != "white")) return true;
    const Rect r = measuredRect(p, chart, decoder);
    return r.width < kLeast || r.height < kLeast || r.x < 0 || r.y < 0 ||
           r.x + r.width > decoder.format().width || r.y + r.height > decoder.format().height;
  });
  return c;
}

// A second look at the clips, where the dim patch alone says that brightness does not follow ISO.
void lookBeside(const Series& s, const Progress& progress, SweepMeasure& m) {
  std::vector<std::vector<PatchMeasure>> takes;
  std::vector<double> frames;
  for (const auto& p : m.points) {
    const auto spec = std::find_if(s.takes.begin(), s.takes.end(),
                                   [&](const TakeSpec& t) { return t.name == p.take && t.iso == p.iso; });
    const auto reader = openClip(spec->clip);
    const DecodeOptions decode = resolved(s.decode, reader->info());
    const Chart greys = greysBeside(s.chart, m.patch, Decoder(reader->info().format, decode));
    if (greys.patches.empty()) return;
    const WedgeMeasure w = measureWedge(*reader, decode, greys, spec->window.value_or(s.window), progress);
    takes.push_back(w.patches);
    frames.push_back(static_cast<double>(std::max<std::int64_t>(1, w.frames)));
  }
  const auto grey = clearest(takes);
  if (!grey) return;
  for (size_t i = 0; i < m.points.size(); ++i) {
    const ChannelMeasure& y = takes[i][*grey].channel[kY];
    m.points[i].beside = y.mean;
    m.points[i].besideSigma = std::sqrt(y.variance / (y.samples * frames[i]));
  }
}

std::string adviceOf(const CircuitsFound& f) {
  if (f.family == CircuitFamily::AllDigital)
    return "One circuit: every ISO is the same picture made brighter; rate by headroom, not by noise.";
  if (f.family == CircuitFamily::ManySteps)
    return "Many steps of gain: noise at equal brightness falls with ISO; no ISO is native.";
  std::string text;
  for (size_t k = 0; k + 1 < f.bands.size(); ++k)
    text += fmt::format("{}tay at {:.0f} up to {:.0f}, then jump to {:.0f}: {} stop cleaner in the shadows",
                        k ? "; s" : "S", f.bands[k].nativeIso, f.bands[k].toIso, f.bands[k + 1].nativeIso,
                        formatNumber(f.steps[k].stops, 1));
  return text + ".";
}

}  // namespace

Patch dimPatch(const Series& s) {
  std::vector<Patch> all = s.chart.patches;
  all.insert(all.end(), s.regions.begin(), s.regions.end());
  for (const auto& p : all)
    if (p.role == "dim") return p;
  const Patch* darkest = nullptr;
  for (const auto& p : all)
    if (p.stops && (!darkest || *p.stops < *darkest->stops)) darkest = &p;
  if (darkest) return *darkest;
  if (s.chart.patches.empty() && !s.regions.empty()) return s.regions.front();
  throw Error("a sweep needs a patch of known light, or one with the role dim", "", "chart",
              "say the light of the chart's patches, or name the chart of the series");
}

double SweepPoint::snr() const {
  return variance > 0 ? level / std::sqrt(variance) : 0;
}

const char* SweepPoint::leftOut() const {
  return removed                        ? "noise-removed"
         : clamped                      ? "clamped-black"
         : quantised || !(variance > 0) ? "quantised"
                                        : nullptr;
}

SweepMeasure measureSweep(const Series& s, const Progress& progress) {
  SweepMeasure m;
  Chart chart = s.chart;
  const Patch dim = dimPatch(s);
  m.patch = dim.name;
  chart.patches = {dim};
  chart.grey.reset();
  std::optional<PixelFormat> format;
  double done = 0;
  for (const auto& t : s.takes) {
    if (!t.iso || t.role == "black") continue;
    progress.report(done++ / static_cast<double>(s.takes.size()), t.name);
    const auto reader = openClip(t.clip);
    const PixelFormat& f = reader->info().format;
    if (format && !format->sameAs(f))
      throw Error(
          fmt::format("this take is {} x {}, {} bit; the first is {} x {}, {} bit: they can't be compared",
                      f.width, f.height, f.bitDepth, format->width, format->height, format->bitDepth),
          t.clip.string(), "take " + t.name, "shoot a sweep at one raster, codec and bit depth");
    format = f;
    if (s.chartFile.empty() && s.chart.patches.empty()) {  // regions in pixels of the clips
      chart.referenceWidth = f.width;
      chart.referenceHeight = f.height;
    }
    const DecodeOptions decode = resolved(s.decode, reader->info());
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    const WedgeMeasure w = measureWedge(*reader, decode, chart, t.window.value_or(s.window), quiet);
    const ChannelMeasure& y = w.patches[0].channel[kY];
    SweepPoint p;
    p.take = t.name;
    p.iso = *t.iso;
    p.level = y.mean;
    p.frames = w.frames;
    p.missing = w.missing;
    takeOffRounding(w.patches[0], w.mosaic, p);
    p.removed = w.frames > 1 && !(y.variance > 0);
    p.clamped = isCutOff(w);
    const ChannelFiltering& filter = w.filtering[kY];
    const bool inTime = isFilteredInTime(filter);
    p.filtered = filter.patches > 0 && (isProcessed(filter) || inTime);
    if (p.filtered) {
      p.lnInflation = std::log(filter.inflation) + (inTime ? std::log(filter.temporalFactor) : 0);
      p.lnInflationSigma =
          std::hypot(filter.inflationSigma / filter.inflation, inTime ? filter.temporalFactorSigma : 0);
    }
    p.repeated = w.repeatedFrames + w.nearRepeats;
    const double frames = static_cast<double>(std::max<std::int64_t>(1, w.frames));
    const double shared = std::max(1.0, w.filtering[kY].inflation);  // of neighbours that are filtered
    const double freedom = std::max(1.0, y.samples * std::max(1.0, frames - 1) / shared);
    const double kept = p.variance > 0 ? y.variance / p.variance : 1;
    p.relativeSigma = std::hypot(p.relativeSigma, std::hypot(kept / std::sqrt(2 * freedom), kModelSigma));
    p.levelSigma = std::sqrt(std::max(0.0, y.variance) * shared / (y.samples * frames));
    m.points.push_back(p);
    if (!w.lossyCodec.empty()) m.lossyCodec = w.lossyCodec;
  }
  if (m.points.empty())
    throw Error("no take has an ISO", s.base.string(), "takes", "give each take its \"iso\"");
  std::stable_sort(m.points.begin(), m.points.end(),
                   [](const auto& a, const auto& b) { return a.iso < b.iso; });
  const auto used = usedOf(m);
  if (used.size() > 1) {
    const Brightness b = brightnessOf(used);
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    if (b.moved || b.law == GainLaw::Mixed) lookBeside(s, quiet, m);
  }
  progress.report(1, "done");
  return m;
}

namespace {

void warnOfPoints(const SweepMeasure& m, SweepResult& r) {
  const auto add = [&](const char* code, std::string message, std::string where) {
    r.warnings.push_back({code, std::move(message), std::move(where)});
  };
  for (const auto& p : m.points) {
    const std::string where = fmt::format("ISO {:.0f}", p.iso);
    if (p.removed)
      add("noise-removed", "nothing changes from frame to frame: its noise is unknown, and left out", where);
    else if (p.clamped)
      add("clamped-black", "its noise is cut off at black: left out", where);
    else if (p.leftOut())
      add("quantised", "noise is smaller than the codes can show: left out", where);
    if (p.frames < 2) add("few-frames", "one frame only: texture counts as noise", where);
    warnOf(p.missing, where, r.warnings);
  }
  for (const auto& p : m.points)
    if (p.repeated > 0)
      add("repeated-frames", fmt::format("{} frames repeat the one before: they count once", p.repeated),
          fmt::format("ISO {:.0f}", p.iso));
  if (!m.lossyCodec.empty())
    add("lossy-codec", m.lossyCodec + " changes noise by its level: circuits may be those of the codec", "");
}

// Noise reduction that comes in with ISO looks like a quieter circuit.
bool filtersDiffer(const std::vector<SweepPoint>& used, SweepResult& r) {
  const auto strength = [](const SweepPoint& a, const SweepPoint& b) {
    return a.lnInflation < b.lnInflation;
  };
  const auto [least, most] = std::minmax_element(used.begin(), used.end(), strength);
  if (std::none_of(used.begin(), used.end(), [](const SweepPoint& p) { return p.filtered; })) return false;
  const double apart = most->lnInflation - least->lnInflation;
  const bool differ = apart > std::max(kFiltersDiffer, kSureSigmas * std::hypot(most->lnInflationSigma,
                                                                                least->lnInflationSigma));
  r.warnings.push_back(
      {"filtered",
       differ
           ? fmt::format(
                 "noise is filtered more at ISO {:.0f} than at {:.0f}: a reducer that follows ISO looks like "
                 "another circuit; no circuits are given; switch it off",
                 most->iso, least->iso)
           : std::string("noise is filtered alike at all ISOs: circuits stand, noise is not the sensor's"),
       ""});
  return differ;
}

}  // namespace

SweepResult judgeSweep(const SweepMeasure& m) {
  SweepResult r;
  warnOfPoints(m, r);
  const std::vector<SweepPoint> used = usedOf(m);
  if (used.empty()) return r;
  const Brightness b = brightnessOf(used);
  r.law = b.law;
  size_t bright = 0;
  for (size_t i = 0; i < used.size(); ++i) {
    // A brightness that was measured has an error of its own.
    const double level = b.law != GainLaw::Mixed ? 0
                         : used[i].beside        ? used[i].besideSigma / *used[i].beside
                                                 : used[i].levelSigma / used[i].level;
    r.noise.push_back(
        {used[i].iso, std::sqrt(used[i].variance) / b.gain[i], std::hypot(used[i].relativeSigma, level)});
    bright += used[i].snr() > kTooBrightSnr;
  }
  if (bright * 2 > used.size())
    r.warnings.push_back(
        {"too-bright",
         fmt::format("the patch stands {} times over its noise: photons hide the circuits; go "
                     "darker by {} stops or more",
                     formatNumber(used.front().snr(), 1),
                     formatNumber(2 * std::log2(used.front().snr() / 2), 1)),
         "patch " + m.patch});
  if (b.law == GainLaw::MetadataOnly)
    r.warnings.push_back({"metadata-only",
                          "the codes are the same at every ISO: here ISO is a number in the file, not a gain",
                          ""});
  if (b.law == GainLaw::Mixed)
    r.warnings.push_back(
        {"gain-differs",
         "brightness does not follow ISO: noise is compared at the brightness that was measured", ""});
  if (b.moved) {
    r.warnings.push_back(
        {"light-changed",
         fmt::format(
             "from ISO {:.0f} on the light is {} stops another: no circuits are given; shoot the sweep again "
             "in one light",
             used[*b.moved].iso, formatSigned(b.movedStops, 2)),
         "take " + used[*b.moved].take});
    return r;
  }
  if (filtersDiffer(used, r)) return r;
  r.found = findCircuits(r.noise);
  if (!r.found)
    r.warnings.push_back(
        {"few-takes", fmt::format("{} usable takes: at least {} are needed", used.size(), kFewestSweepPoints),
         ""});
  else
    r.advice = adviceOf(*r.found);
  const SweepPoint& lowest = m.points.front();
  if (r.found && lowest.leftOut())
    r.warnings.push_back(
        {"native-unknown",
         fmt::format("ISOs from {:.0f} on were left out: the first circuit begins at {:.0f} or below",
                     lowest.iso, used.front().iso),
         ""});
  return r;
}

json sweepJson(const SweepMeasure& m, const SweepResult& r) {
  json j = {
      {"patch", m.patch}, {"noise", json::array()}, {"circuits", json::array()}, {"steps", json::array()}};
  const double first = r.noise.empty() ? 1 : r.noise.front().noise;
  for (const auto& n : r.noise)
    j["noise"].push_back(
        {{"iso", n.iso}, {"relative_noise", n.noise / first}, {"sigma", n.sigma * n.noise / first}});
  j["family"] = r.found ? json(wordOf(r.found->family)) : json();
  if (r.found) {
    for (const auto& b : r.found->bands)
      j["circuits"].push_back({{"native_iso", b.nativeIso}, {"from_iso", b.fromIso}, {"to_iso", b.toIso}});
    for (const auto& s : r.found->steps)
      j["steps"].push_back({{"iso", s.iso}, {"stops", s.stops}, {"sigma", s.sigma}});
    j["chi_square"] = r.found->chiSquare;
  }
  j["gain"] = r.law == GainLaw::Iso ? "iso" : r.law == GainLaw::MetadataOnly ? "metadata-only" : "mixed";
  j["left_out"] = json::array();
  for (const auto& p : m.points)
    if (const char* why = p.leftOut()) j["left_out"].push_back({{"iso", p.iso}, {"why", why}});
  j["snr"] = json::array();
  for (const auto& p : m.points) j["snr"].push_back({{"iso", p.iso}, {"snr", p.snr()}, {"level", p.level}});
  j["advice"] = r.advice.empty() ? json() : json(r.advice);
  j["warnings"] = toJson(r.warnings);
  return j;
}

}  // namespace edge
