#include "latitude/stress_panel.h"

#include <QFileDialog>
#include <QHeaderView>
#include <QVBoxLayout>

#include "theme/text.h"
#include "theme/tokens.h"
#include "widgets/wrapped_label.h"

namespace edge::app {
namespace {

constexpr int kRow = 22;
enum Column { Take, Neutral, Looked, Breaks, By, Twin, ColumnCount };

// The same body and ISO in another mode, measured.
const Finding* twinOf(const Document& document, const Finding& f) {
  for (const auto& other : document.findings())
    if (other.latitudeMeasure && other.configuration.id != f.configuration.id &&
        other.configuration.body == f.configuration.body && other.configuration.iso == f.configuration.iso &&
        other.configuration.mode != f.configuration.mode)
      return &other;
  return nullptr;
}

const TakeMetrics* sameTake(const LatitudeMeasure& m, const std::string& name) {
  if (name == m.base.name) return &m.base;
  for (const auto& t : m.takes)
    if (t.name == name) return &t;
  return nullptr;
}

QString stepWords(const TakeMetrics& t, const CriteriaProfile& p) {
  if (t.stressed.empty()) return "not measured";
  const auto broken = breaksAt(t, p);
  return broken ? QString("step %1").arg(broken->step + 1) : QString("stands all %1").arg(t.stressed.size());
}

}  // namespace

StressPanel::StressPanel(Document& document, QWidget* parent) : QWidget(parent), document_(document) {
  auto* head = new QHBoxLayout;
  words_ = new WrappedLabel(this);
  words_->setObjectName("quiet");
  head->addWidget(words_, 1);
  choose_ = new QPushButton("Look…", this);
  choose_->setObjectName("look");
  choose_->setToolTip("A CDL or LUT, log code in and out, that goes on after the neutral bring-back");
  connect(choose_, &QPushButton::clicked, this, &StressPanel::askForLook);
  head->addWidget(choose_);
  none_ = new QPushButton("No look", this);
  connect(none_, &QPushButton::clicked, this, [this] { document_.setLook({}); });
  head->addWidget(none_);
  table_ = new QTableWidget(this);
  table_->setObjectName("stress");
  table_->setAccessibleName("Takes under stress and under the look");
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setShowGrid(false);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kRow);
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGrid);
  column->addLayout(head);
  column->addWidget(table_, 1);
}

void StressPanel::askForLook() {
  const QString file =
      QFileDialog::getOpenFileName(this, "Look after the neutral bring-back", {},
                                   "CDL or LUT (*.cdl *.ccc *.cc *.cube *.clf *.spi1d *.spi3d)");
  if (!file.isEmpty()) document_.setLook(file.toStdString());
}

void StressPanel::show(const BracketView& view) {
  view_ = view;
  table_->clear();
  table_->setRowCount(0);
  choose_->setEnabled(view.finding != nullptr);
  const bool chosen = document_.isOpen() && !lookOf(document_.project()).empty();
  none_->setVisible(chosen);
  if (!view.finding) return;
  const LatitudeMeasure& m = view.measure();
  const Finding* twin = twinOf(document_, *view.finding);
  QString words = QString(
                      "Contrast, saturation and hue are turned up alike on all takes, in %1 steps. A take "
                      "breaks where chroma noise, banding or block edges pass their clean limit.")
                      .arg(m.stress.size());
  if (chosen) {
    const QString name = q(lookOf(document_.project()).filename().string());
    words += !std::filesystem::exists(lookOf(document_.project()))
                 ? QString(" Look %1 is not where it was: choose it again.").arg(name)
             : m.look ? QString(" Look: %1.").arg(name)
                      : QString(" Look %1 is not measured yet: analyse.").arg(name);
  }
  words_->setText(words);
  table_->setColumnCount(ColumnCount);
  table_->setHorizontalHeaderLabels(
      {"Take", "Neutral", "Under the look", "Breaks at", "By",
       twin ? QString("Same take in %1").arg(q(twin->configuration.mode)) : "No twin mode"});
  table_->setRowCount(static_cast<int>(m.takes.size()) + 1);
  fillRow(0, m.base, m.look ? &m.look->base : nullptr, twin);
  for (size_t i = 0; i < view.order.size(); ++i) {
    const size_t k = view.order[i];
    fillRow(static_cast<int>(i) + 1, m.takes[k], m.look ? &m.look->takes[k] : nullptr, twin);
  }
  table_->resizeColumnsToContents();
}

void StressPanel::fillRow(int row, const TakeMetrics& t, const TakeMetrics* looked, const Finding* twin) {
  const CriteriaProfile& p = document_.criteria();
  const auto verdict = [&](const TakeMetrics& m) {
    const TakeVerdict v = judgeTake(m, p);
    return QString(wordOf(v.verdict)) + (v.cause.none() ? QString() : ": " + q(wordsOf(v.cause)));
  };
  const auto broken = breaksAt(t, p);
  const TakeMetrics* other = twin ? sameTake(*twin->latitudeMeasure, t.name) : nullptr;
  const QString cells[ColumnCount] = {q(t.name),
                                      verdict(t),
                                      looked ? verdict(*looked) : QString("–"),
                                      stepWords(t, p),
                                      broken ? QString(specOf(broken->criterion).words) : QString(),
                                      other ? stepWords(*other, p) : QString("–")};
  for (int c = 0; c < ColumnCount; ++c) {
    auto* item = new QTableWidgetItem(cells[c]);
    if (c == Breaks && broken) item->setToolTip(q(wordsOf(view_.measure().stress[broken->step])));
    table_->setItem(row, c, item);
  }
}

}  // namespace edge::app
