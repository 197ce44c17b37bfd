#include "latitude/take_table.h"

#include <algorithm>
#include <numeric>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
TakeModel::TakeModel(Document& document, QObject* parent) : QAbstractTableModel(parent), document_(document) {
  refresh();
}

void TakeModel::refresh() {
  beginResetModel();
  order_.clear();
  if (const Finding* f = document_.current(); f && f->latitude) {
    order_.resize(f->latitudeMeasure->takes.size());
    std::iota(order_.begin(), order_.end(), size_t{0});
    std::stable_sort(order_.begin(), order_.end(), [&](size_t a, size_t b) {
      return f->latitudeMeasure->takes[a].planned < f->latitudeMeasure->takes[b].planned;
    });
  }
  endResetModel();
}

int TakeModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(order_.size());
}
int TakeModel::columnCount(const QModelIndex&) const {
  return ColumnCount;
}

QString TakeModel::cell(size_t i, int column) const {
  const Finding& f = *document_.current();
  const TakeMetrics& t = f.latitudeMeasure->takes[i];
  const TakeVerdict &judged = f.latitude->judged[i], &tool = f.latitude->verdicts[i];
  switch (column) {
    case Name:
      return q(t.name);
    case Planned:
      return q(formatSigned(t.planned, 1));
    case Measured:
      return t.measured ? q(formatSigned(*t.measured, 2) + " ±" + formatNumber(std::max(0.01, t.sigma), 2))
                        : QString("unknown");
    case VerdictWord:
      return judged.verdict == tool.verdict
                 ? QString(wordOf(judged.verdict))
                 : QString("%1 (tool: %2)").arg(wordOf(judged.verdict), wordOf(tool.verdict));
    default: {
      QStringList reasons;
      if (t.measured && std::abs(*t.measured - t.planned) > 0.25)
        reasons << "not the exposure that was planned";
      if (std::abs(t.driftStops) > 0.03)
        reasons << QString("light drifts by %1 stops").arg(q(formatSigned(t.driftStops, 2)));
      for (const auto& r : tool.reasons) reasons << q(reasonWords(r));
      return reasons.join("; ");
    }
  }
}

QVariant TakeModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const size_t take = order_[static_cast<size_t>(index.row())];
  if (role == Qt::DisplayRole || role == Qt::ToolTipRole) return cell(take, index.column());
  if (role == Qt::TextAlignmentRole && (index.column() == Planned || index.column() == Measured))
    return int(Qt::AlignRight | Qt::AlignVCenter);
  return {};
}

QVariant TakeModel::headerData(int section, Qt::Orientation orientation, int role) const {
  static const char* const kTitles[ColumnCount] = {"Take", "Planned", "Measured", "Verdict", "Why"};
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
  return kTitles[section];
}

int TakeModel::rowOf(const QString& take) const {
  for (int r = 0; r < rowCount(); ++r)
    if (takeAt(r) == take) return r;
  return -1;
}

QString TakeModel::takeAt(int row) const {
  if (row < 0 || row >= rowCount()) return {};
  return q(document_.current()->latitudeMeasure->takes[order_[static_cast<size_t>(row)]].name);
}

QString TakeModel::asText() const {
  QStringList lines;
  lines << "take\tplanned\tmeasured\tverdict\twhy";
  for (size_t take : order_) {
    QStringList cells;
    for (int c = 0; c < ColumnCount; ++c) cells << cell(take, c);
    lines << cells.join('\t');
  }
  return lines.join('\n') + '\n';
}

}  // namespace edge::app
