#include "plan/take_panel.h"

#include "base/numbers.h"
#include "exposure/meter.h"
#include "theme/text.h"

namespace edge::app {
namespace {

QString stops(double v, int decimals) {
  return q(formatSigned(v, decimals));
}

QString line(const QString& label, const QString& value) {
  return QString("<tr><td style='padding-right:10px'>%1</td><td>%2</td></tr>").arg(label, value);
}

QString settings(const Take& t) {
  QString s = line("Aperture", QString("<b>%1</b>").arg(esc(t.settings.engraved)));
  s += line("Shutter", esc(shutterWords(t.settings)));
  s += line("ISO", QString::number(t.iso));
  s += line("ND", t.settings.filters.empty() ? "none" : esc(filterWords(t.settings)));
  QString lamps = esc(lampWords(t.settings));
  if (!lamps.isEmpty()) s += line("Lamps", lamps.replace("; ", "<br>"));
  return s;
}

QString forecast(const Planned& p, const Take& t) {
  const TestSeries& s = p.plan.series[t.series];
  const BodySpec& b = p.recipe.bodies[s.body];
  const auto h = headroomAt(b, b.modes[s.mode], t.iso, p.known);
  if (!h) return "<p>No forecast: the clip above grey is not known.</p>";
  QString out = QString("<p><b>Stops left to the clip</b>, %1 above grey (%2):</p><table>")
                    .arg(stops(h->stops, 1), esc(h->from));
  for (const auto& tone : forecastAt(p.recipe, h->stops, s.request.baseOffset + t.lightStops + t.gainStops))
    out += line(esc(tone.tone), tone.margin < 0
                                    ? QString("<b>clips</b>, %1 over").arg(q(formatNumber(-tone.margin, 1)))
                                    : q(formatNumber(tone.margin, 1)));
  return out + "</table>";
}

QString list(const QString& title, const std::vector<std::string>& lines) {
  if (lines.empty()) return {};
  QString out = QString("<p><b>%1</b></p><ul style='margin-left:-24px'>").arg(title);
  for (const auto& l : lines) out += "<li>" + esc(l) + "</li>";
  return out + "</ul>";
}

}  // namespace

TakePanel::TakePanel(QWidget* parent) : QTextBrowser(parent) {
  setAccessibleName("Selected take");
  setOpenLinks(false);
}

void TakePanel::show(const Planned* planned, int row, int cell) {
  if (!planned || row < 0 || row >= static_cast<int>(planned->plan.coverage.size())) {
    setHtml("<p>Choose a cell on the board: what will be set, the light it asks for, what will clip.</p>");
    return;
  }
  const CoverageRow& r = planned->plan.coverage[static_cast<size_t>(row)];
  if (cell < 0 || cell >= static_cast<int>(r.cells.size())) {
    setHtml(QString("<p><b>%1</b></p><p>No test of this configuration steps the exposure from a base.</p>")
                .arg(esc(r.label)));
    return;
  }
  const CoverageCell& c = r.cells[static_cast<size_t>(cell)];
  if (c.take >= 0) return showTake(*planned, static_cast<size_t>(c.take));
  static const char* const kWords[] = {"planned", "can't be had", "skipped by choice", "not asked for"};
  setHtml(QString("<p><b>%1, %2</b></p><p>%3: %4</p>")
              .arg(esc(r.label), stops(c.stops, c.stops == std::round(c.stops) ? 0 : 2),
                   kWords[static_cast<int>(c.state)], esc(c.reason)));
}

void TakePanel::showTake(const Planned& p, size_t take) {
  const Take& t = p.plan.takes[take];
  const RunLine& l = p.lines[take];
  QString s = QString("<p><b>%1</b><br>take %2, %3, %4</p><table>")
                  .arg(esc(t.slate))
                  .arg(t.number)
                  .arg(esc(l.clock), esc(l.test));
  s += settings(t);
  const bool bench = blockOf(p.plan.series[t.series].kind).scene == Scene::Bench;
  if (bench) s += line("Meter reads", esc(lightWords(t.settings.light)));
  if (!l.level.empty()) s += line("Grey card at", esc(l.level));
  s += line("Exposure",
            QString("%1 planned, %2 recomputed").arg(stops(t.plannedStops, 2), stops(t.lightStops, 3)));
  if (std::abs(t.gainStops) > 1e-6) s += line("Gain", stops(t.gainStops, 2) + " stops");
  s += line("Before it", esc(l.change));
  s += "</table>";
  s += forecast(p, t);
  s += list("Side effects", sideEffectsOf(p.recipe, p.plan, t));
  s += list("Cautions", cautionsOf(p.recipe, p.plan, t));
  setHtml(s);
}

}  // namespace edge::app
