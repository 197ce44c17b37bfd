#include "recover/latitude.h"
#include "color/lab.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "color/display.h"
#include "image/accumulator.h"
#include "measure/noise.h"
#include "recover/delivered_noise.h"
#include "recover/follow.h"

namespace edge {
namespace {

constexpr double kSuspected = 0.1;    // share of an area on its top code
constexpr double kTimesBase = 3;      // and of that share in the base
constexpr double kMeaningless = 50;   // per cent clipped above which noise figures are withheld
constexpr double kDarkBelowFace = 3;  // stops below the face grey where the dark patch is looked for

struct Measured {
  TakeStats stats;
  double dx = 0, dy = 0;  // by which the framing was followed
};

// `base`: picture of the base clip, to follow the framing; nullptr for the base itself.
Measured measureClip(const Series& s, const std::filesystem::path& clip, FrameWindow window,
                     const LumaPicture* base, const Progress& progress) {
  const auto reader = openClip(clip);
  DecodeOptions decode = s.decode;
  if (decode.curve.empty()) decode.curve = defaultCurve(reader->info());
  try {
    if (!base)
      return {measureTake(*reader, decode, s.chart, s.regions, window, progress, nullptr, s.delivery.raster)};
    const Followed f = followFraming(*base, clip, decode, window, s.chart, s.regions, progress);
    return {measureTake(*reader, decode, f.chart, f.regions, window, progress, nullptr, s.delivery.raster),
            f.dx, f.dy};
  } catch (const UsageError&) {
    throw;
  } catch (const Error& e) {
    if (!e.subject().empty()) throw;
    throw Error(e.problem(), clip.string(), e.place(), e.remedy());
  }
}

// Works out everything that depends on more than one take.
class Assembly {
 public:
  Assembly(const Series& s, const TakeStats& base, const std::vector<Measured>& takes)
      : s_(s), base_(base), display_(s.display) {
    std::vector<const TakeStats*> all = {&base};
    for (const auto& t : takes) all.push_back(&t.stats);
    neutrals_ = neutralPatches(s.chart);
    plateau_ = findPlateau(all, neutrals_);
    primaries_ = s.decode.primaries.value_or(s.decode.matrix.value_or(Primaries::Bt709));
    pickGreys();
  }

  TakeMetrics metricsOf(const TakeSpec& spec, const Measured& measured) const {
    const TakeStats& t = measured.stats;
    TakeMetrics m;
    m.shiftX = measured.dx, m.shiftY = measured.dy;
    m.name = spec.name, m.planned = spec.plannedStops.value_or(0);
    m.frames = t.frames, m.missingFrames = t.missingFrames;
    m.repeatedFrames = t.repeatedFrames, m.lossyCodec = t.lossyCodec;
    const auto back = solveOffset(t, base_, neutrals_, plateau_);
    BringBack b;
    b.k = std::exp2(m.planned);  // nothing to measure it from: the plan must serve, and is said to
    if (back) {
      b = *back;
      if (!b.withheld) m.measured = b.offsetStops();
    }
    m.sigma = b.sigmaStops, m.k = b.k, m.q = b.q;
    m.patchesUsed = b.patchesUsed, m.byMedian = b.byMedian, m.scatterStops = b.scatterStops;
    m.driftStops = driftOf(t);
    findClipped(t, m);
    findColour(t, b, m);
    findNoise(t, b, m);
    return m;
  }

  // Patches whose pixels are looked at; known from the base.
  [[nodiscard]] std::vector<size_t> sampled() const {
    return dark_ ? std::vector<size_t>{face_, *dark_} : std::vector<size_t>{face_};
  }
  [[nodiscard]] std::string faceGrey() const { return base_.patches[face_].name; }
  [[nodiscard]] std::string darkPatch() const { return dark_ ? base_.patches[*dark_].name : ""; }

