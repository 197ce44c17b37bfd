// Clips of a configuration checked by what their kinds need; evidence is streamed once.
#include <cmath>
#include <set>

#include "base/error.h"
#include "match/kind_checks.h"
#include "noise/iso_sweep.h"
#include "project/analysis.h"
#include "project/match_project.h"
#include "project/same_clips.h"
#include "project/setup.h"
#include "recover/follow.h"

namespace fs = std::filesystem;

namespace edge {

namespace {

TakeExpectation expectationOf(const ClipRecord& clip, const Recipe& recipe, const Plan& plan) {
  TakeExpectation e;
  e.plannedStops = clip.plannedStops.value_or(0), e.base = clip.kind != ClipKind::Take;
  if (const Take* t = takeOfSlate(plan, clip.slate)) {
    const TestSeries& s = plan.series[t->series];
    const ModeSpec& mode = recipe.bodies[s.body].modes[s.mode];
    e.bits = mode.bits, e.fps = mode.fps, e.raw = mode.kind == ModeKind::Raw;
    e.width = mode.width, e.height = mode.height;
  }
  return e;
}

template <class Value>
std::shared_ptr<const Value> onShelf(std::deque<std::pair<std::string, std::shared_ptr<const Value>>>& shelf,
                                     const std::string& key, const std::function<Value()>& make) {
  for (const auto& [known, value] : shelf)
    if (known == key) return value;
  auto value = std::make_shared<const Value>(make());
  shelf.emplace_back(key, value);
  if (shelf.size() > EvidenceShelf::kMost) shelf.pop_front();
  return value;
}

// All that the evidence of a clip of a bracket comes from. Empty: the clip is not known by its content.
std::string evidenceKey(const Configuration& c, const ClipRecord& r, const ClipRecord& base,
                        const fs::path& folder) {
  if (r.hash.empty() || base.hash.empty()) return {};
  Configuration of = c;  // decoding, charts and these two clips
  of.clips = {base, r};
  return latitudeInputHash(of, folder) + r.hash + std::to_string(r.first) + "+" + std::to_string(r.frames);
}

// Of the clip that was linked: another content under its name throws ClipChanged.
TakeEvidence gatherLinked(const ClipRecord& r, const fs::path& folder, const DecodeOptions& decode,
                          const Chart& chart, const std::vector<Patch>& regions, const Progress& progress,
                          const LumaPicture* framing = nullptr) {
  const SameClips same({r}, folder, progress);
  TakeEvidence evidence =
      gatherTake(folder / r.path, decode, chart, regions, {r.first, r.frames}, progress, framing);
  same.stillSame();
  return evidence;
}

// Base, its repeats and the takes of the bracket: against the base.
std::vector<CheckedTake> checkBracket(const Configuration& c, const fs::path& folder, const Recipe& recipe,
                                      const Plan& plan, const Progress& progress, EvidenceShelf& shelf) {
  std::vector<CheckedTake> out;
  const ClipRecord* base = c.clipOfKind(ClipKind::Base);
  if (!base || c.bench.patches.empty()) return out;
  const DecodeOptions decode = decodeOfBracket(c, folder);
  std::vector<const ClipRecord*> clips = {base};
  for (const auto& r : c.clips)
    if (r.kind == ClipKind::Take || r.kind == ClipKind::BaseRepeat) clips.push_back(&r);
  const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
  const auto framing = shelf.framing(evidenceKey(c, *base, *base, folder), [&] {
    return firstPicture(folder / base->path, decode, {base->first, base->frames}, quiet);
  });
  std::vector<std::shared_ptr<const TakeEvidence>> evidence;
  for (const auto* r : clips) {
    progress.report(static_cast<double>(evidence.size()) / static_cast<double>(c.clips.size()),
                    c.label() + " " + r->name);
    evidence.push_back(shelf.evidence(evidenceKey(c, *r, *base, folder), [&] {
      return gatherLinked(*r, folder, decode, c.bench, c.regions, quiet, r == base ? nullptr : framing.get());
    }));
  }
  std::vector<const TakeStats*> stats;
  for (const auto& e : evidence) stats.push_back(&e->stats);
  const Plateau plateau = findPlateau(stats, neutralPatches(c.bench));
  for (size_t i = 0; i < clips.size(); ++i)
    out.push_back(
        {clips[i]->slate, clips[i]->path,
         checkTake(*evidence[i], *evidence[0], c.bench, plateau, expectationOf(*clips[i], recipe, plan))});
  return out;
}

// A sweep may be bright at some of its ISOs (noise/iso_sweep.h): it is told where more than half of it are.
void forgiveFew(std::vector<CheckedTake>& takes, size_t from) {
  std::vector<TakeCheck*> bright;
  for (size_t i = from; i < takes.size(); ++i)
    for (auto& c : takes[i].checks)
      if (c.code == "too-bright" && !c.pass) bright.push_back(&c);
  if (2 * bright.size() > takes.size() - from) return;
  for (auto* c : bright) c->pass = true, c->words = "bright, but most of the sweep is dark enough";
}

std::optional<CheckKind> checkKindOf(ClipKind kind) {
  switch (kind) {
    case ClipKind::Base:
    case ClipKind::BaseRepeat:
    case ClipKind::Take:
      return std::nullopt;  // of the bracket
    case ClipKind::Wedge:
      return CheckKind::Wedge;
    case ClipKind::Black:
      return CheckKind::Black;
    case ClipKind::IsoSweep:
      return CheckKind::Sweep;
    case ClipKind::IsoLadder:
    case ClipKind::PushPair:
      return CheckKind::Equal;
    case ClipKind::HighlightPair:
    case ClipKind::Twins:
    case ClipKind::BodyMatch:
    case ClipKind::RollingShutter:
    case ClipKind::Infrared:
    case ClipKind::ModePair:
    case ClipKind::PhotonTransfer:
    case ClipKind::Check:
      return CheckKind::File;
  }
  return std::nullopt;
}

// What the clips of a kind are looked at on. Empty: areas all over the picture.
Chart chartFor(const Configuration& c, CheckKind how, const fs::path& folder) {
  if (how == CheckKind::Wedge) return c.wedge;
  if (how == CheckKind::Equal) return c.bench;
  Chart chart = c.bench;
  chart.patches.clear();
  if (how == CheckKind::Sweep && hasChartLight(c)) chart.patches = {dimPatch(seriesOf(c, folder))};
  return chart;
}

// All clips of one kind, against the first of them that can be read.
void checkSeries(const Configuration& c, ClipKind kind, CheckKind how, const fs::path& folder,
                 const Recipe& recipe, const Plan& plan, const Progress& progress,
                 std::vector<CheckedTake>& out) {
  const DecodeOptions decode = decodeOf(c, folder);
  const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
  Chart chart = chartFor(c, how, folder);
  std::vector<const ClipRecord*> clips;
  std::vector<TakeEvidence> evidence;
  size_t seen = out.size();
  for (const auto& r : c.clips) {
    if (r.kind != kind) continue;
    progress.report(static_cast<double>(seen++) / static_cast<double>(c.clips.size()),
                    c.label() + " " + r.name);
    try {
      if (chart.patches.empty()) {
        const auto format = openClip(folder / r.path)->info().format;
        chart = nineAreas(format.width, format.height);
      }
      evidence.push_back(gatherLinked(r, folder, decode, chart, {}, quiet));
      clips.push_back(&r);
    } catch (const ClipChanged&) {
      // No result of what was linked.
      throw;
    } catch (const Error& e) {  // one bad clip leaves the others their checks
      out.push_back({r.slate,
                     r.path,
                     {{"unreadable", 1, 0, "", false, true, e.problem() + ": " + e.remedy(), nullptr}}});
    }
  }
  std::vector<const TakeStats*> stats;
  for (const auto& e : evidence) stats.push_back(&e.stats);
  const Plateau plateau = findPlateau(stats, neutralPatches(chart));
  const size_t from = out.size();
  for (size_t i = 0; i < clips.size(); ++i) {
    TakeExpectation e = expectationOf(*clips[i], recipe, plan);
    if (clips[i]->iso > 0 && clips[0]->iso > 0) e.isoStops = std::log2(clips[i]->iso / clips[0]->iso);
    out.push_back({clips[i]->slate, clips[i]->path,
                   checkOfKind(how, evidence[i], i == 0 ? nullptr : &evidence[0], chart, plateau, e)});
  }
  if (how == CheckKind::Sweep) forgiveFew(out, from);
}

}  // namespace

std::shared_ptr<const TakeEvidence> EvidenceShelf::evidence(const std::string& key,
                                                            const std::function<TakeEvidence()>& make) {
  return key.empty() ? std::make_shared<const TakeEvidence>(make()) : onShelf(taken_, key, make);
}

std::shared_ptr<const LumaPicture> EvidenceShelf::framing(const std::string& key,
                                                          const std::function<LumaPicture()>& make) {
  return key.empty() ? std::make_shared<const LumaPicture>(make()) : onShelf(framings_, key, make);
}

std::vector<CheckedTake> checkConfiguration(const Configuration& c, const fs::path& folder,
                                            const Recipe& recipe, const Plan& plan, const Progress& progress,
                                            EvidenceShelf* shelf) {
  if (!isDecoded(c)) return {};
  EvidenceShelf none;
  auto out = checkBracket(c, folder, recipe, plan, progress, shelf ? *shelf : none);
  std::set<ClipKind> done;
  for (const auto& r : c.clips)
    if (const auto how = checkKindOf(r.kind); how && done.insert(r.kind).second)
      checkSeries(c, r.kind, *how, folder, recipe, plan, progress, out);
  return out;
}

}  // namespace edge
