#include "project/match_project.h"

#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/hash.h"
#include "base/parallel.h"
#include "match/kind_checks.h"
#include "noise/iso_sweep.h"
#include "plan/run_list.h"
#include "project/analysis.h"
#include "project/decode_json.h"
#include "project/setup.h"
#include "recover/follow.h"
#include "shoot/actual.h"

namespace fs = std::filesystem;
using nlohmann::json;

#include <set>
#include <tuple>

namespace edge {
namespace {

// Curve of a mode where the recipe names one; raw is linear. Empty: it must be asked.
DecodeOptions decodeOfMode(const ModeSpec& mode) {
  DecodeOptions d;
  d.curve = mode.kind == ModeKind::Raw ? "linear" : mode.curve;
  return d;
}

const Take* takeOf(const Plan& plan, const std::string& slate) {
  for (const auto& t : plan.takes)
    if (t.slate == slate) return &t;
  return nullptr;
}

ClipRecord recordOf(const Project& project, const ShootLog& log, const Recipe& recipe, const Plan& plan,
                    const ClipFacts& f, const ClipLink& l) {
  const Take& planned = plan.takes[*l.take];
  const Take t = takeAsShot(recipe, plan, planned, log.of(planned.slate).settings).take;
  ClipRecord r;
  std::tie(r.kind, r.name) = kindAndNameOf(plan, t);
  r.plannedStops = plannedOf(r.kind, t);
  if (r.plannedStops) r.plannedStops = l.expected;
  r.path = fs::relative(f.path, project.folder()).generic_string();
  r.hash = f.hash;
  r.iso = t.iso, r.slate = t.slate;
  r.nd = t.settings.nd.value();
  r.strobeHz = recipe.tests[plan.series[t.series].test].strobeHz;
  r.first = f.slate.steady.first, r.frames = f.slate.steady.count;
  r.link = {{"by", wordOf(l.by)}, {"sure", l.sure}, {"words", l.words}};
  if (r.kind == ClipKind::Base) r.link["protocol"] = toJson(plan.protocol);
  return r;
}

}  // namespace

std::pair<ClipKind, std::string> kindAndNameOf(const Plan& plan, const Take& t) {
  const TestKind kind = plan.series[t.series].kind;
  if (t.role == TakeRole::Wedge) return {ClipKind::Wedge, "wedge"};
  if (t.role == TakeRole::Black && kind == TestKind::Wedge) return {ClipKind::Black, "black"};
  if (kind != TestKind::Bracket) return {clipKindOf(kind), wordOf(kind) + ("-" + t.name)};
  if (t.role == TakeRole::Base)
    return {t.baseIndex == 0 && t.setup == 0 ? ClipKind::Base : ClipKind::BaseRepeat, t.name};
  return {ClipKind::Take, t.name};
}

std::optional<double> plannedOf(ClipKind kind, const Take& t) {
  const bool onScale = kind == ClipKind::Take || kind == ClipKind::Base || kind == ClipKind::PhotonTransfer;
  return onScale && t.role != TakeRole::Black ? std::optional(t.plannedStops) : std::nullopt;
}

std::vector<ClipFacts> readAllFacts(const fs::path& folder, const Progress& progress) {
  const auto clips = clipsIn(folder);
  std::vector<ClipFacts> facts(clips.size());
  std::atomic<size_t> done = 0;
  parallelFor(static_cast<int>(clips.size()), [&](int i) {
    const Progress quiet([&progress](double, const std::string&) { progress.throwIfCancelled(); });
    facts[static_cast<size_t>(i)] = readFacts(clips[static_cast<size_t>(i)], quiet);
    const size_t n = ++done;
    progress.report(static_cast<double>(n) / static_cast<double>(clips.size()),
                    clips[static_cast<size_t>(i)].filename().string());
  });
  return facts;
}

std::map<std::string, std::string> linksByHand(const Project& project) {
  std::map<std::string, std::string> out;
  const auto d = project.decision(0, "", kByHandKey);
  if (!d || !d->value.is_object()) return out;
  for (const auto& [path, slate] : d->value.items())
    if (slate.is_string())
      out[(project.folder() / path).lexically_normal().string()] = slate.get<std::string>();
  return out;
}

std::vector<Configuration> linkedConfigurations(const Project& project, const Recipe& recipe,
                                                const Plan& plan, const std::vector<ClipFacts>& facts,
                                                const Match& match) {
  auto configurations = project.configurations();
  const ShootLog log = foldLog(project.log());
  const auto find = [&](const std::string& body, const ModeSpec& mode, double iso) -> Configuration& {
    for (auto& c : configurations)
      if (c.body == body && c.mode == mode.name && std::abs(c.iso - iso) < 0.5) return c;
    Configuration c;
    c.body = body, c.mode = mode.name, c.iso = iso, c.decode = decodeOfMode(mode);
    // Charts are framed alike for all: those of the first configuration serve until others are placed.
    if (!configurations.empty())
      c.wedge = configurations[0].wedge, c.bench = configurations[0].bench,
      c.regions = configurations[0].regions;
    configurations.push_back(c);
    return configurations.back();
  };
  for (const auto& l : match.links) {
    const ClipFacts& f = facts[l.clip];
    if (!l.take && l.by == LinkBy::Hand)  // no take, whatever it was kept for
      for (auto& c : configurations)
        std::erase_if(c.clips, [&](const ClipRecord& r) {
          return !r.slate.empty() && (project.folder() / r.path).lexically_normal() == f.path;
        });
    if (!l.take || l.superseded || f.elsewhere) continue;
    const Take& t = plan.takes[*l.take];
    const TestSeries& s = plan.series[t.series];
    const BodySpec& body = recipe.bodies[s.body];
    const CircuitSpec* circuit = body.circuitFor(t.iso);
    Configuration& c = find(body.name, body.modes[s.mode], circuit ? circuit->nativeIso : s.iso);
    if (c.clips.empty()) c.ask = questionsOf(c.decode, f.format);
    const ClipRecord r = recordOf(project, log, recipe, plan, f, l);
    const auto old = [&](const ClipRecord& x) { return x.slate == r.slate || x.path == r.path; };
    c.clips.erase(std::remove_if(c.clips.begin(), c.clips.end(), old), c.clips.end());
    c.clips.push_back(r);
  }
  for (auto& c : configurations)
    std::stable_sort(c.clips.begin(), c.clips.end(), [](const ClipRecord& a, const ClipRecord& b) {
      return std::make_pair(a.kind == ClipKind::Take, a.plannedStops.value_or(0)) <
             std::make_pair(b.kind == ClipKind::Take, b.plannedStops.value_or(0));
    });
  return configurations;
}

void joinKept(std::vector<ClipFacts>& facts, const std::vector<const Configuration*>& kept,
              const fs::path& folder) {
  std::map<fs::path, size_t> byPath;
  std::map<std::string, size_t> byHash;
  for (size_t i = 0; i < facts.size(); ++i) {
    facts[i].keptAs.clear();
    byPath[facts[i].path] = i;
    if (!facts[i].hash.empty()) byHash[facts[i].hash] = i;
  }
  for (const auto* c : kept)
    for (const auto& r : c->clips) {
      if (r.slate.empty()) continue;
      const fs::path path = (folder / r.path).lexically_normal();
      const auto here = byPath.find(path);
      const auto same = byHash.find(r.hash);
      if (here != byPath.end() && (r.hash.empty() || facts[here->second].hash == r.hash)) {
        facts[here->second].keptAs = r.slate;
      } else if (!r.hash.empty() && same != byHash.end()) {
        facts[same->second].keptAs = r.slate;
      } else if (here == byPath.end()) {
        ClipFacts f;
        f.path = path, f.hash = r.hash, f.keptAs = r.slate, f.elsewhere = true;
        if (r.iso > 0) f.iso = r.iso;
        f.mosaic = c->decode.curve == "linear";
        f.slate.steady = {r.first, r.frames};
        facts.push_back(std::move(f));
      }
    }
}

bool linksStand(const Project& project, const std::vector<Configuration>& linked) {
  const auto key = [](const Configuration& c) {
    std::set<std::tuple<std::string, std::string, std::string>> clips;
    for (const auto& clip : c.clips) clips.insert({clip.path, clip.slate, clip.hash});
    return clips;
  };
  const auto stored = project.configurations();
  return std::all_of(linked.begin(), linked.end(), [&](const Configuration& c) {
    const auto at =
        std::find_if(stored.begin(), stored.end(), [&](const Configuration& s) { return s.id == c.id; });
    return at == stored.end() ? c.clips.empty() : key(*at) == key(c);
  });
}

void storeConfigurations(Project& project, std::vector<Configuration>& configurations) {
  for (auto& c : configurations)
    if (c.id == 0)
      c.id = project.addConfiguration(c);
    else
      project.setClips(c.id, c.clips);
}

void noteExposures(const Plan& plan, const Match& match, const fs::path& folder,
                   const std::vector<CheckedTake>& checked, std::vector<ClipFacts>& facts) {
  for (const auto& t : checked)
    for (const auto& c : t.checks)
      if (c.told && (c.code == "exposure" || c.code == "base-differs"))
        for (const auto& l : match.links)
          if (l.take && plan.takes[*l.take].slate == t.slate &&
              facts[l.clip].path == (folder / t.clip).lexically_normal())
            facts[l.clip].measured = l.expected + c.figure;
}

namespace {

TakeExpectation expectationOf(const ClipRecord& clip, const Recipe& recipe, const Plan& plan) {
  TakeExpectation e;
  e.plannedStops = clip.plannedStops.value_or(0), e.base = clip.kind != ClipKind::Take;
  if (const Take* t = takeOf(plan, clip.slate)) {
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

// Base, its repeats and the takes of the bracket: against the base.
std::vector<CheckedTake> checkBracket(const Configuration& c, const fs::path& folder, const Recipe& recipe,
                                      const Plan& plan, const Progress& progress, EvidenceShelf& shelf) {
  std::vector<CheckedTake> out;
  const ClipRecord* base = c.clipOfKind(ClipKind::Base);
  if (!base || c.bench.patches.empty()) return out;
  const DecodeOptions decode = decodeOf(c, folder);
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
      return gatherTake(folder / r->path, decode, c.bench, c.regions, {r->first, r->frames}, quiet,
                        r == base ? nullptr : framing.get());
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
      evidence.push_back(gatherTake(folder / r.path, decode, chart, {}, {r.first, r.frames}, quiet));
      clips.push_back(&r);
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

std::string checksInputHash(const Project& project, const Configuration& c) {
  std::string all = latitudeInputHash(c, project.folder()) + " checks 6" + toJson(c.wedge).dump();
  for (const auto& r : c.clips)
    if (r.kind != ClipKind::Base && r.kind != ClipKind::Take) all += r.hash;
  // Raster, bits and rate that were planned for this mode are checked too.
  if (const auto recipe = project.decision(0, "", kRecipeKey); recipe && recipe->value.contains("bodies"))
    for (const auto& body : recipe->value["bodies"])
      if (body.value("name", "") == c.body && body.contains("modes"))
        for (const auto& mode : body["modes"])
          if (mode.value("name", "") == c.mode) all += mode.dump();
  return hashBytes(all);
}

json toJson(const std::vector<CheckedTake>& checked) {
  json j = json::array();
  for (const auto& t : checked) {
    json checks = json::array();
    for (const auto& c : t.checks) checks.push_back(toJson(c));
    j.push_back({{"slate", t.slate}, {"clip", t.clip}, {"checks", checks}});
  }
  return j;
}

std::vector<CheckedTake> checkedFromJson(const json& j) {
  std::vector<CheckedTake> out;
  for (const auto& t : j) {
    CheckedTake c{t.at("slate"), t.at("clip"), {}};
    for (const auto& check : t.at("checks")) c.checks.push_back(takeCheckFromJson(check));
    out.push_back(std::move(c));
  }
  return out;
}

ClipWords clipWordsOf(const Project& project) {
  ClipWords words;
  for (const auto& c : project.configurations()) {
    for (const auto& r : c.clips)
      if (!r.slate.empty()) words[r.slate] = {r.path, {}, false};
    const auto stored = project.result(c.id, kChecksResult, checksInputHash(project, c));
    if (!stored) continue;
    for (const auto& t : checkedFromJson(*stored)) {
      if (t.slate.empty()) continue;  // begun from clips: there is no plan to strike a set of
      words[t.slate].checked = true;
      for (const auto& check : t.checks)
        if (!check.pass) words[t.slate].troubles.push_back({check.code, check.words});
    }
  }
  return words;
}

json matchJson(const Plan& plan, const std::vector<ClipFacts>& facts, const Match& match) {
  json j = {{"links", json::array()}, {"missing", json::array()}, {"twins", json::array()}};
  for (const auto& l : match.links)
    j["links"].push_back({{"clip", facts[l.clip].path.generic_string()},
                          {"take", l.take ? json(plan.takes[*l.take].slate) : json()},
                          {"by", wordOf(l.by)},
                          {"sure", l.sure},
                          {"attempt", l.attempt},
                          {"superseded", l.superseded},
                          {"words", l.words},
                          {"trouble", l.trouble}});
  for (size_t t : match.missing) j["missing"].push_back(plan.takes[t].slate);
  for (const auto& clips : match.twins) {
    json list = json::array();
    for (size_t i : clips) list.push_back(facts[i].path.generic_string());
    j["twins"].push_back(list);
  }
  return j;
}

}  // namespace edge