 private:
  // Grey nearest to the luminance of the first face; without a face, the chart's grey or the middle neutral.
  void pickGreys() {
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

  [[nodiscard]] size_t nearest(double luma) const {
    size_t best = neutrals_.front();
    const auto distance = [&](size_t i) {
      return std::abs(std::log2(std::max(1e-9, base_.patches[i].luma) / std::max(1e-9, luma)));
    };
    for (size_t i : neutrals_)
      if (distance(i) < distance(best)) best = i;
    return best;
  }

  [[nodiscard]] Lab labOf(const Vec3& linear) const {
    return labOfDisplayLight(display_.light(linear), primaries_);
  }

  [[nodiscard]] double driftOf(const TakeStats& t) const {
    const auto& levels = t.patches[face_].frameLuma;
    if (levels.size() < 2 || !(levels.front() > 0) || !(levels.back() > 0)) return 0;
    const double drift = std::log2(levels.back() / levels.front());
    const double noise =
        std::sqrt(2 * t.patches[face_].lumaVariance / t.patches[face_].pixels) / levels.front();
    return std::abs(drift) > 3 * noise / std::log(2.0) ? drift : 0;
  }

  using Clipped = std::array<std::optional<double>, 3>;
  [[nodiscard]] Clipped clippedOf(const AreaStats& a) const {
    Clipped v;
    for (size_t c = 0; c < 3; ++c)
      if (plateau_[c]) v[c] = 100 * shareAtEnd(a, static_cast<int>(c), plateau_, kAtEnd);
    return v;
  }
  static double worst(const Clipped& v) {
    return std::max({v[0].value_or(0), v[1].value_or(0), v[2].value_or(0)});
  }

  // Far more of an area on its own top code than in the base, with more light: clipped, if only one knew that
  // the channel ends there.
  [[nodiscard]] std::optional<double> suspected(const AreaStats& a, const AreaStats& base) const {
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
  void findClipped(const TakeStats& t, TakeMetrics& m) const {
    const auto consider = [&](const std::vector<AreaStats>& list, const std::vector<AreaStats>& base,
                              const char* role) {
      bool any = false;
      for (size_t i = 0; i < list.size(); ++i) {
        const AreaStats& a = list[i];
        if (a.role != role) continue;
        any = true;
        const Clipped v = clippedOf(a);
        if (m.clippedWhere.empty() || worst(v) > worst(m.clippedSkin))
          m.clippedSkin = v, m.clippedWhere = a.name;
        if (const auto s = suspected(a, base[i])) m.suspectedClip = std::max(m.suspectedClip.value_or(0), *s);
      }
      return any;
    };
    if (!consider(t.regions, base_.regions, "skin") && !consider(t.patches, base_.patches, "skin") &&
        !consider(t.regions, base_.regions, "white"))
      consider(t.patches, base_.patches, "white");
  }

  void findColour(const TakeStats& t, const BringBack& b, TakeMetrics& m) const {
    double sum = 0;
    for (size_t i = 0; i < t.patches.size(); ++i) {
      const Lab now = labOf(b.apply(t.patches[i].mean)), then = labOf(base_.patches[i].mean);
      const double delta = deltaE2000(now, then);
      m.deltaByPatch.emplace_back(t.patches[i].name, delta);
      m.deltaMax = std::max(m.deltaMax, delta);
      sum += delta;
      if (i == face_) m.shiftA = now.a - then.a, m.shiftB = now.b - then.b;
      if (dark_ && i == *dark_) m.darkShiftA = now.a - then.a, m.darkShiftB = now.b - then.b;
    }
    for (const auto& r : t.regions)
      for (const auto& base : base_.regions)
        if (r.name == base.name)
          m.deltaByPatch.emplace_back(r.name, deltaE2000(labOf(b.apply(r.mean)), labOf(base.mean)));
    m.deltaMean = sum / static_cast<double>(t.patches.size());
  }

  // Temporal noise of L*, a*, b* at the face grey; rows of L* in the dark patch.
  void findNoise(const TakeStats& t, const BringBack& b, TakeMetrics& m) const {
    if (t.still() || worst(clippedOf(t.patches[face_])) > kMeaningless) return;
    const DeliveredNoise perPixel{display_, primaries_, Chroma::Full444, {}},
        delivered{display_, primaries_, s_.delivery.chroma, t.factor};
    const auto face = delivered.labSums(t.samples[face_], b), raw = perPixel.labSums(t.samples[face_], b);
    if (face.empty()) return;
    const auto sd2 = [](const NoiseSums& s) {
      return temporalVariance(s).value_or(s.spatialResidual /
                                          std::max(1.0, static_cast<double>(s.rows) * s.columns - 6));
    };
    m[Criterion::LumaNoise] = std::sqrt(sd2(face[0]));
    m[Criterion::ChromaNoise] = std::sqrt(sd2(face[1]) + sd2(face[2]));
    m.lumaNoisePerPixel = std::sqrt(sd2(raw[0]));
    m.chromaNoisePerPixel = std::sqrt(sd2(raw[1]) + sd2(raw[2]));
    const auto dark = dark_ ? delivered.labSums(t.samples[*dark_], b) : std::vector<NoiseSums>();
    if (dark.empty()) return;
    const auto split = splitNoise(dark[0]);
    if (!split) return;
    const double moving = std::max(0.0, split->rowTemporal);
    m.movingStripes = std::sqrt(moving);
    if (split->rowFixed) m.stripes = std::sqrt(moving + std::max(0.0, *split->rowFixed));
  }

  const Series& s_;
  const TakeStats& base_;
  DisplayTransform display_;
  Plateau plateau_;
  std::vector<size_t> neutrals_;
  Primaries primaries_ = Primaries::Bt709;
  size_t face_ = 0;
  std::optional<size_t> dark_;
};

}  // namespace

LatitudeMeasure measureLatitude(const Series& s, const Progress& progress) {
  std::vector<const TakeSpec*> specs;
  for (const auto& t : s.takes)
    if (t.plannedStops) specs.push_back(&t);
  if (specs.empty())
    throw Error("no take with an exposure in this series", s.base.string(), "takes", "list the takes");
  const double total = static_cast<double>(specs.size() + 1);
  double done = 0;
  const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
  const auto step = [&](const std::filesystem::path& clip, FrameWindow window, const LumaPicture* base,
                        const std::string& name) {
    progress.report(done++ / total, name);
    return measureClip(s, clip, window, base, quiet);
  };
  const Measured base = step(s.base, s.window, nullptr, "base");
  const LumaPicture framing = firstPicture(s.base, s.decode, s.window, quiet);
  std::vector<Measured> stats;
  const auto needed = Assembly(s, base.stats, {}).sampled();
  for (const auto* spec : specs) {
    stats.push_back(step(spec->clip, spec->window.value_or(s.window), &framing, spec->name));
    // Noise is looked at in two patches: the pixels of the others need not be kept for every take.
    for (size_t i = 0; i < stats.back().stats.samples.size(); ++i)
      if (std::find(needed.begin(), needed.end(), i) == needed.end()) stats.back().stats.samples[i] = {};
  }
  const Assembly assembly(s, base.stats, stats);
  LatitudeMeasure m;
  m.base = assembly.metricsOf({"base", s.base, 0.0, "", std::nullopt, std::nullopt}, base);
  for (size_t i = 0; i < specs.size(); ++i) m.takes.push_back(assembly.metricsOf(*specs[i], stats[i]));
  m.faceGrey = assembly.faceGrey(), m.darkPatch = assembly.darkPatch();
  m.display = s.display, m.curve = s.decode.curve, m.delivery = s.delivery;
  for (const auto& t : m.takes) m.wrongCurveScatter = std::max(m.wrongCurveScatter, t.scatterStops);
  progress.report(1, "done");
  return m;
}

}  // namespace edge
