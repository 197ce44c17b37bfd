#include "plan/text_pages.h"

#include <set>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {

QString protocolText(const Planned& p) {
  QString html =
      QString("<p>Results may be compared when their keys are equal: protocol %1, key <b>%2</b></p><table>")
          .arg(p.plan.protocol.version)
          .arg(q(p.plan.protocol.key));
  for (const auto& l : p.plan.protocol.lines)
    html += QString("<tr><td style='padding-right:12px'>%1</td><td>%2</td></tr>")
                .arg(esc(l.question), esc(l.answer));
  html +=
      "</table><p>The steps are no part of the key: they say how finely an edge is known, not what it "
      "is.</p>";
  for (const auto& t : p.recipe.tests)
    html += QString("<p><b>%1</b><br>%2 %3</p>")
                .arg(q(blockOf(t.kind).title), q(blockOf(t.kind).finds), q(blockOf(t.kind).cannot));
  return html;
}

// By ISO: the light that the base asks for at its aperture, and how far each lamp goes from there.
QString lightTable(const Planned& p) {
  QString html =
      "<p>Light at the subject for the base, no ND, and how far each lamp goes from there, in stops "
      "down and up.</p><table cellspacing='0'>";
  std::set<std::string> seen;
  std::optional<TestKind> test;
  for (const auto& s : p.plan.series) {
    if (s.request.fixedLight || s.route.bases.empty() || blockOf(s.kind).scene != Scene::Bench) continue;
    QStringList ends;
    for (const auto& e : s.route.ends)
      if (e.down != 0 || e.up != 0)
        ends << QString("%1 %2, %3")
                    .arg(q(e.lamp), q(formatSigned(-std::abs(e.down), 1)), q(formatSigned(e.up, 1)));
    const TakeSettings& base = s.route.bases.front();
    const QString cell = "<td style='padding-right:14px'>%1</td>";
    const QString row = "<tr>" + cell.arg(esc(s.label(p.recipe))) + cell.arg(esc(base.engraved)) +
                        cell.arg("<b>" + esc(lightWords(s.route.needed)) + "</b>") +
                        cell.arg(ends.join("<br>")) + "</tr>";
    if (!seen.insert(wordOf(s.kind) + row.toStdString()).second) continue;
    if (test != s.kind) html += "<tr><td colspan='4'><b>" + esc(blockOf(s.kind).title) + "</b></td></tr>";
    test = s.kind;
    html += row;
  }
  html += "</table>";
  for (const auto& card : p.plan.totals.cards) {
    html += QString("<p>%1: %2, %3 min of takes")
                .arg(esc(card.body), esc(sizeWords(card.bytes)))
                .arg(card.minutes, 0, 'f', 1);
    html += card.cards == 0 ? QString("; no card is listed for it.</p>")
                            : QString("; %1 of %2 min each.</p>")
                                  .arg(counted(card.cards, "card", "cards"))
                                  .arg(card.minutesPerCard, 0, 'f', 0);
  }
  return html + "<p>" + esc(cautionDeferral()) + "</p>";
}

}  // namespace edge::app
