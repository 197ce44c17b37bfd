// The parts of BracketFigures that look at the pixels of samples: noise, the reducer's ladder, banding,
// detail.
#include <algorithm>
#include <cmath>

#include "measure/noise.h"
#include "recover/block_edges.h"
#include "recover/take_metrics.h"

namespace edge {
namespace {

constexpr double kMeaningless = 50;   // per cent clipped above which noise figures are withheld
constexpr size_t kTexturedAreas = 3;  // at most, the strongest

double worst(const std::array<std::optional<double>, 3>& v) {
  return std::max({v[0].value_or(0), v[1].value_or(0), v[2].value_or(0)});
}

// Temporal; of one frame spatial.
double variance(const NoiseSums& s) {
  return temporalVariance(s).value_or(s.spatialResidual /
                                      std::max(1.0, static_cast<double>(s.rows) * s.columns - 6));
}

// Deliveries that one clip serves alike are worked out once: the first of them.
size_t firstLike(const TakeStats& t, size_t delivery) {
  size_t i = 0;
  while (!(t.deliveries[i].first == t.deliveries[delivery].first)) ++i;
  return i;
}

using Figures = std::array<std::optional<double>, kCriteria>;
void copyDelivered(const Figures& from, Figures& to) {
  for (const auto& spec : criteria())
    if (spec.is(kDelivered)) to[static_cast<size_t>(spec.id)] = from[static_cast<size_t>(spec.id)];
}

}  // namespace

bool isFarFromLimits(const std::array<std::optional<double>, kCriteria>& figures,
                     const CriteriaProfile& profile) {
  constexpr double kFar = 0.4;  // of the clean limit
  for (const auto& spec : criteria()) {
    const auto& v = figures[static_cast<size_t>(spec.id)];
    if (!spec.is(kReducible) || !v) continue;
    const double clean = profile[spec.id].clean;
    if (spec.is(kFalling) ? 1 - *v > kFar * (1 - clean) : *v > kFar * clean) return false;
  }
  return true;
}

// Temporal noise of L*, a*, b* at the face grey, rows of L* in the dark patch, at every delivery, or the
// headline's only.
void BracketFigures::findNoise(const TakeStats& t, TakeMetrics& m, bool headlineOnly) const {
  if (t.still() || worst(clippedOf(t.patches[face_], base_.patches[face_], plateau_).known) > kMeaningless)
    return;
  const auto light = [&](const Vec3& v) { return broughtBack(m, v); };
  const PatchSample face = corrected(t.samples[face_], light);
  if (face.frames.empty()) return;
  const PatchSample dark = dark_ ? corrected(t.samples[*dark_], light) : PatchSample{};
  const auto at = [&](const Delivery& d, const RasterFactor& factor, Figures& figures, Figures& sigmas) {
    const DeliveredLook look{table_, primaries_, d.chroma, factor};
    const LabFrames lab = look.labFrames(face);
    const auto sums = lab.sums();
    const auto keep = [&](Criterion c, double value, std::optional<double> relative) {
      figures[static_cast<size_t>(c)] = value;
      if (relative) sigmas[static_cast<size_t>(c)] = value * *relative;
    };
    keep(Criterion::LumaNoise, std::sqrt(variance(sums[0])), lab.relativeError({0}));
    keep(Criterion::ChromaNoise, std::sqrt(variance(sums[1]) + variance(sums[2])), lab.relativeError({1, 2}));
    const NoiseSums darkSums = dark.frames.empty() ? NoiseSums{} : look.labFrames(dark).sums()[0];
    const auto split = dark.frames.empty() ? std::nullopt : splitNoise(darkSums);
    if (!split) return std::optional<double>();
    const double moving = std::max(0.0, split->rowTemporal);
    if (split->rowFixed) {
      const double fixed = std::max(0.0, *split->rowFixed), stripes = std::sqrt(moving + fixed);
      // Of a variance over H rows and N - 1 changes: 2/(H (N - 1)) of its square; a fixed one is seen once.
      const double rows = darkSums.rows, changes = rows * (darkSums.frames - 1);
      const double sampled = moving + std::max(0.0, split->pixelTemporal) / darkSums.columns;
      const double error = std::sqrt(2 / changes * sampled * sampled + 2 / rows * fixed * fixed);
      keep(Criterion::Stripes, stripes,
           stripes > 0 ? std::optional(error / (2 * stripes * stripes)) : std::nullopt);
    }
    return std::optional(std::sqrt(moving));
  };
  const auto figuresAt = [&m](size_t i) -> auto& {
    return i == 0 ? m.figures : m.delivered[i - 1].figures;
  };
  const auto sigmasAt = [&m](size_t i) -> auto& {
    return i == 0 ? m.sigmas : m.delivered[i - 1].sigmas;
  };
  for (size_t i = 0; i < (headlineOnly ? 1 : t.deliveries.size()); ++i) {
    const auto& [delivery, factor] = t.deliveries[i];
    const size_t same = firstLike(t, i);
    if (same < i) {
      copyDelivered(figuresAt(same), figuresAt(i));
      copyDelivered(sigmasAt(same), sigmasAt(i));
      continue;
    }
    const auto moving = at(delivery, factor, figuresAt(i), sigmasAt(i));
    if (i == 0) m.movingStripes = moving;
  }
  DeliveredFigures own;
  (void)at({}, {}, own.figures, own.sigmas);
  m.lumaNoisePerPixel = own.figures[static_cast<size_t>(Criterion::LumaNoise)];
  m.chromaNoisePerPixel = own.figures[static_cast<size_t>(Criterion::ChromaNoise)];
  findBanding(t, m);
  findBlocks(t, m);
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
      const size_t same = firstLike(t, d);
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
    const bool enough = isFarFromLimits(rung.figures, s_.wanted);
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

// On the clip's own pixels, where a codec may have worked in blocks; the worse of face level and dark.
void BracketFigures::findBlocks(const TakeStats& t, TakeMetrics& m) const {
  if (t.lossyCodec.empty()) return;
  const DeliveredLook look{table_, primaries_, Chroma::Full444, {}};
  for (size_t i : sampledPatches()) {
    const PatchSample s = corrected(t.samples[i], [&](const Vec3& v) { return broughtBack(m, v); });
    if (const auto step = blockStepOf(look.labFrames(s).lightness(), s.x, s.y))
      m[Criterion::BlockEdges] = std::max(m[Criterion::BlockEdges].value_or(0), *step);
  }
}

// Textured objects of the base, strongest first.
void BracketFigures::pickTextures() {
  const auto lookedAt = [&](const PatchSample& s) {
    return look_.code ? corrected(s, [&](const Vec3& v) { return looked(v); }) : s;
  };
  std::vector<std::pair<double, size_t>> found;
  const DeliveredLook look{table_, primaries_, Chroma::Full444, {}};
  for (size_t i = 0; i < base_.regionSamples.size(); ++i)
    if (const auto d = detailOfBase(look.labFrames(lookedAt(base_.regionSamples[i])).lightness()))
      found.emplace_back(-d->texture, i);
  std::sort(found.begin(), found.end());
  if (found.size() > kTexturedAreas) found.resize(kTexturedAreas);
  for (const auto& f : found) textured_.push_back(f.second);
  for (const auto& [delivery, factor] : base_.deliveries) {
    const DeliveredLook at{table_, primaries_, delivery.chroma, factor};
    auto& list = baseDetail_.emplace_back();
    for (size_t i : textured_) list.push_back(at.labFrames(lookedAt(base_.regionSamples[i])).lightness());
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
    if (i >= t.regionSamples.size() ||
        worst(clippedOf(t.regions[i], base_.regions[i], plateau_).known) > kMeaningless)
      continue;
    const PatchSample area = corrected(t.regionSamples[i], [&](const Vec3& v) { return broughtBack(m, v); });
    for (size_t d = 0; d < t.deliveries.size(); ++d) {
      if (firstLike(t, d) < d) continue;
      const auto& [delivery, factor] = t.deliveries[d];
      const DeliveredLook look{table_, primaries_, delivery.chroma, factor};
      const auto left = detailOf(look.labFrames(area).lightness(), baseDetail_[d][k]);
      if (!left) continue;
      if (left->elsewhere()) {
        m.moved = true;
        continue;
      }
      auto& least = (d == 0 ? m.figures : m.delivered[d - 1].figures)[static_cast<size_t>(Criterion::Detail)];
      const bool decides = left->judged() && (!least || left->single < *least);
      // Noise-free share and contrast do not hang on how strong the texture is: they are said of the place
      // that decides, where none is judged of the one that kept least.
      const bool said = decides || (!least && (!m.detailGain || left->gain < *m.detailGain));
      if (decides) {
        least = left->single;
        auto& sigmas = d == 0 ? m.sigmas : m.delivered[d - 1].sigmas;
        // Of a correlation r over n samples (1 - r^2)/sqrt n; detail hangs together over about two pixels.
        const double samples = area.width / factor.x * (area.height / factor.y) / 4;
        sigmas[static_cast<size_t>(Criterion::Detail)] =
            (1 - left->single * left->single) / std::sqrt(std::max(1.0, samples));
      }
      if (d > 0 || !said) continue;
      m.detailWhere = t.regions[i].name;
      m.detailNoiseFree = left->noiseFree;
      m.detailGain = left->gain;
    }
  }
  constexpr auto kDetail = static_cast<size_t>(Criterion::Detail);
  for (size_t d = 1; d < t.deliveries.size(); ++d)
    if (const size_t same = firstLike(t, d); same < d) {
      m.delivered[d - 1].figures[kDetail] =
          same == 0 ? m.figures[kDetail] : m.delivered[same - 1].figures[kDetail];
      m.delivered[d - 1].sigmas[kDetail] =
          same == 0 ? m.sigmas[kDetail] : m.delivered[same - 1].sigmas[kDetail];
    }
}

}  // namespace edge
