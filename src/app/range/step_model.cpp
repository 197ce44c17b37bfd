#include "range/step_model.h"

#include <QPainter>
#include <cmath>

#include "base/numbers.h"
#include "range/state_look.h"
#include "theme/text.h"
#include "widgets/plain_icon.h"

namespace edge::app {
namespace {

constexpr const char* kTitles[] = {"Step", "Stops", "Class", "SNR", "Moving", "Fixed", "Rows", "Columns"};
constexpr const char* kHints[] = {
    "",
    "from the brightest, calibrated",
    "by its luma and its channels' ends",
    "luma, per pixel",
    "noise that moves, in per cent of the level; \"not seen\" is below detection",
    "noise that stands; wants 8 frames; \"not seen\" is below detection",
    "noise in rows, moving and standing",
    "noise in columns, moving and standing"};

// A variance in per cent of the level; below detection is said, never shown as nought.
QString percent(double variance, double level) {
  if (!(variance > 0)) return "not seen";
  if (!(level > 0)) return "-";
  const double p = 100 * std::sqrt(variance) / level;
  return q(formatNumber(p, p < 10 ? 2 : p < 100 ? 1 : 0)) + " %";
}

double positive(const std::optional<double>& v) {
  return std::max(0.0, v.value_or(0));
}

}  // namespace

StepModel::StepModel(Document& document, QObject* parent)
    : QAbstractTableModel(parent), document_(document) {}

const Finding* StepModel::finding() const {
  const Finding* f = document_.current();
  return f && f->range && f->wedge ? f : nullptr;
}

void StepModel::refresh() {
  beginResetModel();
  endResetModel();
}

void StepModel::setInk(const QColor& ink) {
  ink_ = ink;
}

int StepModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() || !finding() ? 0 : static_cast<int>(finding()->wedge->patches.size());
}

int StepModel::columnCount(const QModelIndex&) const {
  return ColumnCount;
}

QString StepModel::cell(size_t k, int column) const {
  const Finding& f = *finding();
  const PatchMeasure& p = f.wedge->patches[k];
  const ChannelMeasure& y = p.channel[kY];
  const double level = f.range->channel[kY].slope * std::exp2(p.stops);
  switch (column) {
    case Name:
      return q(p.name);
    case Stops:
      return q(formatSigned(p.stops, 2));
    case State:
      return stateWord(f.range->states[k]);
    case Snr:
      return snrWord(*f.range, k);
    case Moving:
      return percent(y.variance - y.quantisationVariance, level);
    case Fixed:
      return y.fixedVariance ? percent(*y.fixedVariance, level) : "too few";
    case Rows:
      return percent(std::max(0.0, y.rowVariance) + positive(y.fixedRowVariance), level);
    default:
      return percent(std::max(0.0, y.columnVariance) + positive(y.fixedColumnVariance), level);
  }
}

QVariant StepModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const auto k = static_cast<size_t>(index.row());
  if (role == Qt::DisplayRole || role == Qt::ToolTipRole) return cell(k, index.column());
  if (role == Qt::DecorationRole && index.column() == State) {
    const PatchState s = finding()->range->states[k];
    QPixmap swatch(kSwatch);
    swatch.fill(Qt::transparent);
    QPainter p(&swatch);
    p.setPen(QPen(ink_, 1, statePen(s)));
    p.setBrush(QBrush(ink_, stateFill(s)));
    p.drawRect(0, 0, kSwatch.width() - 1, kSwatch.height() - 1);
    p.end();
    return plainIcon(swatch);
  }
  if (role == Qt::TextAlignmentRole && index.column() != State) return int(Qt::AlignRight | Qt::AlignVCenter);
  return {};
}

QVariant StepModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal) return {};
  if (role == Qt::DisplayRole) return kTitles[section];
  return role == Qt::ToolTipRole ? QVariant(kHints[section]) : QVariant();
}

QString StepModel::stepAt(int row) const {
  return row >= 0 && row < rowCount() ? q(finding()->wedge->patches[static_cast<size_t>(row)].name)
                                      : QString();
}

int StepModel::rowOf(const QString& step) const {
  for (int r = 0; r < rowCount(); ++r)
    if (stepAt(r) == step) return r;
  return -1;
}

QString StepModel::asText() const {
  QStringList titles, lines;
  for (const char* t : kTitles) titles << t;
  lines << titles.join('\t');
  for (int r = 0; r < rowCount(); ++r) {
    QStringList cells;
    for (int c = 0; c < ColumnCount; ++c) cells << cell(static_cast<size_t>(r), c);
    lines << cells.join('\t');
  }
  return lines.join('\n') + '\n';
}

}  // namespace edge::app
