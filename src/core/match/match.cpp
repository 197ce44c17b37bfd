#include "match/match.h"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <unordered_map>

#include "base/numbers.h"
#include "match/name_stops.h"
#include "plan/run_list.h"
#include "shoot/actual.h"
#include "shoot/judge.h"

namespace edge {
namespace {

constexpr double kSureSlate = 0.99, kSureNoted = 0.95, kSureName = 0.8, kSureMetadata = 0.7, kSureOrder = 0.6;
constexpr double kSetStops = 0.1;            // a setting in a file that differs by more is another one
constexpr double kIrisStops = 0.4;           // f-numbers in files lie up to a third of a stop from T-stops
constexpr double kExposureTolerance = 0.25;  // stops

// Lower-case letters and digits only.
std::string bare(const std::string& text) {
  std::string out;
  for (const char c : lower(text))
    if (std::isalnum(static_cast<unsigned char>(c))) out += c;
  return out;
}

class Matcher {
 public:
  Matcher(const Recipe& recipe, const Plan& plan, const ShootLog& log, const std::string& project,
          const std::vector<ClipFacts>& facts, const std::map<std::string, std::string>& byHand)
      : recipe_(recipe), plan_(plan), log_(log), project_(project), facts_(facts), byHand_(byHand) {}

  Match run() {
    for (size_t i = 0; i < facts_.size(); ++i) {
      ClipLink l;
      l.clip = i;
      m_.links.push_back(l);
    }
    for (size_t t = 0; t < plan_.takes.size(); ++t) bySlateId_[slateId(plan_.takes[t].slate)] = t;
    for (auto& l : m_.links) hand(l);
    for (auto& l : m_.links) slate(l);
    for (auto& l : m_.links) noted(l);
    kept();
    supersede();
    indexNames();
    for (auto& l : m_.links) name(l);
    metadata();
    byOrder();
    doubles();
    for (auto& l : m_.links)
      if (l.take) l.expected = plan_.takes[*l.take].plannedStops + exposureOff(recipe_, plan_, log_, *l.take);
    for (size_t t = 0; t < plan_.takes.size(); ++t)
      if (!clipOf(t)) m_.missing.push_back(t);
    twins();
    return std::move(m_);
  }

 private:
  [[nodiscard]] bool settled(const ClipLink& l) const {
    return l.take || !l.trouble.empty() || l.by == LinkBy::Hand;
  }
  [[nodiscard]] const ClipFacts& of(const ClipLink& l) const { return facts_[l.clip]; }
  [[nodiscard]] const ClipLink* clipOf(size_t take) const {
    for (const auto& l : m_.links)
      if (l.take == take && !l.superseded) return &l;
    return nullptr;
  }

  void hand(ClipLink& l) {
    if (!of(l).problem.empty()) {
      l.trouble = of(l).problem;
      return;
    }
    const auto i = byHand_.find(of(l).path.string());
    if (i == byHand_.end()) return;
    l.by = LinkBy::Hand, l.sure = 1, l.words = i->second.empty() ? "no take, said by hand" : "said by hand";
    for (size_t t = 0; t < plan_.takes.size(); ++t)
      if (plan_.takes[t].slate == i->second) l.take = t;
    if (!l.take && !i->second.empty()) l.trouble = "the take it was given to is no longer in the plan";
  }

  void slate(ClipLink& l) {
    if (settled(l)) return;
    const SlateFinding& s = of(l).slate;
    if (s.slates.size() > 1) {
      l.trouble = fmt::format("{} different slates in one clip", s.slates.size());
      return;
    }
    if (s.slates.empty()) {
      for (const auto& text : s.strange)
        if (isNewerSlate(text)) l.words = "a slate of a newer version of this program, not understood";
      return;
    }
    take(l, s.slates[0], LinkBy::Slate, kSureSlate, "slate read");
  }

  // The text of a slate that stands in the file's own notes.
  void noted(ClipLink& l) {
    if (!settled(l) && of(l).noted) take(l, *of(l).noted, LinkBy::Metadata, kSureNoted, "noted in the file");
  }

  // As they stand in the project, unless a clip says of itself that it is this take.
  void kept() {
    std::unordered_map<std::string, size_t> takes;
    for (size_t t = 0; t < plan_.takes.size(); ++t) takes[plan_.takes[t].slate] = t;
    std::unordered_map<size_t, const ClipLink*> claimed;
    for (const auto& l : m_.links)
      if (l.take) claimed[*l.take] = &l;
    for (auto& l : m_.links) {
      const ClipFacts& f = of(l);
      if (l.take || l.by == LinkBy::Hand || !f.problem.empty() || f.keptAs.empty()) continue;
      l.trouble.clear();  // a slate of another project does not undo what was kept here
      const auto take = takes.find(f.keptAs);
      if (take == takes.end()) {
        l.trouble = "it is kept for a take that is no longer in the plan, " + f.keptAs;
        continue;
      }
      l.take = take->second, l.by = LinkBy::Kept, l.sure = 1;
      l.words = f.elsewhere ? "kept in the project, from another folder" : "kept in the project";
      const auto other = claimed.find(take->second);
      if (other == claimed.end()) continue;
      l.superseded = true;
      l.words += ", " + of(*other->second).path.filename().string() + " takes its place";
    }
  }

