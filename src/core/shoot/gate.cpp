#include "shoot/gate.h"

#include <fmt/format.h>

#include <algorithm>

namespace edge {

const char* wordOf(GateKind kind) {
  switch (kind) {
    case GateKind::Missing:
      return "Missing";
    case GateKind::Redo:
      return "Shoot again";
    case GateKind::Doubt:
      return "Doubtful";
    case GateKind::NoClip:
      return "No clip";
    case GateKind::Unchecked:
      return "Not checked";
    case GateKind::Skipped:
      return "Skipped";
    case GateKind::Stays:
      return "Stays";
  }
  return "";
}

namespace {

constexpr const char* kNeverMetered = "unmetered";
constexpr const char* kNoEvidence = "no evidence";
constexpr const char* kCheckFails = "check fails";

class GateKeeper {
 public:
  GateKeeper(const Recipe& recipe, const Plan& plan, const Knowledge& known, const ShootLog& log,
             const ClipWords& clips)
      : recipe_(recipe), plan_(plan), known_(known), log_(log), clips_(clips) {}

  void take(size_t index) {
    const Take& t = plan_.takes[index];
    const TakeLog& l = log_.of(t.slate);
    if (l.state == TakeState::Open)
      return add(GateKind::Missing, t, l.attempt > 1 ? "to be shot again: " + l.reason : "not shot yet", "");
    if (l.state == TakeState::Skipped)
      return add(GateKind::Skipped, t, "skipped: " + (l.reason.empty() ? "no reason given" : l.reason), "");
    clip(t);
    for (const auto& j : judgeReadings(recipe_, plan_, known_, log_, index))
      if (j.standing != Standing::Pass)
        off(GateKind::Doubt, t, codeOf(j), j.words,
            j.standing == Standing::Fail ? "set it right and shoot it again, or say why it may stay"
                                         : "read it again, or say why it may stay");
    metered(t, l);
    seen(t, l);
  }

  std::vector<GateItem> items;

 private:
  void add(GateKind kind, const Take& t, std::string words, std::string todo, std::string code = "") {
    items.push_back({kind, t.slate, std::move(words), std::move(todo), std::move(code)});
  }

  // What is off may stay where a person has said why.
  void off(GateKind kind, const Take& t, const std::string& code, const std::string& words,
           std::string todo) {
    const TakeLog& l = log_.of(t.slate);
    const auto stays = l.stays.find(code);
    if (stays == l.stays.end()) return add(kind, t, words, std::move(todo), code);
    add(GateKind::Stays, t, words + "; it stays: " + stays->second, "");
  }

  void clip(const Take& t) {
    const auto clip = clips_.find(t.slate);
    if (clip == clips_.end()) {
      if (!clips_.empty())
        add(GateKind::NoClip, t, "logged as shot, no clip of it was copied", "copy it, or shoot it again");
      return;
    }
    for (const auto& trouble : clip->second.troubles)
      off(GateKind::Redo, t, "clip " + trouble.code, trouble.words, "shoot it again, or say why it may stay");
    if (!clip->second.checked)
      add(GateKind::Unchecked, t, "its clip is not yet checked",
          "in Match: choose its folder, mark its chart, answer what is asked");
  }

  // A guided check measures nothing: what was seen has to be said.
  void seen(const Take& t, const TakeLog& l) {
    if (t.role != TakeRole::Check) return;
    if (!l.evidence)
      off(GateKind::Doubt, t, kNoEvidence, "nothing was noted of this check",
          "say what was seen, with a picture of it if there is one");
    else if (!l.evidence->holds)
      off(GateKind::Doubt, t, kCheckFails, "it fails: " + l.evidence->text, "put it right and look again");
  }

  // The bases carry the whole bracket: one without a reading of its light is an exposure by belief.
  void metered(const Take& t, const TakeLog& l) {
    if (t.role != TakeRole::Base || blockOf(plan_.series[t.series].kind).scene != Scene::Bench) return;
    const bool read = !l.levels.empty() || !l.readings.empty();
    if (!read)
      off(GateKind::Doubt, t, kNeverMetered, "this base was never metered",
          "read the light or a level, or say why it may stay");
  }

  const Recipe& recipe_;
  const Plan& plan_;
  const Knowledge& known_;
  const ShootLog& log_;
  const ClipWords& clips_;
};

}  // namespace

Gate gateOf(const Recipe& recipe, const Plan& plan, const Knowledge& known, const ShootLog& log,
            const ClipWords& clips, const std::string& body) {
  Gate g;
  g.clipsSeen = !clips.empty();
  GateKeeper keeper(recipe, plan, known, log, clips);
  for (size_t i = 0; i < plan.takes.size(); ++i)
    if (body.empty() || recipe.bodies[plan.series[plan.takes[i].series].body].name == body) keeper.take(i);
  g.items = std::move(keeper.items);
  std::stable_sort(g.items.begin(), g.items.end(),
                   [](const GateItem& a, const GateItem& b) { return a.kind < b.kind; });
  const auto open = std::count_if(g.items.begin(), g.items.end(), [](const GateItem& i) {
    return i.kind != GateKind::Skipped && i.kind != GateKind::Stays;
  });
  g.safe = open == 0 && !plan.takes.empty();
  if (plan.takes.empty())
    g.words = "There is no plan to strike a set of";
  else if (!g.safe)
    g.words = fmt::format("Not yet: {} thing{} to see to", open, open == 1 ? "" : "s");
  else
    g.words = g.clipsSeen ? "Safe to move on" : "All is logged; no clip has been copied and looked at yet";
  return g;
}

}  // namespace edge
