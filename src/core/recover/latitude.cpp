#include "recover/latitude.h"

#include <algorithm>

#include "base/error.h"
#include "base/parallel.h"
#include "recover/clip_decode.h"
#include "recover/follow.h"
#include "recover/take_metrics.h"

namespace edge {
namespace {

// `base`: picture of the base clip, to follow the framing; nullptr for the base itself.
MeasuredTake measureClip(const Series& s, const std::filesystem::path& clip, FrameWindow window,
                         const LumaPicture* base, const Progress& progress) {
  const auto reader = openClip(clip);
  const DecodeOptions decode = resolved(s.decode, reader->info());
  std::vector<Delivery> deliveries = {s.delivery};
  deliveries.insert(deliveries.end(), s.alsoAt.begin(), s.alsoAt.end());
  try {
    if (!base)
      return {measureTake(*reader, decode, s.chart, s.regions, window, progress, nullptr, deliveries), {}};
    const Followed f = followFraming(*base, clip, decode, window, s.chart, s.regions, progress);
    return {measureTake(*reader, decode, f.chart, f.regions, window, progress, nullptr, deliveries),
            f.framing};
  } catch (const UsageError&) {
    throw;
  } catch (const Error& e) {
    if (!e.subject().empty()) throw;
    throw Error(e.problem(), clip.string(), e.place(), e.remedy());
  }
}

// Every step on base and takes, brought back by exposure alone.
void addStress(const Series& s, const MeasuredTake& base, const std::vector<MeasuredTake>& takes,
               LatitudeMeasure& m) {
  m.stress = s.stress;
  const auto log = makeCurve(logEncodingOf(s.decode.curve)).curve;
  m.base.stressed.resize(s.stress.size());
  for (auto& t : m.takes) t.stressed.resize(s.stress.size());
  parallelFor(static_cast<int>(s.stress.size()), [&](int step) {
    const auto k = static_cast<size_t>(step);
    const BracketFigures under(s, base.stats, takes, lookOf(s.stress[k], *log),
                               BracketFigures::Textures::Ignored);
    m.base.stressed[k] = under.stressed(m.base, base.stats);
    for (size_t i = 0; i < takes.size(); ++i)
      m.takes[i].stressed[k] = under.stressed(m.takes[i], takes[i].stats);
  });
}

void addLook(const Series& s, const MeasuredTake& base, const std::vector<MeasuredTake>& takes,
             LatitudeMeasure& m) {
  if (s.look.empty()) return;
  Look look = lookFrom(s.look);
  m.look = LookMeasure{look.name, {}, {}};
  const BracketFigures under(s, base.stats, takes, std::move(look));
  m.look->base = under.underLook(m.base, base.stats);
  for (size_t i = 0; i < takes.size(); ++i)
    m.look->takes.push_back(under.underLook(m.takes[i], takes[i].stats));
}

// Only what will be looked at is kept of the pixels.
void keepOnly(std::vector<PatchSample>& samples, const std::vector<size_t>& needed) {
  for (size_t i = 0; i < samples.size(); ++i)
    if (std::find(needed.begin(), needed.end(), i) == needed.end()) samples[i] = {};
}

}  // namespace

LatitudeMeasure measureLatitude(const Series& given, const Progress& progress) {
  Series s = given;
  if (s.decode.developedLike.empty()) s.decode.developedLike = s.base;
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
  const MeasuredTake base = step(s.base, s.window, nullptr, "base");
  const LumaPicture framing = firstPicture(s.base, s.decode, s.window, quiet);
  std::vector<MeasuredTake> stats;
  const BracketFigures first(s, base.stats, {});
  for (const auto* spec : specs) {
    stats.push_back(step(spec->clip, spec->window.value_or(s.window), &framing, spec->name));
    keepOnly(stats.back().stats.samples, first.sampledPatches());
    keepOnly(stats.back().stats.regionSamples, first.texturedRegions());
  }
  const BracketFigures figures(s, base.stats, stats);
  LatitudeMeasure m;
  m.base = figures.metricsOf({"base", s.base, 0.0, "", std::nullopt, std::nullopt}, base);
  m.takes.resize(specs.size());
  m.branches.resize(specs.size());
  parallelFor(static_cast<int>(specs.size()), [&](int i) {
    const auto k = static_cast<size_t>(i);
    m.takes[k] = figures.metricsOf(*specs[k], stats[k]);
    m.branches[k] = figures.branchesOf(m.takes[k], stats[k].stats);
  });
  addStress(s, base, stats, m);
  addLook(s, base, stats, m);
  m.faceGrey = figures.faceGrey();
  m.darkPatch = figures.darkPatch();
  m.display = s.display;
  m.curve = s.decode.curve;
  m.logEncoding = figures.logEncoding();
  m.primaries = s.decode.primaries.value_or(s.decode.matrix.value_or(Primaries::Bt709));
  m.delivery = s.delivery;
  m.toGrey = figures.toGrey();
  m.toSkin = figures.toSkin();
  for (const auto& t : m.takes) m.wrongCurveScatter = std::max(m.wrongCurveScatter, t.scatterStops);
  progress.report(1, "done");
  return m;
}

std::optional<LatitudeMeasure> underLook(const LatitudeMeasure& measure) {
  if (!measure.look) return std::nullopt;
  LatitudeMeasure m = measure;
  m.base = measure.look->base;
  m.takes = measure.look->takes;
  m.branches.assign(m.takes.size(), {});
  m.look.reset();
  return m;
}

const TakeMetrics* LatitudeMeasure::of(size_t take, Branch branch) const {
  if (branch == Branch::Exposure) return &takes.at(take);
  if (take < branches.size())
    for (const auto& m : branches[take])
      if (m.solved.correction.branch == branch) return &m;
  return nullptr;
}

}  // namespace edge
