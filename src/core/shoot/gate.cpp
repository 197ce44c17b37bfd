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
  }
  return "";
}

Gate gateOf(const Recipe& recipe, const Plan& plan, const Knowledge& known, const ShootLog& log,
            const ClipWords& clips, const std::string& body) {
  Gate g;
  g.clipsSeen = !clips.empty();
  for (size_t i = 0; i < plan.takes.size(); ++i) {
    const Take& t = plan.takes[i];
    if (!body.empty() && recipe.bodies[plan.series[t.series].body].name != body) continue;
    const TakeLog& l = log.of(t.slate);
    if (l.state == TakeState::Open) {
      g.items.push_back(
          {GateKind::Missing, t.slate, l.attempt > 1 ? "to be shot again: " + l.reason : "not shot yet", ""});
      continue;
    }
    if (l.state == TakeState::Skipped) {
      g.items.push_back(
          {GateKind::Skipped, t.slate, "skipped: " + (l.reason.empty() ? "no reason given" : l.reason), ""});
      continue;
    }
    const auto clip = clips.find(t.slate);
    if (clip != clips.end()) {
      for (const auto& trouble : clip->second.troubles)
        g.items.push_back({GateKind::Redo, t.slate, trouble, "shoot it again"});
      if (!clip->second.checked)
        g.items.push_back({GateKind::Unchecked, t.slate, "its clip is not yet checked",
                           "in Match: choose its folder, mark its chart, answer what is asked"});
    } else if (g.clipsSeen)
      g.items.push_back({GateKind::NoClip, t.slate, "logged as shot, no clip of it was copied",
                         "copy it, or shoot it again"});
    for (const auto& j : judgeReadings(recipe, plan, known, log, i))
      if (j.standing != Standing::Pass)
        g.items.push_back({GateKind::Doubt, t.slate, j.words,
                           j.standing == Standing::Fail
                               ? "set it right and shoot it again, or say why it may stay"
                               : "read it again"});
  }
  std::stable_sort(g.items.begin(), g.items.end(),
                   [](const GateItem& a, const GateItem& b) { return a.kind < b.kind; });
  const auto open = std::count_if(g.items.begin(), g.items.end(),
                                  [](const GateItem& i) { return i.kind != GateKind::Skipped; });
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
