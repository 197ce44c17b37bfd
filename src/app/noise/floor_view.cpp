#include "noise/floor_view.h"

#include <QHeaderView>
#include <QLabel>
#include <QPainter>
#include <QScrollArea>
#include <QVBoxLayout>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr int kRow = 24, kRulerRow = 46, kMostRuler = 290;
enum Column { Iso, ZoneName, Snr, Luma, ChromaNoise, Parts, Grain, Hue, ColumnCount };
constexpr const char* kHeads[ColumnCount] = {"ISO",    "Zone",    "SNR",   "L*",
                                             "a*, b*", "made of", "Grain", "Looks"};
constexpr int kWidths[ColumnCount] = {64, 70, 64, 58, 64, 190, 58, 200};

// In the order they are drawn: moving pixels, moving rows and columns, what stands.
struct Part {
  const char* words;
  Qt::BrushStyle pattern;
};
constexpr Part kParts[] = {{"moving pixels", Qt::SolidPattern},
                           {"moving rows", Qt::HorPattern},
                           {"moving columns", Qt::VerPattern},
                           {"fixed", Qt::BDiagPattern}};
constexpr int kPartsRole = Qt::UserRole + 1;

double square(const std::optional<double>& v) {
  return v && *v > 0 ? *v * *v : 0;
}

// Shares of the variance; what came out negative is below detection.
QVariantList sharesOf(const ZoneNoise& z) {
  const double parts[] = {z.temporal > 0 ? z.temporal * z.temporal : 0, square(z.row), square(z.column),
                          square(z.fixed) + square(z.fixedRow) + square(z.fixedColumn)};
  double all = 0;
  for (double p : parts) all += p;
  QVariantList shares;
  for (double p : parts) shares << (all > 0 ? p / all : 0.0);
  return shares;
}

QString partsWords(const ZoneNoise& z) {
  const QVariantList shares = sharesOf(z);
  QStringList words;
  for (int i = 0; i < shares.size(); ++i)
    if (shares[i].toDouble() >= 0.005)
      words << QString("%1 %2 %").arg(kParts[i].words).arg(100 * shares[i].toDouble(), 0, 'f', 0);
  if (!z.fixed) words << "fixed not told from fewer than eight frames";
  return words.join(", ");
}

RulerRow rowOf(const ZonesOfTake& t) {
  RulerRow row;
  row.label = QString("ISO %1").arg(t.iso, 0, 'f', 0);
  const auto &one = t.floorBelowGrey[0], &two = t.floorBelowGrey[1];
  if (!two) {
    row.note = "not told";
    return row;
  }
  row.note = q((two->atLeast ? "at least " : "") + formatNumber(two->stops, 1));
  double top = 3;
  bool open = true;
  if (t.floorBelowClip[1]) {
    top = t.floorBelowClip[1]->stops - two->stops;
    open = false;
  }
  row.bars.push_back(
      {-two->stops, top, Pattern::Solid, two->atLeast, open,
       QString("SNR 2 and more, down to %1 stops below grey").arg(q(formatNumber(two->stops, 2)))});
  if (one && !two->atLeast && one->stops > two->stops)
    row.bars.push_back(
        {-one->stops, -two->stops, Pattern::Hatched, one->atLeast, false,
         QString("SNR 1 to 2, down to %1 stops below grey").arg(q(formatNumber(one->stops, 2)))});
  if (!two->atLeast) row.edges.push_back({-two->stops, two->sigma, false, false, "floor, SNR 2"});
  return row;
}

}  // namespace

void PartsDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                          const QModelIndex& index) const {
  const QVariantList shares = index.data(kPartsRole).toList();
  if (shares.isEmpty()) return QStyledItemDelegate::paint(painter, option, index);
  painter->save();
  const QRectF area = QRectF(option.rect).adjusted(4, 6, -8, -6);
  double x = area.left();
  for (int i = 0; i < shares.size(); ++i) {
    const double width = area.width() * shares[i].toDouble();
    const QRectF part(x, area.top(), width, area.height());
    painter->fillRect(part, QBrush(theme_.solid, kParts[i].pattern));
    x += width;
  }
  painter->setPen(QPen(theme_.rule, 1));
  painter->drawRect(area);
  painter->restore();
}

