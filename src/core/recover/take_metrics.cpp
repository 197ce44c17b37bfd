#include "recover/take_metrics.h"

#include <algorithm>
#include <cmath>

#include "base/units.h"
#include "color/lab.h"
#include "measure/noise.h"

namespace edge {
namespace {

constexpr double kSuspected = 0.1;    // share of an area on its top code
constexpr double kTimesBase = 3;      // and of that share in the base
constexpr double kMeaningless = 50;   // per cent clipped above which noise figures are withheld
constexpr double kDarkBelowFace = 3;  // stops below the face grey where the dark patch is looked for
constexpr double kColoured = 5;       // C* of a face whose saturation is followed
constexpr size_t kTexturedAreas = 3;  // at most, the strongest
constexpr double kColourSnr = 1;      // below it a patch does not steer the grade
constexpr double kFlickerFrames = 4;
constexpr double kUnderBase = 0.5;  // stops: takes that are darker may want a reducer

double worst(const std::array<std::optional<double>, 3>& v) {
  return std::max({v[0].value_or(0), v[1].value_or(0), v[2].value_or(0)});
}

// Temporal; of one frame spatial.
double variance(const NoiseSums& s) {
  return temporalVariance(s).value_or(s.spatialResidual /
                                      std::max(1.0, static_cast<double>(s.rows) * s.columns - 6));
}

// Noise and detail are so far from their limits that no profile wants them better.
bool farBelow(const std::array<std::optional<double>, kCriteria>& figures) {
  constexpr double kFar = 0.4;  // of the default's clean limit
  for (const auto& spec : criteria()) {
    const auto& v = figures[static_cast<size_t>(spec.id)];
    if (!spec.is(kReducible) || !v) continue;
    if (spec.is(kFalling) ? 1 - *v > kFar * (1 - spec.limit.clean) : *v > kFar * spec.limit.clean)
      return false;
  }
  return true;
}

double chromaOf(const Lab& lab) {
  return std::hypot(lab.a, lab.b);
}

}  // namespace

BracketFigures::BracketFigures(const Series& s, const TakeStats& base, const std::vector<MeasuredTake>& takes)
    : s_(s), base_(base), display_(s.display), table_(display_), logName_(logEncodingOf(s.decode.curve)) {
  log_ = makeCurve(logName_).curve;
  std::vector<const TakeStats*> all = {&base};
  for (const auto& t : takes) all.push_back(&t.stats);
  neutrals_ = neutralPatches(s.chart);
  plateau_ = findPlateau(all, neutrals_);
  primaries_ = s.decode.primaries.value_or(s.decode.matrix.value_or(Primaries::Bt709));
  pickGreys();
  pickTextures();
}

std::vector<size_t> BracketFigures::sampledPatches() const {
  return dark_ ? std::vector<size_t>{face_, *dark_} : std::vector<size_t>{face_};
}

TakeMetrics BracketFigures::metricsOf(const TakeSpec& spec, const MeasuredTake& measured) const {
  const TakeStats& t = measured.stats;
  TakeMetrics m;
  m.shiftX = measured.dx;
  m.shiftY = measured.dy;
  m.name = spec.name;
  m.planned = spec.plannedStops.value_or(0);
  m.frames = t.frames;
  m.missingFrames = t.missingFrames;
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
  findClipped(t, m);
  findAfter(t, m);
  findDetail(t, m);
  if (m.measured.value_or(m.planned) < -kUnderBase && !farBelow(m.figures)) findRungs(t, m);
  return m;
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
    m.solved = std::move(*solved);
    findAfter(t, m);
    keepDetail(headline, m);
    list.push_back(std::move(m));
  }
  return list;
}

