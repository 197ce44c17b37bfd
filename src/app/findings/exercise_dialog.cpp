#include "findings/exercise_dialog.h"

#include <QHBoxLayout>
#include <QHeaderView>
#include <QSignalBlocker>
#include <QVBoxLayout>

#include "base/numbers.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

enum Column { Tone, Stops, Guess, Truth, Columns };
constexpr int kRow = 36, kWidth = 640;

}  // namespace

std::vector<Reach> exercisable(const std::vector<Reach>& reaches) {
  std::vector<Reach> list;
  for (const auto& r : reaches)
    if (exerciseFor(r, 1)) list.push_back(r);
  return list;
}

ExerciseDialog::ExerciseDialog(std::vector<Reach> reaches, std::int64_t first, Score before,
                               std::uint64_t seed, QWidget* parent)
    : QDialog(parent), reaches_(std::move(reaches)), total_(before), seed_(seed) {
  setWindowTitle("Guess first");
  setObjectName("surface");
  auto* column = new QVBoxLayout(this);
  auto* line = new QHBoxLayout;
  on_ = new QComboBox(this);
  on_->setAccessibleName("Configuration to guess on");
  for (size_t i = 0; i < reaches_.size(); ++i) {
    on_->addItem(q(reaches_[i].label));
    if (reaches_[i].id == first) at_ = i;
  }
  on_->setCurrentIndex(static_cast<int>(at_));
  connect(on_, &QComboBox::currentIndexChanged, this, [this](int i) {
    at_ = static_cast<size_t>(std::max(0, i));
    another();
  });
  line->addWidget(new QLabel("On", this));
  line->addWidget(on_, 1);
  ask_ = new WrappedLabel("exposed as it was tested, what does each tone do? Stops count from grey.", this);
  table_ = new QTableWidget(0, Columns, this);
  table_->setAccessibleName("Tones to guess");
  table_->setHorizontalHeaderLabels(
      {"Tone", "Stops", "Your guess", "What it does, and stops to the nearest edge"});
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kRow);
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionMode(QAbstractItemView::NoSelection);
  table_->setTabKeyNavigation(false);
  table_->horizontalHeader()->setSectionResizeMode(Truth, QHeaderView::Stretch);
  table_->setColumnWidth(Tone, 130), table_->setColumnWidth(Stops, 60), table_->setColumnWidth(Guess, 150);
  words_ = new WrappedLabel(this);
  words_->setObjectName("title");
  see_ = new QPushButton("See", this);
  another_ = new QPushButton("Another scene", this);
  scene_ = new QPushButton("Look at it on the ruler", this);
  auto* close = new QPushButton("Enough", this);
  connect(see_, &QPushButton::clicked, this, &ExerciseDialog::see);
  connect(another_, &QPushButton::clicked, this, &ExerciseDialog::another);
  connect(scene_, &QPushButton::clicked, this, [this] {
    emit sceneWanted(exercise_.scene);
    accept();
  });
  connect(close, &QPushButton::clicked, this, &QDialog::accept);
  auto* buttons = new QHBoxLayout;
  for (auto* b : {see_, another_, scene_}) buttons->addWidget(b);
  buttons->addStretch(1);
  buttons->addWidget(close);
  column->addLayout(line);
  column->addWidget(ask_);
  column->addWidget(table_, 1);
  column->addWidget(words_);
  column->addLayout(buttons);
  resize(kWidth, 380);
  another();
}

QComboBox* ExerciseDialog::box(int tone) const {
  return static_cast<QComboBox*>(table_->cellWidget(tone, Guess));
}

void ExerciseDialog::another() {
  exercise_ = exerciseFor(reaches_.at(at_), seed_++).value();
  seen_ = false;
  fill();
}

void ExerciseDialog::fill() {
  table_->setRowCount(static_cast<int>(exercise_.truth.size()));
  for (int i = 0; i < table_->rowCount(); ++i) {
    const SceneReading& r = exercise_.scene.readings[static_cast<size_t>(i)];
    table_->setItem(i, Tone, new QTableWidgetItem(q(r.name)));
    table_->setItem(i, Stops, new QTableWidgetItem(q(formatSigned(r.stops, 1))));
    table_->setItem(i, Truth, new QTableWidgetItem());
    auto* guess = new QComboBox(table_);
    guess->setAccessibleName("Your guess of " + q(r.name));
    guess->addItem("…");
    for (int h = 0; h < kHeld; ++h) guess->addItem(wordOf(static_cast<Held>(h)));
    connect(guess, &QComboBox::currentIndexChanged, this, &ExerciseDialog::ready);
    table_->setCellWidget(i, Guess, guess);
  }
  words_->setText(total_.of ? QString("So far: %1 of %2 right.").arg(total_.right).arg(total_.of)
                            : QString("Guess all of them, then see."));
  ready();
}

void ExerciseDialog::ready() {
  bool all = true;
  for (int i = 0; i < table_->rowCount(); ++i) all &= box(i) && box(i)->currentIndex() > 0;
  see_->setEnabled(all && !seen_);
  scene_->setEnabled(seen_);
}

void ExerciseDialog::guess(int tone, Held held) {
  box(tone)->setCurrentIndex(static_cast<int>(held) + 1);
}

void ExerciseDialog::see() {
  if (seen_) return;
  std::vector<std::optional<Held>> guesses;
  for (int i = 0; i < table_->rowCount(); ++i) {
    const int at = box(i)->currentIndex();
    guesses.push_back(at > 0 ? std::optional(static_cast<Held>(at - 1)) : std::nullopt);
  }
  const Score score = scoreOf(exercise_, guesses);
  for (int i = 0; i < table_->rowCount(); ++i) {
    const Placed& p = exercise_.truth[static_cast<size_t>(i)];
    const bool right = guesses[static_cast<size_t>(i)] == p.state;
    auto* item = table_->item(i, Truth);
    item->setText(QString(right ? "right: " : "no: ") + wordOf(*p.state) + ", " + q(limitFigure(p.margin)));
    item->setToolTip(item->text());
    QFont font = table_->font();
    font.setBold(!right);
    item->setFont(font);
    box(i)->setEnabled(false);
  }
  seen_ = true;
  total_.right += score.right, total_.of += score.of;
  words_->setText(QString("%1 of %2 right. In all: %3 of %4.")
                      .arg(score.right)
                      .arg(score.of)
                      .arg(total_.right)
                      .arg(total_.of));
  ready();
  emit scored(total_);
}

}  // namespace edge::app