FloorView::FloorView(Document& document, QWidget* parent) : NoisePageView(document, parent) {
  ruler_ = new RulerWidget(this);
  ruler_->setRowHeight(kRulerRow);
  auto* room = new QScrollArea(this);
  room->setWidgetResizable(true);
  room->setFrameShape(QFrame::NoFrame);
  room->setWidget(ruler_);
  room->setMaximumHeight(kMostRuler);
  room->setFocusPolicy(Qt::NoFocus);
  table_ = new QTableWidget(this);
  table_->setObjectName("floor");
  table_->setAccessibleName("What the noise of each zone and ISO is made of");
  table_->setEditTriggers(QAbstractItemView::NoEditTriggers);
  table_->setSelectionBehavior(QAbstractItemView::SelectRows);
  table_->setShowGrid(false);
  table_->verticalHeader()->hide();
  table_->verticalHeader()->setDefaultSectionSize(kRow);
  table_->setColumnCount(ColumnCount);
  for (int c = 0; c < ColumnCount; ++c) {
    table_->setHorizontalHeaderItem(c, new QTableWidgetItem(kHeads[c]));
    table_->setColumnWidth(c, kWidths[c]);
  }
  table_->horizontalHeader()->setStretchLastSection(true);
  table_->horizontalHeader()->setHighlightSections(false);
  table_->horizontalHeader()->setDefaultAlignment(Qt::AlignLeft | Qt::AlignVCenter);
  parts_ = new PartsDelegate(this);
  table_->setItemDelegateForColumn(Parts, parts_);
  auto* legend = new QLabel(
      "Solid: moving pixels · lines across: rows, upright: columns · hatched: what stands still", this);
  legend->setObjectName("quiet");
  auto* column = new QVBoxLayout(this);
  column->setContentsMargins(0, 0, 0, 0);
  column->setSpacing(size::kGrid);
  column->addWidget(room, 2);
  column->addWidget(legend);
  column->addWidget(table_, 3);
}

void FloorView::setTheme(const Theme& t) {
  ruler_->setTheme(t);
  parts_->setTheme(t);
}

void FloorView::show(const NoiseFinding* finding) {
  RulerData d;
  table_->setRowCount(0);
  if (finding && finding->ladder) {
    for (const auto& t : finding->ladder->takes) d.rows.push_back(rowOf(t));
    fillTable(*finding->ladder);
  }
  if (d.rows.empty()) d.rows = {RulerRow{"Floor", "not measured", {}, {}, {}, false}};
  ruler_->setData(d);
}

void FloorView::fillTable(const LadderMeasure& ladder) {
  for (const auto& t : ladder.takes)
    for (const auto& z : t.zones) {
      const int row = table_->rowCount();
      table_->insertRow(row);
      const QString cells[ColumnCount] = {
          z.zone == Zone::Shadow ? QString::number(t.iso) : QString(),
          wordOf(z.zone),
          z.snr[kY] ? q(formatNumber(*z.snr[kY], 1))
                    : QString(z.doubt == ZoneDoubt::None ? "–" : specOf(z.doubt).brief),
          z.seen ? q(formatNumber(z.seen->luma, 2)) : QString("–"),
          z.seen ? q(formatNumber(z.seen->chroma, 2)) : QString("–"),
          QString(),
          z.grainPx ? q(formatNumber(*z.grainPx, 1)) + " px" : QString("–"),
          q(z.hue) + (z.hue.empty() ? ""
                      : z.still     ? ", still"
                                    : ", dancing")};
      for (int c = 0; c < ColumnCount; ++c) {
        auto* item = new QTableWidgetItem(cells[c]);
        if (c == Parts) {
          item->setData(kPartsRole, sharesOf(z));
          item->setData(Qt::AccessibleTextRole, partsWords(z));
          item->setToolTip(partsWords(z));
        }
        table_->setItem(row, c, item);
      }
    }
}

}  // namespace edge::app
