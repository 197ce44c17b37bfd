// The entry line of Shoot: what is typed about a take, read, kept or refused.
#include "base/numbers.h"
#include "shoot/shoot_stage.h"
#include "theme/text.h"

namespace edge::app {

void ShootStage::begin(Entry entry) {
  if (!shooter_.take()) return;
  entry_ = entry;
  struct Words {
    const char *what, *hint;
  };
  static const Words kWords[] = {
      {"", ""},
      {"Incident reading. Up and Down: position", "1.4 and 7/10, 430 lux, 40 fc, +0.3"},
      {"Spot reading. Up and Down: position", "T4 1/3, 12 cd/m2"},
      {"Level on the camera. Up and Down: what was read; below it the scale it was read on", "41.5"},
      {"Note", ""},
      {"Skip: why?", "no time"},
      {"Again: why?", "sitter blinked"},
      {"Shot with these settings", "T4.5 ND0.6, 172.8deg"},
      {"Which meter, and its offset in stops, + reads too bright", "B +0.2"},
      {"Made up for by. Up and Down: how", "Enter takes it"},
      {"It may stay: why?", "the lamp gives no more"},
      {"Who writes the log from here on", "name"},
      {"Simulated set by hand", "T4 ND0.6, Key 40%"},
      {"What was seen. Up and Down: holds or fails; a file of it after |",
       "sharp to the corners | corner.jpg"}};
  const Words& w = kWords[static_cast<int>(entry)];
  entryWords_->setText(QString("%1. Enter keeps, Esc leaves.").arg(w.what));
  entryLine_->setPlaceholderText(w.hint);
  offerChoices(entry);
  entryLine_->clear();
  entryLine_->show();
  entryLine_->setFocus();
}

void ShootStage::offerChoices(Entry entry) {
  entryChoice_->clear();
  const Planned& p = *shooter_.planned();
  if (entry == Entry::Reading || entry == Entry::Spot)
    for (const auto& position : positionsFor(p.recipe, p.plan, *shooter_.current()))
      entryChoice_->addItem(q(position));
  if (entry == Entry::Spot) entryChoice_->setCurrentText("grey card");
  if (entry == Entry::Level)
    for (const auto& position : tonePositions(p.recipe)) entryChoice_->addItem(q(position));
  if (entry == Entry::WayOut)
    for (const auto& way : shooter_.waysOutHere())
      entryChoice_->addItem(QString("%1; %2 stays").arg(q(way.words), q(formatSigned(way.rest, 2))));
  if (entry == Entry::Seen) entryChoice_->addItems({"it holds", "it fails"});
  if (entry == Entry::Meter)
    for (const auto& [name, offset] : shooter_.log().instruments)
      entryChoice_->addItem(QString("%1  %2").arg(q(name), q(formatSigned(offset, 2))), q(name));
  if (entry == Entry::Meter) entryChoice_->setCurrentIndex(entryChoice_->findData(shooter_.meter()));
  entryChoice_->setVisible(entryChoice_->count() > 0);
  entryScale_->setVisible(entry == Entry::Level);
}

// Returns whether more of the same kind follows: readings come in rounds.
bool ShootStage::keep(const QString& text) {
  switch (entry_) {
    case Entry::Reading:
    case Entry::Spot:
      if (text.isEmpty()) return false;
      shooter_.readings({{entryChoice_->currentText(), text}}, entry_ == Entry::Spot, shooter_.meter());
      if (entryChoice_->currentIndex() + 1 >= entryChoice_->count()) return false;
      entryChoice_->setCurrentIndex(entryChoice_->currentIndex() + 1);
      return true;
    case Entry::Level:
      enterLevel(text);
      return false;
    case Entry::Meter:
      enterMeter(text);
      return false;
    case Entry::Note:
      if (!text.isEmpty()) shooter_.note(text);
      return false;
    case Entry::Skip:
      shooter_.skip(text);
      return false;
    case Entry::Redo:
      shooter_.redo(text);
      return false;
    case Entry::Actual:
      shooter_.done(text);
      return false;
    case Entry::WayOut:
      if (const auto ways = shooter_.waysOutHere();
          entryChoice_->currentIndex() >= 0 &&
          static_cast<size_t>(entryChoice_->currentIndex()) < ways.size())
        shooter_.adopt(ways[static_cast<size_t>(entryChoice_->currentIndex())]);
      return false;
    case Entry::Stays: {
      std::vector<std::string> codes;
      for (const auto& item : shooter_.offHere()) codes.push_back(item.code);
      shooter_.stays(text, codes);
      return false;
    }
    case Entry::Who:
      if (!text.isEmpty()) shooter_.who(text);
      return false;
    case Entry::Seen:
      shooter_.evidence(entryChoice_->currentIndex() == 0, text);
      return false;
    case Entry::Hands:
      standIns_->setByHand(text);
      return false;
    case Entry::None:
      return false;
  }
  return false;
}

void ShootStage::enterLevel(const QString& text) {
  QString number = text;
  const auto v = parseNumber(number.remove('%').trimmed().toStdString());
  if (!v || *v < 0 || *v > 1023)
    throw UsageError("\"" + text.toStdString() + "\" is no level", "", "", "type a number, e.g. 41.5");
  shooter_.level(entryChoice_->currentText(), *v, entryScale_->currentData().toString().toStdString());
}

// "B", "B +0.2", "+0.2": another meter, its offset, or the offset of the one in use.
void ShootStage::enterMeter(const QString& text) {
  const QString chosen =
      entryChoice_->currentIndex() >= 0 ? entryChoice_->currentData().toString() : shooter_.meter();
  const QString last = text.section(' ', -1);
  const auto v = parseNumber(QString(last).replace(QChar(0x2212), '-').toStdString());
  const QString name = v ? text.left(text.size() - last.size()).trimmed() : text;
  const QString meter = name.isEmpty() ? chosen : name;
  const double before = shooter_.log().offsetOf(meter.toStdString());
  if (v && std::abs(*v) > 3)
    throw UsageError("\"" + text.toStdString() + "\" is no offset of a meter", "", "",
                     "type a name, stops, or both, e.g. B +0.2");
  shooter_.instrument(meter, v.value_or(before));
}

// At the gate the line that is chosen says of which take.
void ShootStage::gateItemStays() {
  if (pages_->currentIndex() == GatePage && gateList_->currentItem()) {
    const auto slate = gateList_->currentItem()->data(0, Qt::UserRole).toString().toStdString();
    for (size_t i = 0; shooter_.planned() && i < shooter_.planned()->plan.takes.size(); ++i)
      if (shooter_.planned()->plan.takes[i].slate == slate) shooter_.goTo(i);
  }
  if (shooter_.offHere().empty()) {
    entryWords_->setText("Nothing that is off at this take could stay: shoot it, copy it, or skip it (S).");
    return;
  }
  begin(Entry::Stays);
}

void ShootStage::enter() {
  try {
    if (keep(entryLine_->text().trimmed()))
      entryLine_->clear();
    else
      leaveEntry();
  } catch (const Error& e) {
    entryWords_->setText(q(e.problem()) + ": " + q(e.remedy()) + ". Nothing was logged.");
  }
}

void ShootStage::leaveEntry() {
  entry_ = Entry::None;
  entryChoice_->hide(), entryScale_->hide(), entryLine_->hide();
  entryWords_->setText("Space shot · R again · S skip · N note · M meter · V level · K slate · ? all keys");
  // At the gate one line after the other is answered.
  if (pages_->currentIndex() == GatePage)
    gateList_->setFocus();
  else
    setFocus();
}

}  // namespace edge::app
