#include "recover/take_metrics.h"

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "color/lab.h"
#include "measure/noise.h"

namespace edge {
namespace {

constexpr double kDarkBelowFace = 3;  // stops below the face grey where the dark patch is looked for
constexpr double kColoured = 5;       // C* of a face whose saturation is followed
constexpr double kColourSnr = 1;      // below it a patch does not steer the grade
constexpr double kFlickerFrames = 4;
constexpr double kCodeError = 0.58;  // codes: of a level and of an end, each a code wide (1 of 1.7)
constexpr double kUnderBase = 0.5;   // stops: takes that are darker may want a reducer

double worst(const std::array<std::optional<double>, 3>& v) {
  return std::max({v[0].value_or(0), v[1].value_or(0), v[2].value_or(0)});
}

// Standard error of a patch's mean in one channel: temporal noise of its sample, neighbours of subsampled
// chroma counted as one.
double meanErrorOf(const TakeStats& t, size_t patch, size_t channel) {
  const PatchSample& s = t.samples[patch];
  const auto n = static_cast<double>(s.frames.size());
  if (s.frames.size() < 2) return 0;
  double sum = 0;
  const auto pixels = static_cast<size_t>(s.width) * static_cast<size_t>(s.height);
  for (size_t i = 0; i < pixels; ++i) {
    double mean = 0, squares = 0;
    for (const auto& f : s.frames) {
      mean += f[3 * i + channel] / n;
      squares += static_cast<double>(f[3 * i + channel]) * f[3 * i + channel];
    }
    sum += std::max(0.0, squares - n * mean * mean) / (n - 1);
  }
  const double variance = sum / std::max<double>(1, static_cast<double>(pixels)) * (t.subsampled ? 2 : 1);
  return std::sqrt(variance / (t.patches[patch].pixels * std::max<double>(1, static_cast<double>(t.frames))));
}

double chromaOf(const Lab& lab) {
  return std::hypot(lab.a, lab.b);
}

}  // namespace

BracketFigures::BracketFigures(const Series& s, const TakeStats& base, const std::vector<MeasuredTake>& takes,
                               Look look, Textures textures)
    : s_(s),
      base_(base),
      look_(std::move(look)),
      display_(s.display),
      table_(display_),
      logName_(logEncodingOf(s.decode.curve)) {
  log_ = makeCurve(logName_).curve;
  linearCodes_ = logName_ != s.decode.curve;
  std::vector<const TakeStats*> all = {&base};
  for (const auto& t : takes) all.push_back(&t.stats);
  neutrals_ = neutralPatches(s.chart);
  plateau_ = findPlateau(all, neutrals_);
  primaries_ = s.decode.primaries.value_or(s.decode.matrix.value_or(Primaries::Bt709));
  pickGreys();
  if (textures == Textures::Picked) pickTextures();
}

std::vector<size_t> BracketFigures::sampledPatches() const {
  return dark_ ? std::vector<size_t>{face_, *dark_} : std::vector<size_t>{face_};
}

TakeMetrics BracketFigures::metricsOf(const TakeSpec& spec, const MeasuredTake& measured) const {
  const TakeStats& t = measured.stats;
  TakeMetrics m;
  m.framing = measured.framing;
  m.name = spec.name;
  m.planned = spec.plannedStops.value_or(0);
  m.frames = t.frames;
  m.missing = t.missing;
  m.repeatedFrames = t.repeatedFrames;
  m.lossyCodec = t.lossyCodec;
  const auto back = solveOffset(t, base_, neutrals_, plateau_);
  BringBack b;
  b.k = std::exp2(m.planned);  // nothing to measure it from: the plan must serve, and is said to
  if (back) {
    b = *back;
    if (!b.withheld) m.measured = b.offsetStops();
  }
  m.sigma = b.sigmaStops;
  m.patchesUsed = b.patchesUsed;
  m.byMedian = b.byMedian;
  m.scatterStops = b.scatterStops;
  m.solved = *solveBranch(Branch::Exposure, {*log_, display_, primaries_, b, {}});
  m.driftStops = driftOf(t);
  m[Criterion::Flicker] = flickerOf(t);
  if (m[Criterion::Flicker] && t.frames > kFlickerFrames)
    m.sigmas[static_cast<size_t>(Criterion::Flicker)] =
        *m[Criterion::Flicker] / std::sqrt(2 * (static_cast<double>(t.frames) - 2));
  findClipped(t, m);
  findAfter(t, m);
  findDetail(t, m);
  m.colours = coloursOf(t, b);
  if (m.measured.value_or(m.planned) < -kUnderBase && !isFarFromLimits(m.figures, s_.wanted)) findRungs(t, m);
  return m;
}

std::vector<AreaColour> BracketFigures::coloursOf(const TakeStats& t, const BringBack& back) const {
  std::vector<AreaColour> out;
  const auto add = [&](const AreaStats& a, bool neutral) {
    const double error = std::sqrt(
        a.lumaVariance / (std::max(1.0, a.pixels) * std::max<double>(1, static_cast<double>(t.frames))));
    out.push_back({a.name, a.role, neutral, !isPartlyClipped(a, plateau_), back.apply(a.mean),
                   Vec3{error, error, error}});
    for (double& e : out.back().error) e /= back.k;
  };
  for (size_t i = 0; i < t.patches.size(); ++i)
    add(t.patches[i], std::find(neutrals_.begin(), neutrals_.end(), i) != neutrals_.end());
  for (const auto& r : t.regions) add(r, false);
  return out;
}

std::vector<TakeMetrics> BracketFigures::branchesOf(const TakeMetrics& headline, const TakeStats& t) const {
  std::vector<TakeMetrics> list;
  if (!headline.measured) return list;
  const BranchProblem problem{*log_, display_, primaries_, headline.solved.correction.back, pairsOf(t)};
  for (const auto& spec : branches()) {
    if (spec.id == Branch::Exposure) continue;
    auto solved = solveBranch(spec.id, problem);
    if (!solved) continue;
    TakeMetrics m = headline;
    m.rungs.clear();
    m.colours.clear();
    m.solved = std::move(*solved);
    findAfter(t, m);
    keepDetail(headline, m);
    list.push_back(std::move(m));
  }
  return list;
}

TakeMetrics BracketFigures::underLook(const TakeMetrics& neutral, const TakeStats& t) const {
  TakeMetrics m = neutral;
  m.rungs.clear();
  m.colours.clear();
  m.stressed.clear();
  findAfter(t, m);
  findDetail(t, m);
  return m;
}

std::array<std::optional<double>, kCriteria> BracketFigures::stressed(const TakeMetrics& neutral,
                                                                      const TakeStats& t) const {
  TakeMetrics m = neutral;
  m.figures = {};
  findNoise(t, m, true);
  return m.figures;
}

// A correlation hardly depends on the tone curve: the branches share that of exposure alone.
void BracketFigures::keepDetail(const TakeMetrics& headline, TakeMetrics& m) {
  constexpr auto kDetail = static_cast<size_t>(Criterion::Detail);
  m.figures[kDetail] = headline.figures[kDetail];
  m.sigmas[kDetail] = headline.sigmas[kDetail];
  for (size_t i = 0; i < m.delivered.size(); ++i) {
    m.delivered[i].figures[kDetail] = headline.delivered[i].figures[kDetail];
    m.delivered[i].sigmas[kDetail] = headline.delivered[i].sigmas[kDetail];
  }
}

// Colours that are intact in take and base.
std::vector<ColourPair> BracketFigures::pairsOf(const TakeStats& t) const {
  std::vector<ColourPair> pairs;
  const auto add = [&](const AreaStats& take, const AreaStats& base, bool neutral) {
    if (isPartlyClipped(take, plateau_) || isPartlyClipped(base, plateau_)) return;
    const double noise = std::sqrt(take.lumaVariance);
    if (!(take.luma > kColourSnr * noise) || !(base.luma > 0)) return;
    ColourPair p;
    p.take = take.mean;
    p.base = base.mean;
    p.neutral = neutral;
    if (take.role == "skin") p.weight = kSkinWeight;
    for (size_t c = 0; c < 3; ++c) {
      p.takeError[c] = noise / std::sqrt(take.pixels * std::max<double>(1, static_cast<double>(t.frames)));
      p.baseError[c] = std::sqrt(base.lumaVariance) /
                       std::sqrt(base.pixels * std::max<double>(1, static_cast<double>(base_.frames)));
    }
    pairs.push_back(p);
  };
  for (size_t i = 0; i < t.patches.size(); ++i)
    add(t.patches[i], base_.patches[i], std::find(neutrals_.begin(), neutrals_.end(), i) != neutrals_.end());
  for (size_t i = 0; i < t.regions.size(); ++i) add(t.regions[i], base_.regions[i], false);
  return pairs;
}

std::optional<double> BracketFigures::toGrey() const {
  if (!s_.chart.grey) return std::nullopt;
  for (const auto& p : base_.patches)
    if (p.name == *s_.chart.grey && p.luma > 0) return std::log2(kMiddleGrey / p.luma);
  return std::nullopt;
}

// Common practice: a forehead at 60 % of display.
std::optional<double> BracketFigures::toSkin() const {
  constexpr double kSkinCode = 0.6;
  for (const auto& r : base_.regions) {
    if (r.role != "skin" || !(r.luma > 0)) continue;
    double low = -12, high = 12;
    const auto code = [&](double stops) {
      const double light = r.luma * std::exp2(stops);
      return display_.code({light, light, light})[1];
    };
    if (code(low) > kSkinCode || code(high) < kSkinCode) return std::nullopt;
    while (high - low > 1e-6) (code((low + high) / 2) < kSkinCode ? low : high) = (low + high) / 2;
    return low;
  }
  return std::nullopt;
}

// Everything that depends on the branch.
void BracketFigures::findAfter(const TakeStats& t, TakeMetrics& m) const {
  for (const Criterion c :
       {Criterion::LumaNoise, Criterion::ChromaNoise, Criterion::Stripes, Criterion::Detail,
        Criterion::Banding, Criterion::BlockEdges, Criterion::Contrast, Criterion::Saturation}) {
    m[c].reset();
    m.sigmas[static_cast<size_t>(c)].reset();
  }
  m.delivered.clear();
  for (const auto& d : s_.alsoAt) m.delivered.push_back({d, {}, {}});
  findColour(t, m);
  findSkin(t, m);
  findContrast(t, m);
  findCodes(t, m);
  findNoise(t, m);
}

// Grey nearest to the luminance of the first face; without a face, the chart's grey or the middle neutral.
void BracketFigures::pickGreys() {
  double wanted = base_.patches[neutrals_[neutrals_.size() / 2]].luma;
  if (s_.chart.grey)
    for (const auto& p : base_.patches)
      if (p.name == *s_.chart.grey) wanted = p.luma;
  for (const auto& r : base_.regions)
    if (r.role == "skin") {
      wanted = r.luma;
      break;
    }
  face_ = nearest(wanted);
  const size_t dark = nearest(base_.patches[face_].luma / std::exp2(kDarkBelowFace));
  if (dark != face_) dark_ = dark;
}

size_t BracketFigures::nearest(double luma) const {
  size_t best = neutrals_.front();
  const auto distance = [&](size_t i) {
    return std::abs(std::log2(std::max(1e-9, base_.patches[i].luma) / std::max(1e-9, luma)));
  };
  for (size_t i : neutrals_)
    if (distance(i) < distance(best)) best = i;
  return best;
}

Lab BracketFigures::labOf(const Vec3& linear) const {
  return labOfDisplayLight(display_.light(linear), primaries_);
}

double BracketFigures::driftOf(const TakeStats& t) const {
  const auto& levels = t.patches[face_].frameLuma;
  if (levels.size() < 2 || !(levels.front() > 0) || !(levels.back() > 0)) return 0;
  const double drift = std::log2(levels.back() / levels.front());
  const double noise =
      std::sqrt(2 * t.patches[face_].lumaVariance / t.patches[face_].pixels) / levels.front();
  return std::abs(drift) > 3 * noise / std::log(2.0) ? drift : 0;
}

// Per cent, over what the noise of the patch makes of its mean; a straight drift is no flicker.
std::optional<double> BracketFigures::flickerOf(const TakeStats& t) const {
  const AreaStats& a = t.patches[face_];
  const auto n = static_cast<double>(a.frameLuma.size());
  if (n < kFlickerFrames || !(a.luma > 0)) return std::nullopt;
  double slope = 0, spread = 0;
  const double middle = (n - 1) / 2;
  for (size_t i = 0; i < a.frameLuma.size(); ++i) {
    slope += (static_cast<double>(i) - middle) * (a.frameLuma[i] - a.luma);
    spread += (static_cast<double>(i) - middle) * (static_cast<double>(i) - middle);
  }
  slope /= spread;
  double squares = 0;
  for (size_t i = 0; i < a.frameLuma.size(); ++i) {
    const double off = a.frameLuma[i] - a.luma - slope * (static_cast<double>(i) - middle);
    squares += off * off / (n - 2);
  }
  const double noise = a.lumaVariance / a.pixels;
  return 100 * std::sqrt(std::max(0.0, squares - noise)) / a.luma;
}

// Of what clipped, the share of which a channel is left to rebuild the others from.
std::optional<double> BracketFigures::rebuildable(const AreaStats& a, const Clipped& clipped) const {
  if (!plateau_[0] || !plateau_[1] || !plateau_[2]) return std::nullopt;
  const double end = std::min({*plateau_[0], *plateau_[1], *plateau_[2]});
  const double all = 100 * a.lowestCode.shareFrom(end - CodeDistribution::codesAt(end, kAtEnd));
  return std::max(0.0, worst(clipped) - all);
}

// From the levels of the area's own pixels: by how much more light so many of them would reach the end. Least
// over the areas and channels.
void BracketFigures::addClipRoom(const AreaStats& a, TakeMetrics& m) const {
  const auto light = [&](double code) { return linearCodes_ ? code : log_->toLinear(code); };
  for (size_t c = 0; c < 3; ++c) {
    if (!plateau_[c]) continue;
    const double end = light(*plateau_[c] - CodeDistribution::codesAt(*plateau_[c], kAtEnd));
    for (size_t i = 0; i < kClipShares.size(); ++i) {
      const double spread = spreadByNoise(a, c, i);
      const double code = a.codes[c].quantile(1 - kClipShares[i] / 100) - spread, level = light(code);
      if (!(level > 0) || !(end > 0)) continue;
      const double room = std::log2(end / level);
      if (m.clipRoom[i].value_or(room + 1) <= room) continue;
      m.clipRoom[i] = room;
      // A level and an end are each known to a code; what noise spreads is taken off to about a third.
      const double step = CodeDistribution::codesAt(code, TenBitCodes{0.5});
      const double above = light(code + step), below = light(code - step);
      const double perCode = below > 0 ? std::log2(above / below) / 2 / step : 0;
      m.clipRoomSigma = perCode * std::hypot(kCodeError * 2 * step, spread / 3);
    }
  }
}

// Noise of the pixels' means lifts the level that a small share of them lies above, the more the fewer they
// are. With density r at the top and a sharp end, a share q lies q/r below the end; seen through Gaussian
// noise s it lies z s below, z P(z) + p(z) = q/(r s), P and p the normal distribution and its density. In
// code.
double BracketFigures::spreadByNoise(const AreaStats& a, size_t channel, size_t share) const {
  const double noise = CodeDistribution::codesAt(*plateau_[channel], TenBitCodes{a.top[channel].noise});
  const size_t next = share + 2 < kClipShares.size() ? share + 2 : kClipShares.size() - 1;
  const double q = kClipShares[share] / 100, more = kClipShares[next] / 100;
  const double width = a.codes[channel].quantile(1 - q) - a.codes[channel].quantile(1 - more);
  if (next == share || !(width > 0) || !(noise > 0)) return 0;
  const double wanted = q * width / (more - q) / noise;
  double low = -8, high = wanted;
  for (int i = 0; i < 40; ++i) {
    const double z = (low + high) / 2;
    const double below =
        z * 0.5 * std::erfc(-z / std::sqrt(2.0)) + std::exp(-z * z / 2) / std::sqrt(2 * M_PI);
    (below < wanted ? low : high) = z;
  }
  return (wanted - (low + high) / 2) * noise;
}

// The face decides; without one, what is white.
void BracketFigures::findClipped(const TakeStats& t, TakeMetrics& m) const {
  const auto consider = [&](const std::vector<AreaStats>& list, const std::vector<AreaStats>& base,
                            const char* role) {
    bool any = false;
    for (size_t i = 0; i < list.size(); ++i) {
      const AreaStats& a = list[i];
      if (a.role != role) continue;
      any = true;
      const ClippedShares shares = clippedOf(a, base[i], plateau_);
      const Clipped& v = shares.known;
      addClipRoom(a, m);
      if (m.clippedWhere.empty() || worst(v) > worst(m.clippedSkin)) {
        m.clippedSkin = v;
        m.clippedWhere = a.name;
        m.rebuiltSkin = t.mosaic ? rebuildable(a, v) : std::nullopt;
      }
      if (shares.suspected > 0) m.suspectedClip = std::max(m.suspectedClip.value_or(0), shares.suspected);
    }
    return any;
  };
  if (!consider(t.regions, base_.regions, "skin") && !consider(t.patches, base_.patches, "skin") &&
      !consider(t.regions, base_.regions, "white"))
    consider(t.patches, base_.patches, "white");
}

void BracketFigures::findColour(const TakeStats& t, TakeMetrics& m) const {
  double sum = 0;
  m.deltaByPatch.clear();
  m.deltaMax = 0;
  for (size_t i = 0; i < t.patches.size(); ++i) {
    const Lab now = labOf(broughtBack(m, t.patches[i].mean)), then = labOf(looked(base_.patches[i].mean));
    const double delta = deltaE2000(now, then);
    m.deltaByPatch.emplace_back(t.patches[i].name, delta);
    m.deltaMax = std::max(m.deltaMax, delta);
    sum += delta;
    if (i == face_) {
      m.shiftA = now.a - then.a;
      m.shiftB = now.b - then.b;
    }
    if (dark_ && i == *dark_) {
      m.darkShiftA = now.a - then.a;
      m.darkShiftB = now.b - then.b;
    }
  }
  for (const auto& r : t.regions)
    for (const auto& base : base_.regions)
      if (r.name == base.name)
        m.deltaByPatch.emplace_back(r.name,
                                    deltaE2000(labOf(broughtBack(m, r.mean)), labOf(looked(base.mean))));
  m.deltaMean = sum / static_cast<double>(t.patches.size());
  const double face = shiftErrorOf(t, m, face_), dark = dark_ ? shiftErrorOf(t, m, *dark_) : 0;
  const bool darkDecides =
      m.darkShiftA && std::hypot(*m.darkShiftA, *m.darkShiftB) > std::hypot(m.shiftA, m.shiftB);
  m.sigmas[static_cast<size_t>(Criterion::ColourShift)] = darkDecides ? dark : face;
}

// Of the distance in a*, b*: the mean of each channel moved by its standard error, in take and base.
double BracketFigures::shiftErrorOf(const TakeStats& t, const TakeMetrics& m, size_t patch) const {
  const auto shift = [&](const Vec3& take, const Vec3& base) {
    const Lab now = labOf(broughtBack(m, take)), then = labOf(looked(base));
    return std::hypot(now.a - then.a, now.b - then.b);
  };
  const Vec3 &take = t.patches[patch].mean, &base = base_.patches[patch].mean;
  const double plain = shift(take, base);
  double squares = 0;
  for (size_t c = 0; c < 3; ++c) {
    Vec3 moved = take;
    moved[c] += meanErrorOf(t, patch, c);
    squares += std::pow(shift(moved, base) - plain, 2);
    moved = base;
    moved[c] += meanErrorOf(base_, patch, c);
    squares += std::pow(shift(take, moved) - plain, 2);
  }
  return std::sqrt(squares);
}

// Which way faces turn, and what is left of their colour.
void BracketFigures::findSkin(const TakeStats& t, TakeMetrics& m) const {
  m.skinA.reset();
  m.skinB.reset();
  m.skinWhere.clear();
  double most = -1;
  for (size_t i = 0; i < t.regions.size() && i < base_.regions.size(); ++i) {
    if (t.regions[i].role != "skin") continue;
    const Lab now = labOf(broughtBack(m, t.regions[i].mean)), then = labOf(looked(base_.regions[i].mean));
    if (const double far = std::hypot(now.a - then.a, now.b - then.b); far > most) {
      most = far;
      m.skinA = now.a - then.a;
      m.skinB = now.b - then.b;
      m.skinWhere = t.regions[i].name;
    }
    if (chromaOf(then) < kColoured) continue;
    const double lost = 100 * std::max(0.0, 1 - chromaOf(now) / chromaOf(then));
    m[Criterion::Saturation] = std::max(m[Criterion::Saturation].value_or(0), lost);
  }
}

void BracketFigures::findContrast(const TakeStats& t, TakeMetrics& m) const {
  size_t light = neutrals_.front(), dark = neutrals_.front();
  for (size_t i : neutrals_) {
    if (base_.patches[i].luma > base_.patches[light].luma) light = i;
    if (base_.patches[i].luma < base_.patches[dark].luma) dark = i;
  }
  const auto lightness = [&](const Vec3& v) { return labOf(v).L; };
  const double then =
      lightness(looked(base_.patches[light].mean)) - lightness(looked(base_.patches[dark].mean));
  const double now =
      lightness(broughtBack(m, t.patches[light].mean)) - lightness(broughtBack(m, t.patches[dark].mean));
  if (then > 0) m[Criterion::Contrast] = 100 * std::max(0.0, 1 - now / then);
}

void BracketFigures::findCodes(const TakeStats& t, TakeMetrics& m) const {
  m.codes.clear();
  for (const auto& p : t.patches) {
    Vec3 code{};
    for (size_t c = 0; c < 3; ++c) code[c] = log_->toCode(p.mean[c]);
    m.codes.emplace_back(p.name, m.solved.correction.code(code, *log_));
  }
}

}  // namespace edge
