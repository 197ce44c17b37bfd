#include "findings/scene_form.h"

#include <QApplication>
#include <QClipboard>
#include <QFileDialog>
#include <QGridLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>
#include <algorithm>
#include <cmath>

#include "base/error.h"
#include "base/numbers.h"
#include "findings/frame_spots.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

enum Column { Name, Reading, At, May };
constexpr int kSpareRows = 1;

const char* const kMayWords[kHeld] = {"must hold", "may need clean-up", "may be lost", "may clip"};

// What a spot meter finds in a room with a window (common practice: a window at +5 to +7, a forehead one over
// grey).
const char* const kExample = "window +5\nforehead +1\nwall −1\ncorner −3.5\n";

// As it could have been typed: no more decimals than are needed, and none that count lost.
QString typedStops(double stops) {
  QString text = q(formatSigned(stops, 2));
  while (text.endsWith('0')) text.chop(1);
  return text.endsWith('.') ? text.chopped(1) : text;
}

}  // namespace

SceneForm::SceneForm(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* column = new QVBoxLayout(this);
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
  connect(exposure_, &QLineEdit::textChanged, this, &SceneForm::changed);
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
    emit changed();
  });
  trouble_ = new WrappedLabel(this);
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
  connect(&document, &Document::scenesChanged, this, &SceneForm::refreshScenes);
  connect(&document, &Document::opened, this, [this] {
    fill({});
    refreshScenes();
  });
  fill({});
  refreshScenes();
}

void SceneForm::refreshScenes() {
  const QSignalBlocker quietly(scenes_);
  const QString now = name_->text().trimmed();
  scenes_->clear();
  scenes_->addItem("a new one");
  for (const auto& s : document_.scenes()) scenes_->addItem(q(s.name));
  scenes_->setCurrentIndex(now.isEmpty() ? 0 : std::max(0, scenes_->findText(now)));
  forget_->setEnabled(scenes_->currentIndex() > 0);
}

void SceneForm::setRow(int row, const SceneReading& r) {
  readings_->setItem(row, Name, new QTableWidgetItem(q(r.name)));
  const bool empty = r.name.empty();
  readings_->setItem(row, Reading,
                     new QTableWidgetItem(empty             ? QString()
                                          : r.words.empty() ? typedStops(r.stops)
                                                            : q(r.words)));
  auto* at = new QTableWidgetItem;
  at->setFlags(Qt::ItemIsEnabled);
  at->setTextAlignment(Qt::AlignRight | Qt::AlignVCenter);
  readings_->setItem(row, At, at);
  auto* may = new QComboBox(readings_);
  may->setAccessibleName("What is asked of this tone");
  for (const char* words : kMayWords) may->addItem(words);
  may->setCurrentIndex(static_cast<int>(r.may));
  connect(may, &QComboBox::activated, this, &SceneForm::changed);
  readings_->setCellWidget(row, May, may);
}

void SceneForm::fill(const SceneReadings& scene) {
  filling_ = true;
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
  emit filled();
  emit changed();
}

// There is always an empty row to type into.
void SceneForm::addRow() {
  const int last = readings_->rowCount() - 1;
  const bool used = last < 0 || !readings_->item(last, Name)->text().trimmed().isEmpty() ||
                    !readings_->item(last, Reading)->text().trimmed().isEmpty();
  if (!used || last + 1 >= static_cast<int>(kMostReadings)) return;
  filling_ = true;
  readings_->setRowCount(last + 2);
  setRow(last + 1, {});
  filling_ = false;
}

void SceneForm::removeRow() {
  const int row = readings_->currentRow();
  if (row < 0 || row + kSpareRows >= readings_->rowCount()) return;
  readings_->removeRow(row);
  emit changed();
}

SceneReadings SceneForm::read() {
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

void SceneForm::setExposure(const QString& words) {
  exposure_->setText(words);
}

void SceneForm::setReadings(const QString& lines) {
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

void SceneForm::pasteLines() {
  setReadings(QApplication::clipboard()->text());
}

void SceneForm::load(const std::filesystem::path& file) {
  try {
    const std::string typed = exposure_->text().trimmed().toStdString();
    fill(readReadings(file, typed.empty() ? std::nullopt : std::optional(sceneExposure(typed))));
  } catch (const Error& e) {
    emit failed(q(e.problem()), q(e.subject() + (e.place().empty() ? "" : ", " + e.place())), q(e.remedy()));
  }
}

void SceneForm::addTone(double stops) {
  SceneReadings s = read();
  s.readings.push_back({"tone " + std::to_string(s.readings.size() + 1), std::round(stops * 100) / 100,
                        Held::Holds, formatNumber(stops, 2)});
  if (s.readings.size() <= kMostReadings) fill(s);
}

void SceneForm::readFrame() {
  FrameSpots spots(document_, *theme_, this);
  connect(&spots, &FrameSpots::found, this, &SceneForm::addTone);
  spots.exec();
}

void SceneForm::askFile() {
  const QString file = QFileDialog::getOpenFileName(
      this, "Readings of a scene", {}, "Readings (*.json *.csv)", nullptr, QFileDialog::DontUseNativeDialog);
  if (!file.isEmpty()) load(file.toStdString());
}

void SceneForm::keep() {
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

void SceneForm::forget() {
  auto all = document_.scenes();
  const int at = scenes_->currentIndex() - 1;
  if (at < 0 || at >= static_cast<int>(all.size())) return;
  const QString name = q(all[static_cast<size_t>(at)].name);
  all.erase(all.begin() + at);
  document_.setScenes(all, "forget the scene " + name);
  scenes_->setCurrentIndex(0);
  fill({});
}

}  // namespace edge::app