  void take(ClipLink& l, const SlateCode& code, LinkBy by, double sure, const char* words) {
    if (code.project != project_) {
      l.trouble = "the slate is of another project, " + code.project;
      return;
    }
    const auto named = bySlateId_.find(code.take);
    if (named == bySlateId_.end()) {
      l.trouble = "the slate names a take that is no longer in the plan";
      return;
    }
    l.take = named->second;
    l.by = by, l.sure = sure, l.attempt = code.attempt;
    l.words = words + (code.attempt > 1 ? fmt::format(", attempt {}", code.attempt) : std::string());
    contradict(l);
  }

  // What the clip says beside its slate.
  void contradict(ClipLink& l) const {
    const Take& t = plan_.takes[*l.take];
    const TestSeries& s = plan_.series[t.series];
    const ModeSpec& mode = recipe_.bodies[s.body].modes[s.mode];
    std::string words;
    if (of(l).mosaic != (mode.kind == ModeKind::Raw))
      words = fmt::format("the clip is {}, the take {}", of(l).mosaic ? "raw" : "no raw", wordOf(mode.kind));
    if (of(l).iso && std::abs(std::log2(*of(l).iso / t.iso)) > 0.05)
      words = fmt::format("the file says ISO {:g}, the take ISO {:g}", *of(l).iso, t.iso);
    if (words.empty()) words = settingsDiffer(of(l), t);
    if (words.empty()) return;
    l.trouble = words, l.sure = 0.5;
  }

  // Iris and shutter as the file has them, against what was planned or logged.
  [[nodiscard]] std::string settingsDiffer(const ClipFacts& f, const Take& planned) const {
    const Take t = takeAsShot(recipe_, plan_, planned, log_.of(planned.slate).settings).take;
    if (f.fNumber && std::abs(2 * std::log2(*f.fNumber / t.settings.aperture.value())) > kIrisStops)
      return fmt::format("the file says {:.3g} for the iris, the take {}", *f.fNumber, t.settings.engraved);
    if (f.shutterSeconds && std::abs(std::log2(*f.shutterSeconds / t.settings.shutter.value())) > kSetStops)
      return fmt::format("the file says 1/{:.4g} s, the take {}", 1 / *f.shutterSeconds,
                         shutterWords(t.settings));
    return {};
  }

  static bool tellsAttempt(const ClipLink& l) { return l.by == LinkBy::Slate || l.by == LinkBy::Metadata; }

  // Of several clips of one take the latest attempt counts; the log knows which were called off.
  void supersede() {
    for (auto& l : m_.links) {
      if (!l.take || !tellsAttempt(l)) continue;
      for (const auto& other : m_.links)
        if (tellsAttempt(other) && other.take == l.take && other.attempt > l.attempt) l.superseded = true;
      if (l.attempt < log_.of(plan_.takes[*l.take].slate).attempt) l.superseded = true;
      if (l.superseded) l.words += ", superseded by a later one";
    }
  }

  // "corvane35-log-500/p3.mkv", "Corvane 35 log 500 +3.mov", and as else exposures are written (name_stops.h)
  void name(ClipLink& l) {
    if (settled(l)) return;
    const auto& path = of(l).path;
    const std::string stem = path.stem().string();
    const auto said = namedStops(stem);
    const std::string in = bare(path.parent_path().filename().string()) + "/";
    // In a folder that names the configuration the exposure is all that a name has to say.
    const bool only = said && bare(said->before).empty();
    const std::string whole = in + bare(only ? takeName(said->stops) : stem);
    std::vector<size_t> found;
    const auto add = [&](const auto& index, const auto& key) {
      if (const auto at = index.find(key); at != index.end())
        found.insert(found.end(), at->second.begin(), at->second.end());
    };
    add(names_.byFolder, whole);
    add(names_.bySlate, lower(stem));
    if (said) add(names_.byExposure, exposureKey(*said));
    std::sort(found.begin(), found.end());
    found.erase(std::unique(found.begin(), found.end()), found.end());
    if (found.size() > 1) {
      l.words = fmt::format("the name fits {} takes", found.size());
      return;
    }
    if (found.empty() || clipOf(found[0])) return;
    l.take = found[0], l.by = LinkBy::Name, l.sure = kSureName, l.words = "by its name";
    contradict(l);
  }

