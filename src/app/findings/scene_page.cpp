#include "findings/scene_page.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QGridLayout>
#include <QHBoxLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "findings/frame_spots.h"
#include "ruler/ruler_data.h"
#include "theme/text.h"

namespace edge::app {
namespace {

enum Column { Name, Reading, At, May };
constexpr int kLeftWidth = 400, kRowHeight = 46, kLeastRuler = 218;
constexpr int kSpareRows = 1;

const char* const kMayWords[kHeld] = {"must hold", "may need clean-up", "may be lost", "may clip"};

// What a spot meter finds in a room with a window (common practice: a window at +5 to +7, a forehead one over
// grey).
const char* const kExample = "window +5\nforehead +1\nwall −1\ncorner −3.5\n";

}  // namespace

ScenePage::ScenePage(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* contents = new QWidget(this);
  auto* columns = new QHBoxLayout(contents);
  columns->setContentsMargins(0, 0, 0, 0);
  columns->setSpacing(size::kMargin);
  auto* left = new QWidget(contents);
  left->setFixedWidth(kLeftWidth);
  left->setLayout(buildReadings());
  columns->addWidget(left);
  columns->addLayout(buildAnswer(), 1);
  inviting_ = new Inviting(contents, this);
  connect(inviting_, &Inviting::taken, this, &ScenePage::doorWanted);
  auto* all = new QVBoxLayout(this);
  all->setContentsMargins(0, 0, 0, 0);
  all->addWidget(inviting_, 1);
  connect(&document, &Document::findingsChanged, this, &ScenePage::check);
  connect(&document, &Document::scenesChanged, this, &ScenePage::refreshScenes);
  connect(&document, &Document::opened, this, [this] {
    fill({});
    refreshScenes();
  });
  fill({});
  refreshScenes();
}

QLayout* ScenePage::buildReadings() {
  auto* column = new QVBoxLayout;
  column->setContentsMargins(0, 0, 0, 0);
  auto* form = new QGridLayout;
  scenes_ = new QComboBox(this);
  scenes_->setAccessibleName("Scenes that are kept");
  connect(scenes_, &QComboBox::activated, this, [this](int i) {
    const auto kept = document_.scenes();
    if (i > 0 && i <= static_cast<int>(kept.size())) fill(kept[static_cast<size_t>(i) - 1]);
    if (i == 0) fill({});
  });
  name_ = new QLineEdit(this);
  name_->setPlaceholderText("name of the scene, to keep it");
  name_->setObjectName("sceneName");
  name_->setMaxLength(120);
  connect(name_, &QLineEdit::textChanged, this,
          [this] { keep_->setEnabled(!name_->text().trimmed().isEmpty()); });
  exposure_ = new QLineEdit(this);
  exposure_->setObjectName("exposure");
  exposure_->setPlaceholderText("T2.8 1/48 ISO800: for lux, fc, cd/m2, T-stops");
  exposure_->setToolTip("What the scene was metered for. Readings in stops from grey do without it.");
  connect(exposure_, &QLineEdit::textChanged, this, &ScenePage::check);
  int row = 0;
  for (const auto& [words, field] :
       {std::pair<const char*, QWidget*>("Scene", scenes_), {"Name", name_}, {"Metered for", exposure_}}) {
    form->addWidget(new QLabel(words, this), row, 0);
    form->addWidget(field, row++, 1);
  }
  readings_ = new QTableWidget(0, 4, this);
  readings_->setObjectName("sceneReadings");
  readings_->setAccessibleName("Readings of the scene");
  readings_->setHorizontalHeaderLabels({"Tone", "Reading", "Stops", "Asked"});
  readings_->horizontalHeaderItem(Reading)->setToolTip(
      "+4.5 from grey, T11, 320 lux, 40 fc, 3.1 cd/m2, T11 1/48 ISO800");
  readings_->verticalHeader()->hide();
  readings_->horizontalHeader()->setSectionResizeMode(Name, QHeaderView::Stretch);
  readings_->setColumnWidth(Reading, 92), readings_->setColumnWidth(At, 50),
      readings_->setColumnWidth(May, 116);
  connect(readings_, &QTableWidget::cellChanged, this, [this] {
    if (filling_) return;
    addRow();
    check();
  });
  trouble_ = new QLabel(this);
  trouble_->setWordWrap(true);
  auto* buttons = new QGridLayout;
  buttons->setSpacing(size::kGap);
  int count = 0;
  const auto button = [&](const char* words, const char* tip, auto act) {
    auto* b = new QPushButton(words, this);
    b->setToolTip(tip);
    connect(b, &QPushButton::clicked, this, act);
    buttons->addWidget(b, count / 3, count % 3);
    ++count;
    return b;
  };
  button("Paste lines", "window +4.5, one tone a line", [this] { pasteLines(); });
  button("From a file…", "readings as JSON or CSV", [this] { askFile(); });
  button("From a frame…", "a frame of the scene whose exposure is known, read by clicking",
         [this] { readFrame(); });
  keep_ = button("Keep scene", "under the name above", [this] { keep(); });
  forget_ = button("Forget scene", "the kept scene that is chosen", [this] { forget(); });
  button("Remove tone", "the one that is chosen", [this] { removeRow(); });
  button("An example", "a room with a window", [this] { setReadings(kExample); });
  keep_->setEnabled(false);
  column->addLayout(form);
  column->addWidget(readings_, 1);
  column->addWidget(trouble_);
  column->addLayout(buttons);
  return column;
}

QLayout* ScenePage::buildAnswer() {
  auto* column = new QVBoxLayout;
  headline_ = new QLabel(this);
  headline_->setObjectName("title");
  headline_->setWordWrap(true);
  ruler_ = new RulerWidget;
  ruler_->setRowHeight(kRowHeight);
  ruler_->setAccessibleName("The scene on every configuration");
  connect(ruler_, &RulerWidget::rowChosen, this, [this](int row) {
    if (result_ && row >= 0 && row < static_cast<int>(result_->configurations.size()))
      chooseConfiguration(result_->configurations[static_cast<size_t>(row)].reach.id);
  });
  scroll_ = new QScrollArea(this);
  scroll_->setWidget(ruler_);
  scroll_->setWidgetResizable(true);
  scroll_->setFrameShape(QFrame::NoFrame);
  scroll_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
  auto* line = new QHBoxLayout;
  chosenTitle_ = new QLabel(this);
  chosenTitle_->setObjectName("title");
  offset_ = new QDoubleSpinBox(this);
  offset_->setAccessibleName("Exposure against how it was tested, stops");
  offset_->setRange(-kOffsetReach, kOffsetReach);
  offset_->setSingleStep(kOffsetStep), offset_->setDecimals(2), offset_->setSuffix(" stops");
  connect(offset_, &QDoubleSpinBox::valueChanged, this, &ScenePage::setOffset);
  auto* best = new QPushButton("Best", this);
  best->setToolTip("the offset that was worked out");
  connect(best, &QPushButton::clicked, this, &ScenePage::check);
  line->addWidget(chosenTitle_, 1);
  line->addWidget(new QLabel("exposed", this));
  line->addWidget(offset_);
  line->addWidget(best);
  tones_ = new QTableWidget(0, 4, this);
  tones_->setAccessibleName("What every tone does on the chosen configuration");
  tones_->setHorizontalHeaderLabels({"Tone", "Stops", "State", "Room"});
  tones_->horizontalHeaderItem(3)->setToolTip(
      "stops to the nearest edge that would change the state, one standard error");
  tones_->verticalHeader()->hide();
  tones_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  tones_->setSelectionMode(QAbstractItemView::NoSelection);
  tones_->horizontalHeader()->setSectionResizeMode(0, QHeaderView::Stretch);
  tones_->setColumnWidth(1, 60), tones_->setColumnWidth(2, 116), tones_->setColumnWidth(3, 84);
  changes_ = new QTextBrowser(this);
  changes_->setAccessibleName("What would make it hold");
  auto* lower = new QHBoxLayout;
  lower->setSpacing(size::kMargin);
  lower->addWidget(tones_, 1);
  lower->addWidget(changes_, 1);
  column->addWidget(headline_);
  column->addWidget(scroll_, 2);
  column->addLayout(line);
  column->addLayout(lower, 1);
  return column;
}

void ScenePage::setTheme(const Theme& t) {
  ruler_->setTheme(t);
  theme_ = &theme(t.kind);
}

void ScenePage::refreshScenes() {
  const QSignalBlocker quietly(scenes_);
  const QString now = name_->text().trimmed();
  scenes_->clear();
  scenes_->addItem("a new one");
  for (const auto& s : document_.scenes()) scenes_->addItem(q(s.name));
  scenes_->setCurrentIndex(now.isEmpty() ? 0 : std::max(0, scenes_->findText(now)));
  forget_->setEnabled(scenes_->currentIndex() > 0);
}

void ScenePage::setRow(int row, const SceneReading& r) {
  readings_->setItem(row, Name, new QTableWidgetItem(q(r.name)));
  const bool empty = r.name.empty();
  readings_->setItem(
      row, Reading,
      new QTableWidgetItem(empty ? QString() : q(r.words.empty() ? formatSigned(r.stops, 1) : r.words)));
  auto* at = new QTableWidgetItem;
  at->setFlags(Qt::ItemIsEnabled);
  at->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
  readings_->setItem(row, At, at);
  auto* may = new QComboBox(readings_);
  may->setAccessibleName("What is asked of this tone");
  for (const char* words : kMayWords) may->addItem(words);
  may->setCurrentIndex(static_cast<int>(r.may));
  connect(may, &QComboBox::activated, this, &ScenePage::check);
  readings_->setCellWidget(row, May, may);
}

void ScenePage::fill(const SceneReadings& scene) {
  filling_ = true, byHand_ = false;
  const QSignalBlocker quietly(exposure_);
  name_->setText(q(scene.name));
  exposure_->setText(q(scene.exposureWords));
  readings_->setRowCount(0);
  readings_->setRowCount(static_cast<int>(scene.readings.size()) + kSpareRows);
  for (int i = 0; i < readings_->rowCount(); ++i)
    setRow(i, i < static_cast<int>(scene.readings.size()) ? scene.readings[static_cast<size_t>(i)]
                                                          : SceneReading{});
  filling_ = false;
  forget_->setEnabled(scenes_->currentIndex() > 0);
  check();
}

// There is always an empty row to type into.
void ScenePage::addRow() {
  const int last = readings_->rowCount() - 1;
  const bool used = last < 0 || !readings_->item(last, Name)->text().trimmed().isEmpty() ||
                    !readings_->item(last, Reading)->text().trimmed().isEmpty();
  if (!used || last + 1 >= static_cast<int>(kMostReadings)) return;
  filling_ = true;
  readings_->setRowCount(last + 2);
  setRow(last + 1, {});
  filling_ = false;
}

void ScenePage::removeRow() {
  const int row = readings_->currentRow();
  if (row < 0 || row + kSpareRows >= readings_->rowCount()) return;
  readings_->removeRow(row);
  check();
}

SceneReadings ScenePage::read() {
  SceneReadings s;
  QStringList trouble;
  s.name = name_->text().trimmed().toStdString();
  s.exposureWords = exposure_->text().trimmed().toStdString();
  if (!s.exposureWords.empty()) try {
      s.exposure = sceneExposure(s.exposureWords);
    } catch (const UsageError& e) {
      trouble << "Metered for: " + q(e.problem()) + ": " + q(e.remedy());
    }
  filling_ = true;
  for (int row = 0; row < readings_->rowCount(); ++row) {
    const QString name = readings_->item(row, Name)->text().trimmed();
    const QString words = readings_->item(row, Reading)->text().trimmed();
    QTableWidgetItem* at = readings_->item(row, At);
    at->setText("");
    if (words.isEmpty()) continue;
    SceneReading r;
    r.name = name.isEmpty() ? "tone " + std::to_string(row + 1) : name.toStdString();
    r.words = words.toStdString();
    r.may = static_cast<Held>(qobject_cast<QComboBox*>(readings_->cellWidget(row, May))->currentIndex());
    try {
      r.stops = stopsOfReading(r.words, s.exposure);
      at->setText(q(formatSigned(r.stops, 1)));
      s.readings.push_back(std::move(r));
    } catch (const UsageError& e) {
      at->setText("?");
      trouble << q(r.name) + ": " + q(e.problem()) + ": " + q(e.remedy());
    }
  }
  filling_ = false;
  trouble_->setText(trouble.join("\n"));
  trouble_->setVisible(!trouble.isEmpty());
  return s;
}

void ScenePage::check() {
  const bool any = std::any_of(document_.findings().begin(), document_.findings().end(),
                               [](const Finding& f) { return f.latitude || f.range; });
  inviting_->invite(any ? std::nullopt : inviteFor(document_, Need::Bracket));
  if (filling_) return;
  scene_ = read();
  result_.reset();
  if (any && !scene_.readings.empty()) {
    std::vector<Reach> reaches;
    for (const auto& f : document_.findings()) reaches.push_back(reachOf(f));
    result_ = checkScene(scene_, reaches);
    if ((!byHand_ || !chosen()) && !result_->configurations.empty())
      configuration_ = result_->configurations[result_->recommended.value_or(0)].reach.id;
  }
  show();
}

SceneOn* ScenePage::chosen() {
  if (!result_) return nullptr;
  for (auto& c : result_->configurations)
    if (c.reach.id == configuration_) return &c;
  return nullptr;
}

void ScenePage::chooseConfiguration(std::int64_t id) {
  configuration_ = id, byHand_ = true;
  show();
}

void ScenePage::setOffset(double stops) {
  SceneOn* on = chosen();
  if (!on) return;
  auto changes = std::move(on->changes);
  // Two decimals of the field stand for thirds.
  const double thirds = std::round(stops * 3) / 3;
  *on = sceneOn(scene_, on->reach, std::abs(thirds - stops) < 0.01 ? thirds : stops);
  on->changes = std::move(changes);
  show();
}

void ScenePage::show() {
  headline_->setText(
      result_ ? q(result_->reason)
              : "Type or paste what a spot meter finds: the brightest tone that must hold, faces, walls, "
                "the darkest corner.");
  showRuler();
  const SceneOn* on = chosen();
  for (QWidget* w : std::initializer_list<QWidget*>{tones_, changes_, chosenTitle_, offset_})
    w->setEnabled(on);
  {
    const QSignalBlocker quietly(offset_);
    offset_->setValue(on ? on->offset : 0);
  }
  QString title = "No configuration";
  if (on) {
    title = q(on->reach.label) + ", " + q(eiWords(on->ei));
    if (on->aperture) title += ", T" + q(formatNumber(*on->aperture, 1)) + " in that light";
  }
  chosenTitle_->setText(title);
  showTones();
  showChanges();
}

void ScenePage::showRuler() {
  RulerData d;
  for (size_t i = 0; i < document_.findings().size(); ++i) {
    const Finding& f = document_.findings()[i];
    RulerRow row =
        fromGrey(latitudeRow(f, q(f.configuration.body + " · " + f.configuration.mode), "", false), f);
    row.note = "ISO " + q(formatNumber(f.configuration.iso, 0));
    if (result_ && i < result_->configurations.size()) {
      const SceneOn& on = result_->configurations[i];
      row.note += " → " + q(eiWords(on.ei));
      row.selected = on.reach.id == configuration_;
      for (size_t k = 0; k < on.readings.size(); ++k) {
        RulerMark m;
        m.at = scene_.readings[k].stops + on.offset;
        m.name = q(scene_.readings[k].name);
        m.words = m.name + " at " + q(formatSigned(m.at, 1)) + ": " +
                  (on.readings[k].state ? QString(wordOf(*on.readings[k].state)) : q(on.readings[k].why));
        row.marks.push_back(m);
      }
      std::sort(row.marks.begin(), row.marks.end(),
                [](const RulerMark& a, const RulerMark& b) { return a.at < b.at; });
    }
    d.rows.push_back(std::move(row));
  }
  ruler_->setData(d);
  ruler_->setFixedHeight(ruler_->sizeHint().height());
  scroll_->setMaximumHeight(ruler_->sizeHint().height() + 2);
  scroll_->setMinimumHeight(std::min(kLeastRuler, ruler_->sizeHint().height() + 2));
}

void ScenePage::showTones() {
  const SceneOn* on = chosen();
  tones_->setRowCount(on ? static_cast<int>(on->readings.size()) : 0);
  for (int i = 0; on && i < tones_->rowCount(); ++i) {
    const auto k = static_cast<size_t>(i);
    const Placed& p = on->readings[k];
    const QString state = p.state ? QString(wordOf(*p.state)) : "not known: " + q(p.why);
    const QString cells[] = {q(scene_.readings[k].name),
                             q(formatSigned(scene_.readings[k].stops + on->offset, 1)), state,
                             p.margin ? q(limitFigure(p.margin)) : ""};
    for (int c = 0; c < 4; ++c) {
      auto* item = new QTableWidgetItem(cells[c]);
      item->setToolTip(cells[c]);
      if (p.state && *p.state > scene_.readings[k].may) {
        QFont heavy = tones_->font();
        heavy.setBold(true);
        item->setFont(heavy);
      }
      tones_->setItem(i, c, item);
    }
  }
}

void ScenePage::showChanges() {
  const SceneOn* on = chosen();
  if (!on) return changes_->clear();
  QString html;
  if (on->harm.none())
    html = "<p>Everything holds as asked. Nothing needs to be changed.</p>";
  else if (on->changes.empty())
    html =
        "<p>No change of light within three stops of exposure makes all of it hold here, or its edges are "
        "not "
        "known.</p>";
  else
    html = "<p><b>To make it hold</b>, least change first:</p>";
  if (!on->harm.none())
    for (const auto& c : on->changes) {
      QStringList steps;
      for (const auto& s : c.steps) steps << esc(s.words);
      const double ei = on->reach.iso / std::exp2(c.offset);
      html += "<p>" + steps.join("<br>") + "<br><span style='font-size:12px'>exposed " +
              (c.offset == 0 ? QString("as tested") : esc(formatStops(c.offset)) + ", " + esc(eiWords(ei))) +
              "</span></p>";
    }
  for (const auto& w : on->reach.warnings) html += "<p>" + esc(w.message) + "</p>";
  html +=
      "<p style='font-size:12px'>Hot lamps, gels and rigging: a licensed hand and the local code decide what "
      "is safe.</p>";
  changes_->setHtml(html);
}

void ScenePage::setExposure(const QString& words) {
  exposure_->setText(words);
}

void ScenePage::setReadings(const QString& lines) {
  try {
    const std::string typed = exposure_->text().trimmed().toStdString();
    SceneReadings s;
    s.name = name_->text().trimmed().toStdString();
    s.exposureWords = typed;
    if (!typed.empty()) s.exposure = sceneExposure(typed);
    s.readings = readingsFromText(lines.toStdString(), s.exposure);
    if (s.readings.empty()) throw UsageError("there are no readings", "", "", "copy lines like: window +4.5");
    fill(s);
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.place()), q(e.remedy()));
  }
}

