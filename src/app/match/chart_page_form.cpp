#include <QFileDialog>
#include <QHBoxLayout>
#include <QInputDialog>
#include <QRadioButton>
#include <QVBoxLayout>

#include "base/numbers.h"
#include "base/units.h"
#include "match/chart_page.h"
#include "theme/text.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kSide = 330;
constexpr const char* kObjects[] = {ChartPage::kWholeFace, "forehead",  "cheek",      "white cloth",
                                    "black cloth",         "grey card", "background", "gradient wall"};

}  // namespace

QWidget* ChartPage::buildSide() {
  auto* side = new QWidget(this);
  side->setFixedWidth(kSide);
  auto* column = new QVBoxLayout(side);
  column->setContentsMargins(0, 0, 0, 0);
  title_ = new QLabel(side);
  title_->setObjectName("title");
  column->addWidget(title_);
  which_ = new QButtonGroup(this);
  auto* choices = new QHBoxLayout;
  int id = 0;
  for (const char* name : {"Wedge", "Chart", "Objects"}) {
    auto* b = new QRadioButton(name, side);
    which_->addButton(b, id++);
    choices->addWidget(b);
  }
  choices->addStretch();
  which_->button(0)->setChecked(true);
  connect(which_, &QButtonGroup::idClicked, this, [this](int i) { show(static_cast<Placing>(i)); });
  column->addLayout(choices);
  column->addWidget(form_ = buildForm());
  column->addWidget(objects_ = buildObjects());
  list_ = new QListWidget(side);
  list_->setAccessibleName("Patches and objects");
  connect(list_, &QListWidget::currentRowChanged, this, [this](int i) {
    if (what_ == Placing::Objects && i >= 0 && i != editor_->selected()) refreshOutlines();
  });
  column->addWidget(list_, 1);
  auto* seen = new QHBoxLayout;
  seenOn_ = new QComboBox(side);
  seenOn_->setAccessibleName("Take on which the outlines are shown");
  connect(seenOn_, &QComboBox::activated, this, &ChartPage::lookAt);
  seen->addWidget(new QLabel("Seen on", side));
  seen->addWidget(seenOn_, 1);
  column->addLayout(seen);
  auto* all = new QPushButton("Use these places for all configurations", side);
  connect(all, &QPushButton::clicked, this, &ChartPage::useForAll);
  column->addWidget(all);
  words_ = new WrappedLabel(side);
  words_->setObjectName("quiet");
  words_->setMinimumHeight(52);
  words_->setAlignment(Qt::AlignTop | Qt::AlignLeft);
  column->addWidget(words_);
  return side;
}

QWidget* ChartPage::buildForm() {
  auto* form = new QWidget(this);
  auto* column = new QVBoxLayout(form);
  column->setContentsMargins(0, 0, 0, 0);
  kind_ = new QComboBox(form);
  kind_->setAccessibleName("Kind of chart");
  kind_->addItems(
      {"whatever is there, or as loaded", "step wedge", "grey scale", "24 patches, six greys below"});
  column->addWidget(kind_);
  auto* numbers = new QHBoxLayout;
  steps_ = new QSpinBox(form), perRow_ = new QSpinBox(form), stopsPerStep_ = new QDoubleSpinBox(form);
  steps_->setRange(2, 200), steps_->setValue(21), steps_->setAccessibleName("Steps");
  perRow_->setRange(1, 100), perRow_->setValue(7), perRow_->setAccessibleName("Steps a row");
  stopsPerStep_->setRange(0.05, 3), stopsPerStep_->setValue(1), stopsPerStep_->setSingleStep(0.1);
  stopsPerStep_->setAccessibleName("Stops from step to step");
  steps_->setSuffix(" steps"), perRow_->setSuffix(" a row"), stopsPerStep_->setSuffix(" stop");
  for (QWidget* w : std::initializer_list<QWidget*>{steps_, perRow_, stopsPerStep_}) numbers->addWidget(w);
  column->addLayout(numbers);
  setSteps_ = new QPushButton("So many stops from patch to patch", form);
  setSteps_->setObjectName("set steps");
  connect(setSteps_, &QPushButton::clicked, this, &ChartPage::setWedgeSteps);
  setSteps_->hide();
  column->addWidget(setSteps_);
  connect(kind_, &QComboBox::currentIndexChanged, this, &ChartPage::enableNumbers);
  enableNumbers();
  auto* buttons = new QHBoxLayout;
  const auto add = [&](const char* text, void (ChartPage::*slot)()) {
    auto* b = new QPushButton(text, form);
    connect(b, &QPushButton::clicked, this, slot);
    buttons->addWidget(b);
  };
  add("Find it  F", &ChartPage::find);
  add("Corners  D", &ChartPage::placeByCorners);
  auto* file = new QPushButton("File…", form);
  connect(file, &QPushButton::clicked, this, [this] {
    const QString name = QFileDialog::getOpenFileName(this, "Chart or densities", QString(),
                                                      "Charts and densities (*.json *.csv *.txt *.ti3)",
                                                      nullptr, QFileDialog::DontUseNativeDialog);
    if (!name.isEmpty()) loadChart(name.toStdString());
  });
  buttons->addWidget(file);
  auto* typed = new QPushButton("Densities…", form);
  connect(typed, &QPushButton::clicked, this, [this] {
    bool kept = false;
    const QString text = QInputDialog::getMultiLineText(
        this, "Densities", "Calibrated density of each patch, in the chart's order:", densitiesNow(), &kept);
    if (kept) typeDensities(text);
  });
  buttons->addWidget(typed);
  column->addLayout(buttons);
  return form;
}

QString ChartPage::densitiesNow() const {
  const Configuration* c = configuration();
  QStringList words;
  if (c)
    for (const Patch& p : (what_ == Placing::Wedge ? c->wedge : c->bench).patches)
      words << q(formatNumber(-p.stops.value_or(0) * kDensityPerStop, 3));
  return words.join('\n');
}

QWidget* ChartPage::buildObjects() {
  auto* box = new QWidget(this);
  auto* row = new QHBoxLayout(box);
  row->setContentsMargins(0, 0, 0, 0);
  object_ = new QComboBox(box);
  object_->setEditable(true);
  object_->setAccessibleName("Name of the next object");
  for (const char* name : kObjects) object_->addItem(name);
  auto* add = new QPushButton("Draw it  D", box);
  connect(add, &QPushButton::clicked, this, &ChartPage::placeByCorners);
  row->addWidget(object_, 1);
  row->addWidget(add);
  return box;
}

}  // namespace edge::app