// A correlation hardly depends on the tone curve: the branches share that of exposure alone.
void BracketFigures::keepDetail(const TakeMetrics& headline, TakeMetrics& m) {
  constexpr auto kDetail = static_cast<size_t>(Criterion::Detail);
  m.figures[kDetail] = headline.figures[kDetail];
  for (size_t i = 0; i < m.delivered.size(); ++i)
    m.delivered[i].figures[kDetail] = headline.delivered[i].figures[kDetail];
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
        Criterion::Banding, Criterion::Contrast, Criterion::Saturation})
    m[c].reset();
  m.delivered.clear();
  for (const auto& d : s_.alsoAt) m.delivered.push_back({d, {}});
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

BracketFigures::Clipped BracketFigures::clippedOf(const AreaStats& a) const {
  Clipped v;
  for (size_t c = 0; c < 3; ++c)
    if (plateau_[c]) v[c] = 100 * shareAtEnd(a, static_cast<int>(c), plateau_, kAtEnd);
  return v;
}

// Far more of an area on its own top code than in the base, with more light: clipped, if only one knew that
// the channel ends there.
std::optional<double> BracketFigures::suspected(const AreaStats& a, const AreaStats& base) const {
  const auto onTop = [](const CodeDistribution& d) {
    const double top = d.quantile(0.999);
    return d.shareFrom(top - CodeDistribution::codesAt(top, kAtEnd));
  };
  double share = 0;
  for (size_t c = 0; c < 3; ++c) {
    const double now = onTop(a.codes[c]);
    if (!plateau_[c] && a.luma > base.luma && now > kTimesBase * onTop(base.codes[c]))
      share = std::max(share, now);
  }
  return share > kSuspected ? std::optional(100 * share) : std::nullopt;
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
      const Clipped v = clippedOf(a);
      if (m.clippedWhere.empty() || worst(v) > worst(m.clippedSkin)) {
        m.clippedSkin = v;
        m.clippedWhere = a.name;
      }
      if (const auto s = suspected(a, base[i])) m.suspectedClip = std::max(m.suspectedClip.value_or(0), *s);
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
    const Lab now = labOf(broughtBack(m, t.patches[i].mean)), then = labOf(base_.patches[i].mean);
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
        m.deltaByPatch.emplace_back(r.name, deltaE2000(labOf(broughtBack(m, r.mean)), labOf(base.mean)));
  m.deltaMean = sum / static_cast<double>(t.patches.size());
}

