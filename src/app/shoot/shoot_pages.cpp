// What the pages of Shoot show: ruler, readings and what they say, log, gate, and what is written from them.
#include <QDateTime>
#include <QFileDialog>

#include "base/files.h"
#include "base/numbers.h"
#include "plan/plan_board.h"
#include "shoot/shoot_stage.h"
#include "theme/text.h"

namespace edge::app {
namespace {

// The configuration of the document that a take will be measured in; -1: there is none yet.
int configurationOf(const Document& document, const Planned& planned, const Take& take) {
  const TestSeries& s = planned.plan.series[take.series];
  const BodySpec& body = planned.recipe.bodies[s.body];
  const CircuitSpec* circuit = body.circuitFor(take.iso);
  const double iso = circuit ? circuit->nativeIso : s.iso;
  const std::string light = s.light(planned.recipe);
  for (size_t i = 0; i < document.findings().size(); ++i) {
    const Configuration& c = document.findings()[i].configuration;
    if (c.body == body.name && c.mode == body.modes[s.mode].name && std::abs(c.iso - iso) < 0.5 &&
        (light.empty() || c.light == light))
      return static_cast<int>(i);
  }
  return -1;
}

}  // namespace

// The row of the board that this take belongs to; what is in the can is filled.
void ShootStage::refreshRuler() {
  RulerData d;
  const Planned* p = shooter_.planned();
  if (p && shooter_.take()) {
    const TestSeries& s = p->plan.series[shooter_.take()->series];
    const BodySpec& body = p->recipe.bodies[s.body];
    RulerData board = planBoard(*p, standsOf(*p, document_), -1, -1);
    for (size_t i = 0; i < p->plan.coverage.size(); ++i) {
      const CoverageRow& row = p->plan.coverage[i];
      if (row.body != body.name || row.mode != body.modes[s.mode].name || row.iso != s.iso ||
          row.light != s.light(p->recipe))
        continue;
      RulerRow shown = board.rows[i];
      for (size_t k = 0; k < row.cells.size(); ++k) {
        if (row.cells[k].take < 0) continue;
        shown.cells[k].selected = &p->plan.takes[static_cast<size_t>(row.cells[k].take)] == shooter_.take();
      }
      d.rows = {shown};
    }
    if (d.rows.empty())
      d.rows.push_back({q(body.name),
                        QString("%1 · ISO %2").arg(q(body.modes[s.mode].name)).arg(s.iso),
                        {},
                        {},
                        {},
                        false});
  } else {
    d.rows.push_back({"No take", "", {}, {}, {}, false});
  }
  d.zeroName = "base";
  ruler_->setData(std::move(d));
  ruler_->setFixedHeight(ruler_->sizeHint().height());
}

namespace {

QString readingsHtml(const TakeLog& l, size_t meters) {
  QString html;
  for (const auto& r : l.readings)
    html += QString("<p><b>%1</b>%2 %3%4</p>")
                .arg(esc(r.position), r.spot ? " (spot)" : "", esc(r.reading.understood),
                     meters > 1 ? ", " + esc(r.instrument) : QString());
  for (const auto& level : l.levels)
    for (const auto& s : levelScales())
      if (s.scale == level.scale)
        html += QString("<p><b>%1</b> %2 %3</p>").arg(esc(level.position)).arg(level.value).arg(s.words);
  return html;
}

}  // namespace

void ShootStage::refreshSide() {
  QString html;
  if (const Take* t = shooter_.take()) {
    const TakeLog& l = shooter_.log().of(t->slate);
    html += readingsHtml(l, shooter_.log().instruments.size());
    static const char* const kWords[] = {"Holds", "Off", "Can't all be true"};
    bool off = false;
    for (const auto& j : shooter_.judgements()) {
      const auto stays = l.stays.find(codeOf(j));
      off = off || (j.standing != Standing::Pass && stays == l.stays.end());
      html += QString("<p style='font-size: 20px'><b>%2</b>: %1</p>")
                  .arg(esc(j.words), stays == l.stays.end() ? QString(kWords[static_cast<int>(j.standing)])
                                                            : "Stays (" + esc(stays->second) + ")");
    }
    if (const auto ways = shooter_.waysOutHere(); !ways.empty()) {
      html += "<p>If the light can't be set better (Y takes one of these):</p><ul style='margin-left:-24px'>";
      for (const auto& w : ways)
        html += QString("<li>%1; %2 stays wrong</li>").arg(esc(w.words), q(formatSigned(w.rest, 2)));
      html += "<li>or skip it with a reason (S)</li></ul>";
    }
    if (off) html += "<p>It may stay, with a reason (J).</p>";
    if (!l.adopted.empty()) html += "<p>Made up for by: " + esc(l.adopted) + "</p>";
    if (l.evidence)
      html += QString("<p>Seen: it %1, %2%3</p>")
                  .arg(l.evidence->holds ? "holds" : "fails", esc(l.evidence->text),
                       l.evidence->file.empty() ? "" : " (" + esc(l.evidence->file) + ")");
    for (const auto& n : l.notes) html += "<p>Note: " + esc(n) + "</p>";
    if (!l.reason.empty()) html += "<p>Reason: " + esc(l.reason) + "</p>";
    if (!l.settings.empty()) html += "<p>Shot with: " + esc(l.settings) + "</p>";
    if (!l.doneBy.empty()) html += "<p>Logged by: " + esc(l.doneBy) + "</p>";
    const auto prompt = shooter_.prompt();
    for (const auto& words : prompt->sideEffects) html += "<p>" + esc(words) + "</p>";
    if (!prompt->cautions.empty() || !prompt->sideEffects.empty())
      html += "<p>" + esc(cautionDeferral()) + "</p>";
  }
  if (html == judgedHtml_) return;  // laying it out anew is the dearest part of a press
  judgedHtml_ = html;
  judged_->setHtml(html);
}

void ShootStage::refreshLog() {
  const auto& entries = document_.logEntries();
  const auto& authors = shooter_.log().authors;
  logTable_->setRowCount(static_cast<int>(entries.size()));
  for (size_t i = 0; i < entries.size(); ++i) {
    const LogEntry& e = entries[entries.size() - 1 - i];
    const QDateTime at = QDateTime::fromString(q(e.at), Qt::ISODateWithMs).toLocalTime();
    const QString cells[] = {at.toString("HH:mm:ss"), q(authors[entries.size() - 1 - i]), q(e.slate),
                             q(logKindWords(e)), q(logWords(e))};
    for (int c = 0; c < static_cast<int>(std::size(cells)); ++c)
      logTable_->setItem(static_cast<int>(i), c, new QTableWidgetItem(cells[c]));
  }
  logTable_->setColumnWidth(2, 220);
}

void ShootStage::refreshGate() {
  if (const Planned* p = shooter_.planned();
      p && gateBody_->count() != static_cast<int>(p->recipe.bodies.size()) + 1) {
    gateBody_->clear();
    gateBody_->addItem("the whole set");
    for (const auto& b : p->recipe.bodies) gateBody_->addItem(q(b.name));
  }
  const Gate g = shooter_.gate(gateBody_->currentIndex() > 0 ? gateBody_->currentText().toStdString() : "");
  gateWords_->setText(q(g.words));
  gateList_->clear();
  // Many alike are one line, opened on demand.
  std::map<std::pair<GateKind, std::string>, std::vector<const GateItem*>> groups;
  for (const auto& item : g.items) groups[{item.kind, item.words}].push_back(&item);
  const auto line = [](const GateItem& item, bool alone) {
    QString text = q(item.slate);
    if (alone) text = QString("%1   %2: %3").arg(wordOf(item.kind), text, q(item.words));
    if (!item.todo.empty()) text += (alone ? ". " : "   ") + q(item.todo);
    return text;
  };
  for (const auto& [alike, items] : groups) {
    const bool alone = items.size() == 1;
    QTreeWidgetItem* parent = nullptr;
    if (!alone)
      parent = new QTreeWidgetItem(
          gateList_,
          {QString("%1   %2 takes: %3").arg(wordOf(alike.first)).arg(items.size()).arg(q(alike.second))});
    for (const auto* item : items) {
      auto* row = alone ? new QTreeWidgetItem(gateList_, {line(*item, true)})
                        : new QTreeWidgetItem(parent, {line(*item, false)});
      row->setData(0, Qt::UserRole, q(item->slate));
    }
  }
}

void ShootStage::followTake() {
  if (const Take* t = shooter_.take())
    if (const int at = configurationOf(document_, *shooter_.planned(), *t); at >= 0) document_.setCurrent(at);
}

void ShootStage::followPicker() {
  const Take* now = shooter_.take();
  if (!isVisible() || !now) return;
  const int wanted = document_.currentIndex();
  if (configurationOf(document_, *shooter_.planned(), *now) == wanted) return;
  std::optional<size_t> first;
  const auto& takes = shooter_.planned()->plan.takes;
  for (size_t i = 0; i < takes.size(); ++i) {
    if (configurationOf(document_, *shooter_.planned(), takes[i]) != wanted) continue;
    if (!first) first = i;
    if (shooter_.log().of(takes[i].slate).state == TakeState::Open) return shooter_.goTo(i);
  }
  if (first) shooter_.goTo(*first);
}

void ShootStage::ask(const QString& title, const QString& suffix, const QString& filter,
                     const std::function<void(const std::filesystem::path&)>& write) {
  if (!document_.isOpen() || !shooter_.planned()) return;
  const auto stem = document_.project().folder() / document_.project().file().stem();
  const QString file = QFileDialog::getSaveFileName(this, title, q(stem.string()) + suffix, filter, nullptr,
                                                    QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) write(file.toStdString());
}

void ShootStage::writeSlates(const std::filesystem::path& file) {
  try {
    std::vector<int> attempts;  // those still to be shot
    for (const auto& t : shooter_.planned()->plan.takes)
      attempts.push_back(shooter_.log().of(t.slate).attempt);
    writeSlatesPdf(file, document_.project().id(), shooter_.planned()->recipe, shooter_.planned()->plan,
                   attempts);
    emit done("written: " + q(file.string()));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

void ShootStage::writeLog(const std::filesystem::path& file) {
  try {
    writeFileAtomically(file, logCsv(document_.logEntries()));
    emit done("written: " + q(file.string()));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject()), q(e.remedy()));
  }
}

}  // namespace edge::app
