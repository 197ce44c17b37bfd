#include "range/compare_page.h"

#include <QHeaderView>
#include <QKeyEvent>
#include <QVBoxLayout>
#include <cmath>

#include "report/range_compare.h"
#include "shell/stage_keys.h"
#include "theme/text.h"
#include "widgets/when_seen.h"

namespace edge::app {
namespace {

// Colour is for channels: configurations are told apart by their dashes and points.
struct LineLook {
  QVector<double> dashes;
  QCPScatterStyle::ScatterShape shape;
};

LineLook lookOf(int i) {
  static const std::vector<LineLook> kLooks = {
      {{}, QCPScatterStyle::ssDisc},         {{6, 3}, QCPScatterStyle::ssSquare},
      {{2, 3}, QCPScatterStyle::ssTriangle}, {{8, 3, 2, 3}, QCPScatterStyle::ssDiamond},
      {{10, 4}, QCPScatterStyle::ssCross},   {{4, 2, 1, 2, 1, 2}, QCPScatterStyle::ssPlus},
      {{1, 2}, QCPScatterStyle::ssCircle},   {{12, 3, 1, 3}, QCPScatterStyle::ssStar}};
  return kLooks[static_cast<size_t>(i) % kLooks.size()];
}

}  // namespace

ComparePage::ComparePage(Document& document, QWidget* parent)
    : QWidget(parent), document_(document), model_(document) {
  snr_ = new Plot(this);
  snr_->setAccessibleName("Luma SNR over stops, all configurations taken in");
  isos_ = new QTextBrowser(this);
  isos_->setAccessibleName("What changes from ISO to ISO");
  table_ = new QTableView(this);
  table_->setModel(&model_);
  table_->setAccessibleName("Ranges compared");
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(24);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setSelectionMode(QAbstractItemView::SingleSelection);
  table_->setShowGrid(false);
  table_->setWordWrap(false);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setStretchLastSection(true);
  constexpr int kWidths[] = {228, 92, 136, 92, 92, 92, 92, 72, 72};
  for (int i = 0; i < 9; ++i) table_->setColumnWidth(i, kWidths[i]);
  table_->installEventFilter(this);
  table_->setProperty(StageKeys::kOwnLetters, true);
  table_->setMinimumHeight(112);
  setFocusProxy(table_);
  auto* top = new QHBoxLayout;
  top->setSpacing(size::kMargin);
  top->addWidget(snr_, 5);
  top->addWidget(isos_, 3);
  auto* hint = new QLabel(
      "Space takes a row in or out, R makes it the reference, double click types a claim or a count.", this);
  hint->setObjectName("quiet");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->addLayout(top, 4);
  column->addWidget(hint);
  column->addWidget(table_, 3);
  auto* seen = new WhenSeen(this, [this] { refresh(); });
  connect(&document_, &Document::findingsChanged, this, [this, seen] {
    model_.refresh();  // reads the document: must know its rows even unseen
    seen->changed();
  });
  connect(&document_, &Document::currentChanged, this, [this, seen] {
    if (isVisible())
      drawCurves();
    else
      seen->changed();
  });
  connect(&model_, &CompareModel::chosenChanged, this, [this] {
    drawCurves();
    emit chosenChanged();
  });
  connect(table_->selectionModel(), &QItemSelectionModel::currentRowChanged, this,
          [this](const QModelIndex& i) {
            if (i.isValid()) document_.setCurrent(i.row());
          });
  refresh();
}

void ComparePage::setTheme(const Theme& t) {
  snr_->setTheme(t);
  drawCurves();
}

bool ComparePage::eventFilter(QObject* watched, QEvent* event) {
  if (watched != table_ || event->type() != QEvent::KeyPress) return QWidget::eventFilter(watched, event);
  auto* key = static_cast<QKeyEvent*>(event);
  const int row = table_->currentIndex().row();
  if (key->matches(QKeySequence::Copy))
    QApplication::clipboard()->setText(model_.asText());
  else if (key->key() == Qt::Key_Space)
    model_.toggle(row);
  else if (key->key() == Qt::Key_R)
    model_.setReference(row);
  else
    return QWidget::eventFilter(watched, event);
  return true;
}

void ComparePage::refresh() {
  const int row = document_.currentIndex();
  if (row < model_.rowCount()) table_->selectRow(row);
  drawCurves();
  describeIsos();
}

void ComparePage::drawCurves() {
  const Theme& t = snr_->currentTheme();
  snr_->clearAll();
  double low = -1, high = 1, top = 1;
  int n = 0;
  for (const size_t i : model_.chosen()) {
    const Finding& f = document_.findings()[i];
    std::vector<double> x, y;
    for (size_t k = 0; k < f.wedge->patches.size(); ++k) {
      const double snr = f.range->channel[kY].snr[k];
      if (snr <= 0.05 || f.range->states[k] < PatchState::Intact) continue;
      x.push_back(f.wedge->patches[k].stops - f.range->greyStops.value_or(0)), y.push_back(std::log2(snr));
      low = std::min(low, x.back()), high = std::max(high, x.back()), top = std::max(top, y.back());
    }
    const LineLook look = lookOf(n++);
    const bool current = static_cast<int>(i) == document_.currentIndex();
    const QColor ink = current ? t.accent : t.text;
    QCPGraph* g = snr_->addCurve(q(shortLabel(f.configuration)), ink, x, y);
    QPen pen(ink, current ? 2.2 : 1.2);
    if (!look.dashes.isEmpty()) pen.setDashPattern(look.dashes);
    g->setPen(pen);
    g->setScatterStyle(QCPScatterStyle(look.shape, ink, QColor(Qt::transparent), 6));
  }
  if (n > 0) {
    const double counts = document_.rangeOptions().headlineSnr;
    for (const double s : {1.0, 2.0, 10.0})
      if (s != counts) snr_->addLevel(std::log2(s), QString("SNR %1").arg(s), false);
    snr_->addLevel(std::log2(counts), QString("counts: SNR %1").arg(counts), false);
    snr_->setAxes("stops from grey", "log2 luma SNR");
    snr_->xAxis->setRange(low - 0.5, high + 0.5);
    snr_->yAxis->setRange(-2, top + 0.5);
  }
  snr_->drawSoon();
}

void ComparePage::describeIsos() {
  QString html = "<p><b>From ISO to ISO</b></p>";
  const auto steps = isoSteps(document_.findings());
  if (steps.empty()) html += "<p>No two ISOs of one body and mode are measured.</p>";
  for (const IsoStep& s : steps) {
    const Configuration& c = document_.findings()[s.from].configuration;
    html += "<p>" + esc(c.body + " " + c.mode) + "<br>" + esc(s.words) + "</p>";
  }
  html +=
      "<p>Equal within error: less than two standard errors apart. Ranges are compared at one raster only: "
      "choose a "
      "delivery raster where cameras differ in theirs.</p>";
  isos_->setHtml(html);
}

}  // namespace edge::app
