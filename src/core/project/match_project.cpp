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
#include <unordered_map>

namespace edge {
namespace {

// Curve of a mode where the recipe names one; raw is linear. Empty: it must be asked.
DecodeOptions decodeOfMode(const ModeSpec& mode) {
  DecodeOptions d;
  d.curve = mode.kind == ModeKind::Raw ? "linear" : mode.curve;
  return d;
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
  const auto find = [&](const std::string& body, const ModeSpec& mode, double iso,
                        const std::string& light) -> Configuration& {
    // A plan that names no colour means whatever light there was.
    for (const bool exact : {true, false})
      for (auto& c : configurations)
        if (c.body == body && c.mode == mode.name && std::abs(c.iso - iso) < 0.5 &&
            (exact ? c.light == light : light.empty()))
          return c;
    Configuration c;
    c.body = body, c.mode = mode.name, c.iso = iso, c.light = light, c.decode = decodeOfMode(mode);
    // Charts are framed alike for all: those of the first configuration serve until others are placed.
    if (!configurations.empty())
      c.wedge = configurations[0].wedge, c.bench = configurations[0].bench,
      c.regions = configurations[0].regions;
    configurations.push_back(c);
    return configurations.back();
  };
  // A clip is one take's: whatever it was kept for before, in whichever configuration.
  const auto forget = [&](const std::string& path) {
    for (auto& c : configurations)
      std::erase_if(c.clips, [&](const ClipRecord& r) { return !r.slate.empty() && r.path == path; });
  };
  for (const auto& l : match.links) {
    const ClipFacts& f = facts[l.clip];
    if (!l.take && l.by == LinkBy::Hand) forget(fs::relative(f.path, project.folder()).generic_string());
    // What is kept elsewhere stands as it is, unless a hand gave it to another take.
    if (!l.take || l.superseded || (f.elsewhere && l.by == LinkBy::Kept)) continue;
    const Take& t = plan.takes[*l.take];
    const TestSeries& s = plan.series[t.series];
    const BodySpec& body = recipe.bodies[s.body];
    const CircuitSpec* circuit = body.circuitFor(t.iso);
    Configuration& c =
        find(body.name, body.modes[s.mode], circuit ? circuit->nativeIso : s.iso, s.light(recipe));
    if (c.clips.empty() && !f.elsewhere) c.ask = questionsOf(c.decode, f.format);
    const ClipRecord r = recordOf(project, log, recipe, plan, f, l);
    forget(r.path);
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
  auto stored = configurations;  // an id that was rolled back with its row must not be kept
  project.atomically([&] {
    for (auto& c : stored)
      if (c.id == 0)
        c.id = project.addConfiguration(c);
      else
        project.setClips(c.id, c.clips);
  });
  configurations = std::move(stored);
}

std::shared_ptr<const Checked> writtenOut(std::string inputHash, std::vector<CheckedTake> takes) {
  std::string text = toJson(takes).dump();
  try {
    takes = checkedFromJson(json::parse(text));  // what is kept is what will be read
  } catch (const json::exception&) {
    text.clear();  // a figure that is none
  }
  return std::make_shared<const Checked>(
      Checked{std::move(inputHash), std::make_shared<const std::vector<CheckedTake>>(std::move(takes)),
              std::move(text)});
}

void storeLinks(Project& project, std::vector<Configuration>& configurations,
                const std::vector<std::shared_ptr<const Checked>>& checks) {
  auto stored = configurations;
  project.atomically([&] {
    storeConfigurations(project, stored);
    for (size_t i = 0; i < stored.size() && i < checks.size(); ++i)
      if (checks[i] && !checks[i]->text.empty() &&
          checks[i]->inputHash == checksInputHash(project, stored[i]) &&
          !storedChecks(project, stored[i], checks[i]->inputHash))
        project.storeWritten(stored[i].id, kChecksResult, checks[i]->inputHash, checks[i]->text,
                             checks[i]->takes);
  });
  configurations = std::move(stored);
}

void noteExposures(const Plan& plan, const Match& match, const fs::path& folder,
                   const std::vector<CheckedTake>& checked, std::vector<ClipFacts>& facts) {
  std::unordered_map<std::string, std::vector<const ClipLink*>> bySlate;
  for (const auto& l : match.links)
    if (l.take) bySlate[plan.takes[*l.take].slate].push_back(&l);
  for (const auto& t : checked)
    for (const auto& c : t.checks) {
      if (!c.told || (c.code != "exposure" && c.code != "base-differs")) continue;
      for (const ClipLink* l : bySlate[t.slate])
        if (facts[l->clip].path == (folder / t.clip).lexically_normal())
          facts[l->clip].measured = l->expected + c.figure;
    }
}

namespace {

// Of a recipe that nobody has checked.
const json& listIn(const json& object, const char* key) {
  static const json kNone = json::array();
  return object.is_object() && object.contains(key) && object[key].is_array() ? object[key] : kNone;
}
bool named(const json& object, const std::string& name) {
  return object.is_object() && object.contains("name") && object["name"] == name;
}

}  // namespace

std::string checksInputHash(const Project& project, const Configuration& c) {
  std::string all = latitudeInputHash(c, project.folder()) + " checks 7" + toJson(c.wedge).dump();
  for (const auto& r : c.clips)
    if (r.kind != ClipKind::Base && r.kind != ClipKind::Take) all += r.hash;
  // Raster, bits and rate that were planned for this mode are checked too.
  for (const auto& d : project.decisions()) {
    if (d.key != kRecipeKey) continue;
    for (const auto& body : listIn(d.value, "bodies"))
      if (named(body, c.body))
        for (const auto& mode : listIn(body, "modes"))
          if (named(mode, c.mode)) all += mode.dump();
  }
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

CheckedTakes storedChecks(const Project& project, const Configuration& c, const std::string& inputHash) {
  if (c.id <= 0) return nullptr;
  return project
      .resultAs(c.id, kChecksResult, inputHash,
                [](const json& j) -> CheckedTakes {
                  return std::make_shared<const std::vector<CheckedTake>>(checkedFromJson(j));
                })
      .value_or(nullptr);
}

CheckedTakes storedChecks(const Project& project, const Configuration& c) {
  return storedChecks(project, c, checksInputHash(project, c));
}

ClipWords clipWordsOf(const Project& project) {
  ClipWords words;
  for (const auto& c : project.configurations()) {
    for (const auto& r : c.clips)
      if (!r.slate.empty()) words[r.slate] = {r.path, {}, false};
    const CheckedTakes checked = storedChecks(project, c);
    if (!checked) continue;
    for (const auto& t : *checked) {
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
