#include "range/compare_model.h"

#include "base/numbers.h"
#include "report/range_compare.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr const char* kTitles[] = {"Configuration", "Range",    "Against reference", "Above grey",
                                   "Below grey",    "To SNR 1", "To SNR 10",         "Claimed",
                                   "Counted",       "Flags"};

std::optional<Limit> lumaTo(const Finding& f, double snr) {
  const auto& m = f.range->channel[kY].range;
  const auto i = m.find(snr);
  return i == m.end() ? std::nullopt : std::optional(i->second);
}

}  // namespace

CompareModel::CompareModel(Document& document, QObject* parent)
    : QAbstractTableModel(parent), document_(document) {}

void CompareModel::refresh() {
  beginResetModel();
  reference_ = std::clamp(reference_, 0, std::max(0, rowCount() - 1));
  endResetModel();
}

int CompareModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(document_.findings().size());
}

int CompareModel::columnCount(const QModelIndex&) const {
  return ColumnCount;
}

QString CompareModel::cell(int row, int column) const {
  const Finding& f = at(row);
  if (column == Name) return q(f.configuration.label());
  if (column == Claim) return f.claimStops ? q(formatNumber(*f.claimStops, 1)) : QString();
  if (column == Count) return f.ownCount ? QString::number(*f.ownCount) : QString();
  if (!f.range) return column == Range ? QString("not measured") : QString();
  switch (column) {
    case Range:
      return q(limitFigure(f.range->headline));
    case Difference:
      if (row == reference_) return "reference";
      return at(reference_).range ? q(wordsOf(difference(f.range->headline, at(reference_).range->headline)))
                                  : QString("reference not measured");
    case Above:
      return q(limitFigure(f.range->aboveGrey));
    case Below:
      return q(limitFigure(f.range->belowGrey));
    case Snr1:
      return q(limitFigure(lumaTo(f, 1)));
    case Snr10:
      return q(limitFigure(lumaTo(f, 10)));
    default: {
      QStringList flags;
      for (const auto& w : f.range->warnings)
        if (const QString words = q(w.code).replace('-', ' '); !flags.contains(words)) flags << words;
      return flags.join(", ");
    }
  }
}

QVariant CompareModel::data(const QModelIndex& index, int role) const {
  if (!index.isValid() || index.row() >= rowCount()) return {};
  if (role == Qt::DisplayRole || role == Qt::EditRole) return cell(index.row(), index.column());
  if (role == Qt::ToolTipRole) {
    const Finding& f = at(index.row());
    if (index.column() == Claim) return q(claimWords(f));
    if (index.column() == Count) return q(countWords(f));
    return cell(index.row(), index.column());
  }
  if (role == Qt::CheckStateRole && index.column() == Name)
    return out_.count(at(index.row()).configuration.id) ? Qt::Unchecked : Qt::Checked;
  if (role == Qt::TextAlignmentRole && index.column() != Name && index.column() != Note)
    return int(Qt::AlignRight | Qt::AlignVCenter);
  return {};
}

bool CompareModel::setData(const QModelIndex& index, const QVariant& value, int role) {
  if (role == Qt::CheckStateRole) {
    toggle(index.row());
    return true;
  }
  if (role != Qt::EditRole || (index.column() != Claim && index.column() != Count)) return false;
  const std::string text = value.toString().trimmed().toStdString();
  const auto number = parseNumber(text);
  if (!text.empty() && (!number || *number <= 0 || *number >= 200)) return false;
  document_.setCurrent(index.row());
  if (index.column() == Claim)
    document_.setClaim(number);
  else
    document_.setOwnCount(number ? std::optional(static_cast<int>(*number)) : std::nullopt);
  return true;
}

Qt::ItemFlags CompareModel::flags(const QModelIndex& index) const {
  Qt::ItemFlags f = QAbstractTableModel::flags(index);
  if (index.column() == Name) f |= Qt::ItemIsUserCheckable;
  if (index.column() == Claim || index.column() == Count) f |= Qt::ItemIsEditable;
  return f;
}

QVariant CompareModel::headerData(int section, Qt::Orientation orientation, int role) const {
  return orientation == Qt::Horizontal && role == Qt::DisplayRole ? QVariant(kTitles[section]) : QVariant();
}

void CompareModel::setReference(int row) {
  if (row < 0 || row >= rowCount()) return;
  reference_ = row;
  emit dataChanged(index(0, 0), index(rowCount() - 1, ColumnCount - 1));
}

void CompareModel::toggle(int row) {
  if (row < 0 || row >= rowCount()) return;
  const std::int64_t id = at(row).configuration.id;
  if (!out_.erase(id)) out_.insert(id);
  emit dataChanged(index(row, 0), index(row, ColumnCount - 1));
  emit chosenChanged();
}

std::vector<size_t> CompareModel::chosen() const {
  std::vector<size_t> rows;
  for (size_t i = 0; i < document_.findings().size(); ++i)
    if (document_.findings()[i].range && !out_.count(document_.findings()[i].configuration.id))
      rows.push_back(i);
  return rows;
}

QString CompareModel::asText() const {
  QStringList titles, lines;
  for (const char* t : kTitles) titles << t;
  lines << titles.join('\t');
  for (int r = 0; r < rowCount(); ++r) {
    QStringList cells;
    for (int c = 0; c < ColumnCount; ++c) cells << cell(r, c);
    lines << cells.join('\t');
  }
  return lines.join('\n') + '\n';
}

}  // namespace edge::app
