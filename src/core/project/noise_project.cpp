#include "project/noise_project.h"

#include <algorithm>

#include "base/hash.h"
#include "base/json_numbers.h"
#include "project/decode_json.h"
#include "project/same_clips.h"
#include "project/setup.h"
#include "recover/clip_decode.h"

namespace fs = std::filesystem;
using nlohmann::json;

namespace edge {
namespace {

constexpr size_t kFewestTransferTakes = 4;
constexpr const char* kNoiseMethod = "5";  // raised when a change of the method makes old results stale

// The first clip of every value: a base that is repeated counts once.
template <class Value>
std::vector<ClipRecord> firstOfEach(const std::vector<ClipRecord>& clips, Value value) {
  std::vector<ClipRecord> out;
  for (const auto& c : clips)
    if (std::none_of(out.begin(), out.end(), [&](const ClipRecord& o) { return value(o) == value(c); }))
      out.push_back(c);
  std::stable_sort(out.begin(), out.end(),
                   [&](const ClipRecord& a, const ClipRecord& b) { return value(a) < value(b); });
  return out;
}

double isoOf(const ClipRecord& c) {
  return c.iso;
}
double densityOf(const ClipRecord& c) {
  return c.nd;
}

Series seriesOf(const NoiseSubject& s, const fs::path& folder, const char* kind,
                const std::vector<ClipRecord>& clips) {
  Series out;
  out.kind = kind;
  out.decode = decodeOf(s.setup, folder);
  out.chart = s.setup.bench;
  out.regions = s.setup.regions;
  out.display = s.setup.display;
  for (const auto& c : clips) {
    TakeSpec t{c.name, folder / c.path, 0.0, "", c.iso, FrameWindow{c.first, c.frames}};
    t.nd = c.nd;
    if (!clips.empty() && c.iso > 0 && clips.front().iso > 0 && out.kind == "iso-ladder")
      t.plannedStops = -std::log2(c.iso / clips.front().iso);
    out.takes.push_back(std::move(t));
  }
  return out;
}

struct NoiseJob {
  const char* result;  // under which the figures are stored
  const char* words;
  ClipKind kind;
  size_t fewest;
  std::vector<ClipRecord> (*chosen)(const std::vector<ClipRecord>&);
  json (*measure)(const NoiseSubject&, const fs::path&, const std::vector<ClipRecord>&, const Progress&);
  bool onChart = true;
};

std::vector<ClipRecord> byIso(const std::vector<ClipRecord>& clips) {
  return firstOfEach(clips, isoOf);
}

// The lower ISO, lifted, and the native one.
std::vector<ClipRecord> lowAndHigh(const std::vector<ClipRecord>& clips) {
  const auto all = byIso(clips);
  return all.size() < 2 ? all : std::vector<ClipRecord>{all.front(), all.back()};
}

TransferSet measureTransfers(const fs::path& folder, const std::vector<ClipRecord>& clips,
                             const Progress& progress) {
  TransferSet set;
  for (size_t from = 0; from < clips.size();) {
    std::vector<TransferClip> of;
    size_t to = from;
    for (; to < clips.size() && clips[to].iso == clips[from].iso; ++to)
      of.push_back({folder / clips[to].path, {clips[to].first, clips[to].frames}, !clips[to].plannedStops});
    set.push_back({clips[from].iso, measureTransfer(of, std::nullopt, progress)});
    from = to;
  }
  return set;
}

const std::vector<NoiseJob>& jobs() {
  static const std::vector<NoiseJob> list = {
      {"iso sweep", "ISO sweep", ClipKind::IsoSweep, kFewestSweepPoints, byIso,
       [](const auto& s, const auto& folder, const auto& clips, const auto& p) {
         return toJson(measureSweep(seriesOf(s, folder, "iso-sweep", clips), p));
       }},
      {"iso ladder", "ISO ladder", ClipKind::IsoLadder, 2, byIso,
       [](const auto& s, const auto& folder, const auto& clips, const auto& p) {
         return toJson(measureLadder(seriesOf(s, folder, "iso-ladder", clips), p));
       }},
      {"push pair", "push pair", ClipKind::PushPair, 2, lowAndHigh,
       [](const auto& s, const auto& folder, const auto& clips, const auto& p) {
         return toJson(measureLadder(seriesOf(s, folder, "pair", clips), p));
       }},
      {"readout", "strobe", ClipKind::RollingShutter, 1,
       [](const std::vector<ClipRecord>& clips) { return std::vector<ClipRecord>{clips.front()}; },
       [](const auto& s, const auto& folder, const auto& clips, const auto& p) {
         const auto reader = openClip(folder / clips[0].path);
         const DecodeOptions decode = resolved(decodeOf(s.setup, folder), reader->info());
         const RowTraces rows = measureRows(*reader, decode, {clips[0].first, clips[0].frames}, p);
         json j = {{"rows", toJson(rows)}};
         if (clips[0].strobeHz > 0) j["readout"] = toJson(readoutOf(rows, clips[0].strobeHz));
         return j;
       },
       false},
      {"infrared", "infrared", ClipKind::Infrared, 2,
       [](const std::vector<ClipRecord>& clips) { return firstOfEach(clips, densityOf); },
       [](const auto& s, const auto& folder, const auto& clips, const auto& p) {
         return toJson(measureInfrared(seriesOf(s, folder, "infrared", clips), p));
       }},
      {"photon transfer", "photon transfer", ClipKind::PhotonTransfer, kFewestTransferTakes,
       [](const std::vector<ClipRecord>& clips) {
         auto out = clips;
         std::stable_sort(out.begin(), out.end(),
                          [](const ClipRecord& a, const ClipRecord& b) { return a.iso < b.iso; });
         return out;
       },
       [](const auto&, const auto& folder, const auto& clips, const auto& p) {
         return toJson(measureTransfers(folder, clips, p));
       },
       false}};
  return list;
}

std::string inputHash(const NoiseSubject& s, const fs::path& folder, const std::vector<ClipRecord>& clips) {
  json j = {{"method", kNoiseMethod},
            {"decode", toJson(s.setup.decode)},
            {"chart", toJson(s.setup.bench)},
            {"display", s.setup.display},
            {"clips", json::array()}};
  if (const auto curve = curveContent(s.setup.decode, folder)) j["curve_hash"] = *curve;
  for (const auto& c : clips)
    j["clips"].push_back({c.hash, c.iso, c.nd, c.strobeHz, c.first, c.frames, number(c.plannedStops)});
  for (const auto& r : s.setup.regions) j["regions"].push_back(toJson(r));
  return hashBytes(j.dump());
}

// The clips of a job; empty: too few of them.
std::vector<ClipRecord> clipsFor(const NoiseSubject& s, const NoiseJob& job) {
  const auto clips = s.clipsOf(job.kind);
  if (clips.empty()) return {};
  auto chosen = job.chosen(clips);
  if (chosen.size() < job.fewest) chosen.clear();
  return chosen;
}

template <class Read>
auto storedOf(const Project& p, const NoiseSubject& s, const NoiseJob& job, Read read)
    -> std::optional<std::decay_t<decltype(read(json()))>> {
  const auto clips = clipsFor(s, job);
  if (clips.empty()) return std::nullopt;
  return p.resultAs(s.setup.id, job.result, inputHash(s, p.folder(), clips), read);
}

// Rows and what they say of the readout, which may be nothing.
auto strobeFrom(const json& j) {
  auto traces = tracesFromJson(j.at("rows"));
  return std::pair(std::move(traces),
                   j.contains("readout") ? std::optional(readoutFromJson(j.at("readout"))) : std::nullopt);
}

}  // namespace

std::string NoiseSubject::label() const {
  return setup.body + " · " + setup.mode;
}

std::vector<ClipRecord> NoiseSubject::clipsOf(ClipKind kind) const {
  std::vector<ClipRecord> out;
  for (const auto& c : clips)
    if (c.kind == kind) out.push_back(c);
  return out;
}

std::vector<NoiseSubject> noiseSubjects(const std::vector<Configuration>& configurations) {
  std::vector<NoiseSubject> subjects;
  for (const auto& c : configurations) {
    auto at =
        std::find_if(subjects.begin(), subjects.end(), [&](const NoiseSubject& s) { return s.holds(c); });
    if (at == subjects.end()) at = subjects.insert(subjects.end(), {c, {}});
    for (auto clip : c.clips) {
      if (!(clip.iso > 0)) clip.iso = c.iso;
      at->clips.push_back(std::move(clip));
    }
  }
  return subjects;
}

std::vector<Analysis> noiseAnalysesOf(const NoiseSubject& s, const fs::path& folder) {
  std::vector<Analysis> list;
  if (!isDecoded(s.setup)) return list;
  for (const auto& job : jobs()) {
    const auto clips = clipsFor(s, job);
    if (clips.empty() || (job.onChart && !hasChartLight(s.setup))) continue;
    list.push_back({s.setup.id, job.result, s.label() + ", " + job.words, inputHash(s, folder, clips),
                    [s, folder, clips, measure = job.measure](const Progress& p) {
                      const SameClips same(clips, folder, p);
                      json figures = measure(s, folder, clips, p);
                      same.stillSame();
                      return figures;
                    }});
  }
  return list;
}

// Whatever else is wrong with the recipe.
std::vector<double> publishedNatives(const Project& p, const std::string& body) {
  std::vector<double> natives;
  const auto stored = p.decision(0, "", kRecipeKey);
  if (!stored || !stored->value.contains("bodies") || !stored->value["bodies"].is_array()) return natives;
  for (const auto& b : stored->value["bodies"]) {
    if (!b.is_object() || b.value("name", json()) != json(body)) continue;
    const json circuits = b.value("circuits", json::array());
    for (const auto& c : circuits) {
      const json native = c.is_object() ? c.value("native_iso", json()) : json();
      const json value = native.is_object() ? native.value("value", json()) : native;
      if (value.is_number()) natives.push_back(value);
    }
  }
  return natives;
}

std::vector<NoiseFinding> collectNoise(const Project& p) {
  std::vector<NoiseFinding> list;
  for (auto& s : noiseSubjects(p.configurations())) {
    NoiseFinding f;
    const auto& all = jobs();
    f.sweep = storedOf(p, s, all[0], sweepFromJson);
    f.ladder = storedOf(p, s, all[1], ladderFromJson);
    f.pair = storedOf(p, s, all[2], ladderFromJson);
    if (auto strobe = storedOf(p, s, all[3], strobeFrom))
      f.strobe = std::move(strobe->first), f.readout = std::move(strobe->second);
    f.infrared = storedOf(p, s, all[4], infraredFromJson);
    f.transfer = storedOf(p, s, all[5], transferFromJson).value_or(TransferSet());
    for (const auto& c : s.clipsOf(ClipKind::RollingShutter)) f.strobeHz = c.strobeHz;
    f.published = publishedNatives(p, s.setup.body);
    f.subject = std::move(s);
    list.push_back(std::move(f));
  }
  return list;
}

const std::vector<NoisePageSpec>& noisePages() {
  static const std::vector<NoisePageSpec> pages = {
      {NoisePage::Iso,
       "ISO",
       "No ISO sweep and no ladder was shot with this body and mode.",
       {ClipKind::IsoSweep, ClipKind::IsoLadder}},
      {NoisePage::Floor,
       "Floor",
       "The floor is read from an ISO ladder; none was shot with this body and mode.",
       {ClipKind::IsoLadder}},
      {NoisePage::Look,
       "Look",
       "There is an ISO ladder to look at once one was shot; none was.",
       {ClipKind::IsoLadder}},
      {NoisePage::Pair, "Push pair", "No push pair was shot with this body and mode.", {ClipKind::PushPair}},
      {NoisePage::MoreLight,
       "More light",
       "No over and under bracket was shot with this body and mode.",
       {ClipKind::Take}},
      {NoisePage::Transfer,
       "Transfer",
       "No photon transfer of an even field was shot with this body and mode; it takes raw.",
       {ClipKind::PhotonTransfer},
       false},
      {NoisePage::Readout,
       "Readout",
       "No strobe was shot with this body and mode.",
       {ClipKind::RollingShutter},
       false},
      {NoisePage::Infrared,
       "Infrared",
       "No infrared takes were shot with this body and mode.",
       {ClipKind::Infrared}}};
  return pages;
}

}  // namespace edge
