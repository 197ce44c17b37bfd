#include "shell/path_bar.h"

#include <QHBoxLayout>
#include <QPainter>
#include <QStyleOptionButton>

#include "theme/text.h"

namespace edge::app {
namespace {

constexpr int kNarrowest = 92;  // eight of them, the menu and the picker fit 1210 px
constexpr int kSide = 10;

// Name above, state below, each on a line of its own.
class StageButton : public QPushButton {
 public:
  using QPushButton::QPushButton;
  void setWords(const QString& name, const QString& state) {
    name_ = name, state_ = state;
    setToolTip(state);
    setAccessibleName(name);
    setAccessibleDescription(state);
    update();
  }
  [[nodiscard]] QSize sizeHint() const override { return {120, size::kBar + size::kGap}; }
  [[nodiscard]] QSize minimumSizeHint() const override { return {kNarrowest, size::kBar + size::kGap}; }

 protected:
  void paintEvent(QPaintEvent*) override {
    QStyleOptionButton option;
    initStyleOption(&option);
    option.text.clear();
    QPainter p(this);
    style()->drawControl(QStyle::CE_PushButton, &option, &p, this);
    const QRect room = rect().adjusted(kSide, size::kGrid, -size::kGrid, -size::kGrid);
    const auto line = [&](int pixels, bool bold, int from, int height, const QString& words) {
      p.setFont(typeface(pixels, bold));
      p.drawText(QRect(room.left(), from, room.width(), height), Qt::AlignLeft | Qt::AlignVCenter,
                 p.fontMetrics().elidedText(words, Qt::ElideRight, room.width()));
    };
    p.setPen(palette().color(QPalette::ButtonText));
    line(size::kFigure, isChecked(), room.top(), 20, name_);
    line(size::kSmall, false, room.top() + 20, 18, state_);
  }

 private:
  QString name_, state_;
};

}  // namespace

PathBar::PathBar(const std::vector<Stage*>& stages, Document& document, QWidget* parent)
    : QWidget(parent), stages_(stages), document_(document) {
  auto* row = new QHBoxLayout(this);
  row->setContentsMargins(size::kMargin, 0, size::kMargin, 0);
  row->setSpacing(0);
  menuButton_ = new QPushButton("Menu", this);
  menuButton_->setToolTip("All commands and their keys (F10)");
  menu_ = new QMenu(menuButton_);
  menuButton_->setMenu(menu_);
  row->addWidget(menuButton_);
  row->addSpacing(size::kGap);
  group_ = new QButtonGroup(this);
  for (size_t i = 0; i < stages_.size(); ++i) {
    auto* button = new StageButton(this);
    button->setObjectName("stage");
    button->setCheckable(true);
    button->setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    button->setMaximumWidth(150);
    button->setFixedHeight(size::kBar + size::kGap);
    group_->addButton(button, static_cast<int>(i));
    row->addWidget(button, 1);
    connect(stages_[i], &Stage::stateChanged, &soon_, qOverload<>(&QTimer::start));
  }
  soon_.setSingleShot(true);
  connect(&soon_, &QTimer::timeout, this, &PathBar::refreshStates);
  connect(group_, &QButtonGroup::idClicked, this, &PathBar::chosen);
  row->addStretch();
  row->addSpacing(size::kGap);
  picker_ = new QComboBox(this);
  picker_->setFixedWidth(230);
  picker_->setAccessibleName("Configuration: body, mode, ISO");
  picker_->setPlaceholderText("No configuration yet");
  row->addWidget(picker_);
  connect(picker_, &QComboBox::activated, this, [this](int i) { document_.setCurrent(i); });
  connect(&document_, &Document::findingsChanged, this, &PathBar::refreshPicker);
  connect(&document_, &Document::currentChanged, this, &PathBar::refreshPicker);
  refreshPicker();
}

void PathBar::setCurrent(int index) {
  group_->button(index)->setChecked(true);
}

void PathBar::openMenu() {
  menuButton_->showMenu();
}

void PathBar::refreshStates() {
  for (size_t i = 0; i < stages_.size(); ++i)
    static_cast<StageButton*>(group_->button(static_cast<int>(i)))
        ->setWords(stages_[i]->name(), stages_[i]->state());
}

void PathBar::refreshPicker() {
  QStringList labels, shown;
  for (const auto& f : document_.findings()) labels << q(f.configuration.label());
  for (int i = 0; i < picker_->count(); ++i) shown << picker_->itemText(i);
  if (labels != shown) {
    picker_->clear();
    picker_->addItems(labels);
  }
  picker_->setCurrentIndex(labels.isEmpty() ? -1 : document_.currentIndex());
  picker_->setEnabled(!labels.isEmpty());
  // A long name is cut in a narrow window.
  picker_->setToolTip(picker_->currentText() +
                      "\nConfiguration: body, mode, ISO, light (Page up, Page down)");
}

}  // namespace edge::app