  [[nodiscard]] bool isExposure(const Take& t) const {
    return plan_.series[t.series].kind == TestKind::Bracket && t.baseIndex < 1 && t.setup == 0 &&
           (t.role == TakeRole::Base || t.role == TakeRole::Step);
  }
  // The slate's own words with the exposure written otherwise.
  static std::string exposureKey(const NamedStops& said) {
    return fmt::format("{}|{:.6f}", bare(said.before), said.stops + 0.0);
  }

  // What names can say, by take: thousands of clips are looked up, not compared.
  void indexNames() {
    for (size_t t = 0; t < plan_.takes.size(); ++t) {
      const Take& take = plan_.takes[t];
      const TestSeries& s = plan_.series[take.series];
      const BodySpec& body = recipe_.bodies[s.body];
      const CircuitSpec* circuit = body.circuitFor(take.iso);
      const std::string folder = bare(body.name) + bare(body.modes[s.mode].name);
      const std::string kind =
          s.kind == TestKind::Bracket || s.kind == TestKind::Wedge ? "" : bare(wordOf(s.kind));
      const std::string last = kind + bare(take.name);
      for (const double iso : {s.iso, take.iso, circuit ? circuit->nativeIso : 0})
        names_.byFolder[folder + fmt::format("{:g}", iso) + "/" + last].push_back(t);
      names_.bySlate[lower(take.slate)].push_back(t);
      const auto slate = isExposure(take) ? namedStops(take.slate) : std::nullopt;
      if (slate && !bare(slate->before).empty()) names_.byExposure[exposureKey(*slate)].push_back(t);
    }
  }

  // Body, ISO, aperture and shutter as the file has them: a link only where one take without a clip fits, and
  // that take no other such clip.
  void metadata() {
    std::map<size_t, std::vector<ClipLink*>> wanted;
    for (auto& l : m_.links) {
      const ClipFacts& f = of(l);
      if (settled(l) || f.model.empty() || !f.iso || !(f.fNumber || f.shutterSeconds)) continue;
      std::vector<size_t> fits;
      for (size_t t = 0; t < plan_.takes.size(); ++t)
        if (!clipOf(t) && settingsFit(f, plan_.takes[t])) fits.push_back(t);
      if (fits.size() == 1) wanted[fits[0]].push_back(&l);
      if (fits.size() > 1) l.words = fmt::format("its metadata fit {} takes", fits.size());
    }
    for (auto& [t, list] : wanted) {
      for (auto* l : list)
        if (list.size() > 1) l->words = fmt::format("{} clips have the settings of one take", list.size());
      if (list.size() > 1) continue;
      ClipLink& l = *list[0];
      l.take = t, l.by = LinkBy::Metadata, l.sure = kSureMetadata;
      l.words = "by body, ISO and exposure settings in the file";
      contradict(l);
    }
  }

  [[nodiscard]] bool settingsFit(const ClipFacts& f, const Take& t) const {
    const TestSeries& s = plan_.series[t.series];
    const BodySpec& body = recipe_.bodies[s.body];
    if (bare(f.model) != bare(body.name) || f.mosaic != (body.modes[s.mode].kind == ModeKind::Raw))
      return false;
    if (t.role == TakeRole::Black) return false;  // the cap is in no file
    const auto near = [](double is, double wanted, double stopsPerOctave) {
      return std::abs(stopsPerOctave * std::log2(is / wanted)) <= kSetStops;
    };
    return near(*f.iso, t.iso, 1) && (!f.fNumber || near(*f.fNumber, t.settings.aperture.value(), 2)) &&
           (!f.shutterSeconds || near(*f.shutterSeconds, t.settings.shutter.value(), 1));
  }

  // Clips without a name or slate between two that are known: if just as many takes are missing there, and
  // each fits what the file says, they are these.
  void byOrder() {
    std::vector<ClipLink*> byTime;
    for (auto& l : m_.links)
      if (of(l).problem.empty() && !of(l).elsewhere && !(l.take && l.by == LinkBy::Name && l.superseded))
        byTime.push_back(&l);
    std::stable_sort(byTime.begin(), byTime.end(), [&](const ClipLink* a, const ClipLink* b) {
      return std::make_pair(of(*a).modified, of(*a).path) < std::make_pair(of(*b).modified, of(*b).path);
    });
    for (size_t i = 0; i < byTime.size();) {
      if (settled(*byTime[i])) {
        ++i;
        continue;
      }
      size_t end = i;
      while (end < byTime.size() && !settled(*byTime[end])) ++end;
      const auto takeAt = [&](size_t k) {
        return byTime[k]->take ? static_cast<long>(*byTime[k]->take) : -1L;
      };
      const long before = i > 0 ? takeAt(i - 1) : -1;
      const long after = end < byTime.size() ? takeAt(end) : -1;
      fillGap({byTime.begin() + static_cast<std::ptrdiff_t>(i),
               byTime.begin() + static_cast<std::ptrdiff_t>(end)},
              before, after);
      i = end;
    }
  }