// Which way faces turn, and what is left of their colour.
void BracketFigures::findSkin(const TakeStats& t, TakeMetrics& m) const {
  m.skinA.reset();
  m.skinB.reset();
  m.skinWhere.clear();
  double most = -1;
  for (size_t i = 0; i < t.regions.size() && i < base_.regions.size(); ++i) {
    if (t.regions[i].role != "skin") continue;
    const Lab now = labOf(broughtBack(m, t.regions[i].mean)), then = labOf(base_.regions[i].mean);
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
  const double then = lightness(base_.patches[light].mean) - lightness(base_.patches[dark].mean);
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

// Temporal noise of L*, a*, b* at the face grey, rows of L* in the dark patch, at every delivery.
void BracketFigures::findNoise(const TakeStats& t, TakeMetrics& m) const {
  if (t.still() || worst(clippedOf(t.patches[face_])) > kMeaningless) return;
  const auto light = [&](const Vec3& v) { return broughtBack(m, v); };
  const PatchSample face = corrected(t.samples[face_], light);
  if (face.frames.empty()) return;
  const PatchSample dark = dark_ ? corrected(t.samples[*dark_], light) : PatchSample{};
  const auto at = [&](const Delivery& d, const RasterFactor& factor,
                      std::array<std::optional<double>, kCriteria>& figures) {
    const DeliveredLook look{table_, primaries_, d.chroma, factor};
    const auto sums = look.labFrames(face).sums();
    figures[static_cast<size_t>(Criterion::LumaNoise)] = std::sqrt(variance(sums[0]));
    figures[static_cast<size_t>(Criterion::ChromaNoise)] = std::sqrt(variance(sums[1]) + variance(sums[2]));
    const auto split = dark.frames.empty() ? std::nullopt : splitNoise(look.labFrames(dark).sums()[0]);
    if (!split) return std::optional<double>();
    const double moving = std::max(0.0, split->rowTemporal);
    if (split->rowFixed)
      figures[static_cast<size_t>(Criterion::Stripes)] = std::sqrt(moving + std::max(0.0, *split->rowFixed));
    return std::optional(std::sqrt(moving));
  };
  for (size_t i = 0; i < t.deliveries.size(); ++i) {
    const auto& [delivery, factor] = t.deliveries[i];
    if (i == 0)
      m.movingStripes = at(delivery, factor, m.figures);
    else
      (void)at(delivery, factor, m.delivered[i - 1].figures);
  }
  DeliveredFigures own;
  (void)at({}, {}, own.figures);
  m.lumaNoisePerPixel = own.figures[static_cast<size_t>(Criterion::LumaNoise)];
  m.chromaNoisePerPixel = own.figures[static_cast<size_t>(Criterion::ChromaNoise)];
  findBanding(t, m);
}

// The reducer's ladder at every delivery, each of which is worked out once.
void BracketFigures::findRungs(const TakeStats& t, TakeMetrics& m) const {
  if (t.still() || !m[Criterion::LumaNoise]) return;
  const auto light = [&](const Vec3& v) { return broughtBack(m, v); };
  const PatchSample face = corrected(t.samples[face_], light);
  const bool textured = !textured_.empty() && !m.moved && textured_[0] < t.regionSamples.size();
  const PatchSample area = textured ? corrected(t.regionSamples[textured_[0]], light) : PatchSample{};
  constexpr auto kLuma = static_cast<size_t>(Criterion::LumaNoise);
  constexpr auto kChroma = static_cast<size_t>(Criterion::ChromaNoise);
  constexpr auto kDetail = static_cast<size_t>(Criterion::Detail);
  const auto ladder = reducerLadder();
  for (size_t r = 0; r < ladder.size(); ++r) {
    RungFigures rung;
    rung.rung = r;
    bool any = false;
    for (size_t d = 0; d < t.deliveries.size(); ++d) {
      auto& figures =
          d == 0 ? rung.figures : rung.delivered.emplace_back(DeliveredFigures{s_.alsoAt[d - 1], {}}).figures;
      const size_t same = static_cast<size_t>(
          std::find_if(t.deliveries.begin(), t.deliveries.end(),
                       [&](const auto& other) { return other.first == t.deliveries[d].first; }) -
          t.deliveries.begin());
      if (same < d) {
        figures = same == 0 ? rung.figures : rung.delivered[same - 1].figures;
        continue;
      }
      const auto& [delivery, factor] = t.deliveries[d];
      const DeliveredLook look{table_, primaries_, delivery.chroma, factor};
      const auto sums = look.labOf(reduced(look.codeFrames(face), ladder[r], true)).sums();
      if (sums.empty()) continue;
      any = true;
      figures[kLuma] = std::sqrt(variance(sums[0]));
      figures[kChroma] = std::sqrt(variance(sums[1]) + variance(sums[2]));
      if (!textured) continue;
      const CodeFrames codes = look.codeFrames(area);
      const auto before = detailOf(look.labOf(codes).lightness(), baseDetail_[d][0]);
      const auto after =
          detailOf(look.labOf(reduced(codes, ladder[r], false)).lightness(), baseDetail_[d][0]);
      if (!before || !after) continue;
      if (after->judged()) figures[kDetail] = after->single;
      if (d > 0) continue;
      rung.detailKept = before->gain > 0 ? std::optional(after->gain / before->gain) : std::nullopt;
      rung.smear = smearOf(codes, ladder[r]);
    }
    if (!any) continue;
    const bool enough = farBelow(rung.figures);
    m.rungs.push_back(std::move(rung));
    if (enough) return;  // a stronger rung would only cost more
  }
}

// A step of one code of the clip, after bring-back, where the noise of a pixel is too small to hide it.
void BracketFigures::findBanding(const TakeStats& t, TakeMetrics& m) const {
  constexpr double kHides = 0.5;  // of a step: so much noise dithers it (as in docs/method.md, quantisation)
  if (!(t.levels > 0) || !m.lumaNoisePerPixel) return;
  double most = 0;
  for (size_t i : sampledPatches()) {
    const AreaStats& a = t.patches[i];
    const auto lightness = [&](double steps) {
      Vec3 v{};
      for (size_t c = 0; c < 3; ++c) v[c] = log_->toLinear(log_->toCode(a.mean[c]) + steps / t.levels);
      return labOf(broughtBack(m, v)).L;
    };
    const double step = lightness(0.5) - lightness(-0.5);
    const double codeStep = (log_->toLinear(log_->toCode(a.luma) + 0.5 / t.levels) -
                             log_->toLinear(log_->toCode(a.luma) - 0.5 / t.levels));
    if (std::sqrt(a.lumaVariance) < kHides * codeStep) most = std::max(most, step);
  }
  m[Criterion::Banding] = most;
}

// Textured objects of the base, strongest first.
void BracketFigures::pickTextures() {
  std::vector<std::pair<double, size_t>> found;
  const DeliveredLook look{table_, primaries_, Chroma::Full444, {}};
  for (size_t i = 0; i < base_.regionSamples.size(); ++i)
    if (const auto d = detailOfBase(look.labFrames(base_.regionSamples[i]).lightness()))
      found.emplace_back(-d->texture, i);
  std::sort(found.begin(), found.end());
  if (found.size() > kTexturedAreas) found.resize(kTexturedAreas);
  for (const auto& f : found) textured_.push_back(f.second);
  for (const auto& [delivery, factor] : base_.deliveries) {
    const DeliveredLook at{table_, primaries_, delivery.chroma, factor};
    auto& list = baseDetail_.emplace_back();
    for (size_t i : textured_) list.push_back(at.labFrames(base_.regionSamples[i]).lightness());
  }
}

// On the textured object where least is left. Where the take has as much detail but it is not the base's, the
// object has moved: then nothing is said.
void BracketFigures::findDetail(const TakeStats& t, TakeMetrics& m) const {
  m.detailWhere.clear();
  m.detailNoiseFree.reset();
  m.detailGain.reset();
  m.moved = false;
  if (t.still()) return;
  for (size_t k = 0; k < textured_.size(); ++k) {
    const size_t i = textured_[k];
    if (i >= t.regionSamples.size() || worst(clippedOf(t.regions[i])) > kMeaningless) continue;
    const PatchSample area = corrected(t.regionSamples[i], [&](const Vec3& v) { return broughtBack(m, v); });
    for (size_t d = 0; d < t.deliveries.size(); ++d) {
      const auto& [delivery, factor] = t.deliveries[d];
      const DeliveredLook look{table_, primaries_, delivery.chroma, factor};
      const auto left = detailOf(look.labFrames(area).lightness(), baseDetail_[d][k]);
      if (!left) continue;
      if (left->elsewhere()) {
        m.moved = true;
        continue;
      }
      // Noise-free share and contrast do not hang on how strong the texture is: they are always said.
      if (d == 0 && (!m.detailGain || left->gain < *m.detailGain)) {
        m.detailWhere = t.regions[i].name;
        m.detailNoiseFree = left->noiseFree;
        m.detailGain = left->gain;
      }
      auto& least = (d == 0 ? m.figures : m.delivered[d - 1].figures)[static_cast<size_t>(Criterion::Detail)];
      if (!left->judged() || (least && left->single >= *least)) continue;
      least = left->single;
      if (d == 0) m.detailWhere = t.regions[i].name;
    }
  }
}

}  // namespace edge