void ScenePage::pasteLines() {
  setReadings(QApplication::clipboard()->text());
}

void ScenePage::load(const std::filesystem::path& file) {
  try {
    const std::string typed = exposure_->text().trimmed().toStdString();
    fill(readReadings(file, typed.empty() ? std::nullopt : std::optional(sceneExposure(typed))));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject() + (e.place().empty() ? "" : ", " + e.place())), q(e.remedy()));
  }
}

void ScenePage::addTone(double stops) {
  SceneReadings s = read();
  s.readings.push_back({"tone " + std::to_string(s.readings.size() + 1), std::round(stops * 100) / 100,
                        Held::Holds, formatNumber(stops, 2)});
  if (s.readings.size() <= kMostReadings) fill(s);
}

void ScenePage::readFrame() {
  FrameSpots spots(document_, *theme_, this);
  connect(&spots, &FrameSpots::found, this, &ScenePage::addTone);
  spots.exec();
}

void ScenePage::askFile() {
  const QString file = QFileDialog::getOpenFileName(
      this, "Readings of a scene", {}, "Readings (*.json *.csv)", nullptr, QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) load(file.toStdString());
}

void ScenePage::keep() {
  const SceneReadings s = read();
  if (!document_.isOpen() || s.name.empty()) return;
  if (s.readings.empty())
    return emit failed("there is no reading to keep", "", "type a tone and its reading");
  auto all = document_.scenes();
  const auto same =
      std::find_if(all.begin(), all.end(), [&](const SceneReadings& x) { return x.name == s.name; });
  if (same != all.end())
    *same = s;
  else
    all.push_back(s);
  document_.setScenes(all, "keep the scene " + q(s.name));
  emit done("kept: " + q(s.name));
}

void ScenePage::forget() {
  auto all = document_.scenes();
  const int at = scenes_->currentIndex() - 1;
  if (at < 0 || at >= static_cast<int>(all.size())) return;
  const QString name = q(all[static_cast<size_t>(at)].name);
  all.erase(all.begin() + at);
  document_.setScenes(all, "forget the scene " + name);
  scenes_->setCurrentIndex(0);
  fill({});
}

std::vector<Command> ScenePage::commands() {
  const auto step = [this](double by) {
    if (const SceneOn* on = chosen()) setOffset(std::clamp(on->offset + by, -kOffsetReach, kOffsetReach));
  };
  return {{"Ctrl+V", "paste readings, one tone a line", [this] { pasteLines(); }, {}},
          {"O", "readings from a file", [this] { askFile(); }, {}},
          {"K", "keep the scene", [this] { keep(); }, [this] { return keep_->isEnabled(); }},
          {"+", "a third more light", [step] { step(kOffsetStep); }, [this] { return chosen(); }},
          {"-", "a third less light", [step] { step(-kOffsetStep); }, [this] { return chosen(); }},
          {"B", "the best offset again", [this] { check(); }, [this] { return chosen(); }}};
}

}  // namespace edge::app