  // before, after: takes of the known clips around the gap; -1: there is none.
  void fillGap(const std::vector<ClipLink*>& gap, long before, long after) {
    const bool known = before >= 0 && after >= 0;
    const auto left = static_cast<size_t>(std::max(0L, before));
    const size_t from = before >= 0 ? left + 1 : 0,
                 to = after >= 0 ? static_cast<size_t>(after) : plan_.takes.size();
    std::vector<size_t> open;
    for (size_t t = from; t < to && from <= to; ++t)
      if (!clipOf(t) && log_.of(plan_.takes[t].slate).state != TakeState::Skipped) open.push_back(t);
    bool fits = known && open.size() == gap.size();
    for (size_t k = 0; fits && k < gap.size(); ++k) {
      ClipLink probe = *gap[k];
      probe.take = open[k];
      contradict(probe);
      fits = probe.trouble.empty();
    }
    for (size_t k = 0; k < gap.size(); ++k) {
      if (fits) {
        gap[k]->take = open[k], gap[k]->by = LinkBy::Order, gap[k]->sure = kSureOrder;
        gap[k]->words = fmt::format("by order and time, between {} and {}", plan_.takes[left].slate,
                                    plan_.takes[to].slate);
      } else if (gap[k]->words.empty()) {
        gap[k]->words =
            "no slate, no name that fits" +
            (known ? fmt::format("; {} takes are missing here for {} clips", open.size(), gap.size())
                   : std::string());
      }
    }
  }

  void doubles() {
    std::map<size_t, std::vector<ClipLink*>> by;
    for (auto& l : m_.links)
      if (l.take && !l.superseded) by[*l.take].push_back(&l);
    for (auto& [take, list] : by) {
      if (list.size() < 2) continue;
      for (auto* l : list) {
        l->sure = std::min(l->sure, 0.5);
        l->trouble = fmt::format("{} clips claim to be this take and this attempt", list.size());
      }
    }
  }

  // Takes of one exposure in different modes of one body.
  void twins() {
    std::map<std::string, std::vector<size_t>> by;
    for (const auto& l : m_.links) {
      if (!l.take || l.superseded) continue;
      const Take& t = plan_.takes[*l.take];
      const TestSeries& s = plan_.series[t.series];
      by[fmt::format("{}|{}|{:g}|{}|{}|{}", s.body, wordOf(s.kind), t.iso, s.light(recipe_), t.name, t.setup)]
          .push_back(l.clip);
    }
    for (auto& [key, clips] : by)
      if (clips.size() > 1) m_.twins.push_back(std::move(clips));
  }

  const Recipe& recipe_;
  const Plan& plan_;
  const ShootLog& log_;
  const std::string& project_;
  const std::vector<ClipFacts>& facts_;
  const std::map<std::string, std::string>& byHand_;
  struct Names {
    std::unordered_map<std::string, std::vector<size_t>> byFolder, bySlate, byExposure;
  } names_;
  std::unordered_map<std::string, size_t> bySlateId_;
  Match m_;
};

}  // namespace

const char* wordOf(LinkBy by) {
  constexpr const char* kWords[] = {"none", "slate", "metadata", "name", "order", "hand", "kept"};
  return kWords[static_cast<int>(by)];
}

Match matchClips(const Recipe& recipe, const Plan& plan, const ShootLog& log, const std::string& projectId,
                 const std::vector<ClipFacts>& facts, const std::map<std::string, std::string>& byHand) {
  return Matcher(recipe, plan, log, projectId, facts, byHand).run();
}

void checkExposures(const Plan& plan, const std::vector<ClipFacts>& facts, Match& match) {
  for (auto& l : match.links) {
    const auto measured = facts[l.clip].measured;
    if (!l.take || !measured || l.superseded) continue;
    const Take& t = plan.takes[*l.take];
    const double off = *measured - l.expected;
    if (std::abs(off) <= kExposureTolerance) continue;
    std::string other;
    for (const auto& x : plan.takes)
      if (x.series == t.series && &x != &t && std::abs(x.plannedStops - *measured) <= kExposureTolerance)
        other = x.slate;
    l.sure = std::min(l.sure, 0.4);
    l.trouble = fmt::format("{} {}, measured {}{}", l.expected == t.plannedStops ? "planned" : "logged",
                            formatSigned(l.expected, 2), formatSigned(*measured, 2),
                            other.empty() ? std::string() : ": that is what " + other + " should be");
  }
}

}  // namespace edge
