#include "latitude/take_table.h"

#include <QPainter>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr const char* kTitles[TakeModel::ColumnCount] = {"Take",     "Planned", "Measured", "Effort",
                                                         "Exposure", "Balance", "Grade",    "Log offset",
                                                         "Yours",    "Near",    "Why"};

constexpr bool isNumber(int column) {
  return column == TakeModel::Planned || column == TakeModel::Measured || column == TakeModel::Effort;
}

// Half at the clean limit, whole at the lost one.
double shareOf(const CriterionSpec& spec, double value, const LimitPair& limit) {
  const double v = spec.is(kFalling) ? 1 - value : value;
  const double clean = spec.is(kFalling) ? 1 - limit.clean : limit.clean;
  const double lost = spec.is(kFalling) ? 1 - limit.lost : limit.lost;
  if (v <= clean) return clean > 0 ? std::max(0.0, v / clean / 2) : 0;
  return lost > clean ? std::min(1.0, 0.5 + (v - clean) / (lost - clean) / 2) : 1;
}

}  // namespace

void TakeModel::show(BracketView view, const CriteriaProfile& profile) {
  const bool same = view.order.size() == view_.order.size() && view.finding == view_.finding && view.finding;
  if (!same) beginResetModel();
  view_ = std::move(view);
  profile_ = profile;
  if (!same)
    endResetModel();
  else if (rowCount() > 0)
    emit dataChanged(index(0, 0), index(rowCount() - 1, ColumnCount - 1));
}

int TakeModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(view_.order.size());
}
int TakeModel::columnCount(const QModelIndex&) const {
  return ColumnCount;
}

QString TakeModel::cell(size_t i, int column) const {
  const TakeMetrics& t = view_.measure().takes[i];
  const LatitudeResult& headline = view_.results[0];
  switch (column) {
    case Name:
      return q(t.name);
    case Planned:
      return q(formatSigned(t.planned, 1));
    case Measured:
      return t.measured ? q(formatSigned(*t.measured, 2) + " ±" + formatNumber(std::max(0.01, t.sigma), 2))
                        : QString("unknown");
    case Effort: {
      const TakeMetrics* m = view_.measure().of(i, view_.branch);
      return m && m->measured ? q(formatNumber(m->solved.effort, 2)) : QString("–");
    }
    case ByExposure:
    case ByBalance:
    case ByGrade:
    case ByOffset: {
      const auto branch = static_cast<Branch>(column - ByExposure);
      const bool solved = view_.measure().of(i, branch);
      return solved ? QString(wordOf(view_.results[static_cast<size_t>(branch)].verdicts[i].verdict))
                    : QString("–");
    }
    case Own: {
      const bool person =
          headline.judged[i].cause.person || headline.judged[i].verdict != headline.verdicts[i].verdict;
      return person ? QString(wordOf(headline.judged[i].verdict)) : QString();
    }
    case Near:
      return {};
    default: {
      QStringList reasons;
      const TakeMetrics& m = view_.take(i);
      if (!m.solved.atBound.empty()) {
        QStringList names;
        for (const auto& p : m.solved.atBound) names << q(p);
        reasons << "the match was luck: at its bound are " + names.join(", ");
      }
      if (t.measured && std::abs(*t.measured - t.planned) > kMislabelled)
        reasons << "not the exposure that was planned";
      if (std::abs(t.driftStops) > kDrift)
        reasons << QString("light drifts by %1 stops").arg(q(formatSigned(t.driftStops, 2)));
      for (const auto& r : view_.result().verdicts[i].reasons) reasons << q(reasonWords(r));
      return reasons.join("; ");
    }
  }
}

QVariant TakeModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  const size_t take = view_.order[static_cast<size_t>(index.row())];
  if (index.column() == Near && (role == Qt::ToolTipRole || role == Qt::AccessibleTextRole)) {
    QStringList lines;
    for (const auto& n : nearness(index.row())) lines << n.words;
    return lines.join("\n");
  }
  if (role == Qt::DisplayRole || role == Qt::ToolTipRole) return cell(take, index.column());
  if (role == Qt::TextAlignmentRole && isNumber(index.column()))
    return int(Qt::AlignRight | Qt::AlignVCenter);
  return {};
}

QVariant TakeModel::headerData(int section, Qt::Orientation orientation, int role) const {
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
  return q(view_.measure().takes[view_.order[static_cast<size_t>(row)]].name);
}

std::vector<TakeModel::Nearness> TakeModel::nearness(int row) const {
  std::vector<Nearness> list;
  if (row < 0 || row >= rowCount()) return list;
  const TakeMetrics& t = view_.take(view_.order[static_cast<size_t>(row)]);
  for (const auto& spec : criteria()) {
    const auto value = spec.value(t, profile_.delivery);
    const LimitPair& limit = profile_[spec.id];
    if (!value || !limit.judges() || !judges(spec, t)) continue;
    list.push_back(
        {QString("%1 %2%3, clean to %4, lost beyond %5")
             .arg(spec.words, q(formatNumber(*value, 2)), *spec.unit ? QString(" ") + spec.unit : QString(),
                  q(formatNumber(limit.clean, 2)), q(formatNumber(limit.lost, 2))),
         shareOf(spec, *value, limit)});
  }
  return list;
}

QString TakeModel::asText() const {
  QStringList lines, head;
  for (const char* title : kTitles) head << title;
  lines << head.join('\t');
  for (int r = 0; r < rowCount(); ++r) {
    QStringList cells;
    for (int c = 0; c < ColumnCount; ++c)
      cells << (c == Near ? data(index(r, c), Qt::ToolTipRole).toString().replace("\n", "; ")
                          : cell(view_.order[static_cast<size_t>(r)], c));
    lines << cells.join('\t');
  }
  return lines.join('\n') + '\n';
}

void NearnessDelegate::paint(QPainter* painter, const QStyleOptionViewItem& option,
                             const QModelIndex& index) const {
  QStyledItemDelegate::paint(painter, option, index);
  constexpr double kWidth = 9, kBetween = 4;
  QRectF room = QRectF(option.rect).adjusted(6, 3, -4, -3);
  room.setHeight(std::min(room.height(), 16.0));
  painter->save();
  double x = room.left();
  for (const auto& n : model_.nearness(index.row())) {
    const QRectF box(x, room.top(), kWidth, room.height());
    const QRectF bar(box.left(), box.bottom() - n.share * box.height(), kWidth, n.share * box.height());
    // Up to the clean limit solid, between the two hatched, at the lost one hollow: as on the ruler.
    if (n.share <= 0.5)
      painter->fillRect(bar, theme_.solid);
    else if (n.share < 1)
      painter->fillRect(bar, QBrush(theme_.solid, Qt::BDiagPattern));
    painter->setPen(QPen(n.share > 0.5 ? theme_.solid : theme_.rule, 1));
    painter->drawRect(n.share > 0.5 ? bar : box);
    painter->setPen(QPen(theme_.quiet, 1));
    painter->drawLine(QPointF(box.left() - 1, box.center().y()), QPointF(box.right() + 2, box.center().y()));
    x += kWidth + kBetween;
  }
  painter->restore();
}

}  // namespace edge::app
