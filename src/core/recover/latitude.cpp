#include "recover/latitude.h"

#include <algorithm>
#include <memory>

#include "base/error.h"
#include "base/parallel.h"
#include "recover/clip_decode.h"
#include "recover/follow.h"
#include "recover/sample_store.h"
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

// Takes that have streamed by: their figures, and their pixels where they are kept.
struct Streamed {
  std::vector<MeasuredTake> takes;
  SampleStore samples;
  [[nodiscard]] MeasuredTake whole(size_t take) const {
    return {samples.whole(take, takes[take].stats), takes[take].framing};
  }
};

// Every step on base and takes, brought back by exposure alone.
class StressGrade {
 public:
  StressGrade(const Series& s, const MeasuredTake& base, const Streamed& streamed) : steps_(s.stress.size()) {
    const auto log = makeCurve(logEncodingOf(s.decode.curve)).curve;
    parallelFor(static_cast<int>(steps_.size()), [&](int step) {
      const auto k = static_cast<size_t>(step);
      steps_[k] = std::make_unique<BracketFigures>(s, base.stats, streamed.takes, lookOf(s.stress[k], *log),
                                                   BracketFigures::Textures::Ignored);
    });
  }
  void add(TakeMetrics& neutral, const TakeStats& take) const {
    for (const auto& step : steps_) neutral.stressed.push_back(step->stressed(neutral, take));
  }

 private:
  std::vector<std::unique_ptr<const BracketFigures>> steps_;
};

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
  Streamed streamed;
  const BracketFigures first(s, base.stats, {});
  for (const auto* spec : specs) {
    MeasuredTake take = step(spec->clip, spec->window.value_or(s.window), &framing, spec->name);
    keepOnly(take.stats.samples, first.sampledPatches());
    keepOnly(take.stats.regionSamples, first.texturedRegions());
    streamed.samples.keep(take.stats);
    streamed.takes.push_back(std::move(take));
  }
  const BracketFigures figures(s, base.stats, streamed.takes);
  const StressGrade grade(s, base, streamed);
  std::optional<BracketFigures> looked;
  LatitudeMeasure m;
  m.stress = s.stress;
  m.base = figures.metricsOf({"base", s.base, 0.0, "", std::nullopt, std::nullopt}, base);
  grade.add(m.base, base.stats);
  m.takes.resize(specs.size());
  m.branches.resize(specs.size());
  if (!s.look.empty()) {
    Look look = lookFrom(s.look);
    m.look = LookMeasure{look.name, {}, std::vector<TakeMetrics>(specs.size())};
    looked.emplace(s, base.stats, streamed.takes, std::move(look));
    m.look->base = looked->underLook(m.base, base.stats);
  }
  parallelFor(static_cast<int>(specs.size()), [&](int i) {
    const auto k = static_cast<size_t>(i);
    const MeasuredTake take = streamed.whole(k);
    m.takes[k] = figures.metricsOf(*specs[k], take);
    m.branches[k] = figures.branchesOf(m.takes[k], take.stats);
    grade.add(m.takes[k], take.stats);
    if (looked) m.look->takes[k] = looked->underLook(m.takes[k], take.stats);
  });
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
