#include "plan/plan_board.h"

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

// "light+nd" as "both", where there is no room for it.
QString shortControl(const QString& control) {
  const auto parts = control.split('+').size();
  return parts == 2 ? "both" : parts > 2 ? "all" : control.left(1).toUpper();
}

// "forehead, first head" as "first head", "white cloth" as "white"
QString shortTone(const QString& tone) {
  return tone.contains(',') ? tone.section(", ", 1) : tone.section(' ', 0, 0);
}

CellKind kindOf(const CoverageCell& c) {
  if (c.state == CellState::Planned) return c.control == "base" ? CellKind::Base : CellKind::Planned;
  if (c.state == CellState::Impossible) return CellKind::Impossible;
  return c.state == CellState::Skipped ? CellKind::Skipped : CellKind::NotAsked;
}

// What became of it: filled is in the can, hatched is lost or to be shot again.
void addStand(TakeStand stand, RulerCell& out) {
  out.filled = stand == TakeStand::Shot || stand == TakeStand::Linked;
  out.lost = stand == TakeStand::Lost || stand == TakeStand::Again;
  if (stand == TakeStand::Skipped) out.kind = CellKind::Skipped;
  if (const QString words = wordOf(stand); !words.isEmpty()) out.words += ", " + words;
}

RulerCell cellOf(const CoverageCell& c) {
  static const char* const kStates[] = {"planned", "can't be had", "skipped", "not asked for"};
  RulerCell out;
  out.at = c.stops, out.kind = kindOf(c);
  out.text = q(c.control).replace("nd", "ND"), out.initials = shortControl(q(c.control));
  if (c.state == CellState::Impossible) out.text = out.initials = "";
  if (c.state == CellState::Skipped) out.text = "skip", out.initials = "";
  out.words = QString("%1 stops, %2")
                  .arg(q(formatSigned(c.stops, c.stops == std::round(c.stops) ? 0 : 2)),
                       kStates[static_cast<int>(c.state)]);
  if (!c.control.empty()) out.words += " by " + out.text;
  if (!c.reason.empty()) out.words += ", " + q(c.reason);
  return out;
}

// Where the tones of the scene reach the clip, and the edges that were measured.
void addMarks(const Planned& p, const CoverageRow& row, RulerRow& out) {
  if (row.headroom)
    for (const auto& tone : forecastAt(p.recipe, row.headroom->stops, p.recipe.baseOffset))
      out.marks.push_back(
          {tone.margin, std::nullopt, shortTone(q(tone.tone)),
           q(tone.tone) + " clips from here on, forecast from " + q(row.headroom->from) + " headroom",
           false});
  const auto known = p.known.by.find(configurationKey(row.body, row.mode, row.iso, row.light));
  if (known == p.known.by.end()) return;
  for (const auto& [edge, words] : {std::make_pair(known->second.underGood, "lower edge"),
                                    std::make_pair(known->second.overGood, "upper edge")})
    if (edge)
      out.marks.push_back(
          {*edge, std::nullopt, words, QString("%1 as measured: last good take").arg(words), false, true});
  std::sort(out.marks.begin(), out.marks.end(),
            [](const RulerMark& a, const RulerMark& b) { return a.at < b.at; });
}

}  // namespace

std::vector<TakeStand> standsOf(const Planned& p, const Document& document) {
  std::set<std::string> linked;
  for (const auto& f : document.findings())
    for (const auto& clip : f.configuration.clips)
      if (!clip.slate.empty()) linked.insert(clip.slate);
  return standOf(p.plan, document.shootLog(), linked);
}

RulerData planBoard(const Planned& p, const std::vector<TakeStand>& stands, int selectedRow,
                    int selectedCell) {
  RulerData d;
  for (size_t i = 0; i < p.plan.coverage.size(); ++i) {
    const CoverageRow& row = p.plan.coverage[i];
    RulerRow r;
    r.label = q(row.body), r.note = q(row.note());
    r.selected = static_cast<int>(i) == selectedRow;
    for (const auto& c : row.cells) {
      r.cells.push_back(cellOf(c));
      if (c.take >= 0 && static_cast<size_t>(c.take) < stands.size())
        addStand(stands[static_cast<size_t>(c.take)], r.cells.back());
    }
    if (r.selected && selectedCell >= 0 && selectedCell < static_cast<int>(r.cells.size()))
      r.cells[static_cast<size_t>(selectedCell)].selected = true;
    addMarks(p, row, r);
    d.rows.push_back(std::move(r));
  }
  d.zeroName = "base";
  return d;
}

}  // namespace edge::app
