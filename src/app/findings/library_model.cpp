#include <algorithm>

#include "base/numbers.h"
#include "findings/library_page.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr TestedFigure kShown[] = {TestedFigure::Range, TestedFigure::Under, TestedFigure::Over,
                                   TestedFigure::Latitude};
enum Column { Date, Title, Configuration, FirstFigure };

// Of figures: the better first when falling; what is not known last either way.
std::optional<double> figureOf(const Tested* t, int column) {
  if (!t) return std::nullopt;
  const auto& l = (*t)[kShown[column - FirstFigure]];
  return l ? std::optional(l->stops) : std::nullopt;
}

std::string textOf(const LibraryProject& p, const Tested* t, int column) {
  return column == Date ? p.date : column == Title ? lower(p.title + p.file) : t ? lower(t->label()) : "";
}

}  // namespace

void LibraryModel::show(std::shared_ptr<const Library> library, const std::string& words) {
  beginResetModel();
  library_ = std::move(library), words_ = words;
  rows_ = library_ ? searchLibrary(*library_, words) : std::vector<LibraryRow>();
  endResetModel();
  sort(sorted_, order_);
}

const LibraryProject* LibraryModel::project(int row) const {
  return row >= 0 && row < static_cast<int>(rows_.size())
             ? &library_->projects[rows_[static_cast<size_t>(row)].project]
             : nullptr;
}

const Tested* LibraryModel::tested(int row) const {
  const LibraryProject* p = project(row);
  const auto& which = p ? rows_[static_cast<size_t>(row)].tested : std::nullopt;
  return which ? &p->tested[*which] : nullptr;
}

int LibraryModel::rowCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : static_cast<int>(rows_.size());
}
int LibraryModel::columnCount(const QModelIndex& parent) const {
  return parent.isValid() ? 0 : FirstFigure + static_cast<int>(std::size(kShown));
}

QVariant LibraryModel::headerData(int section, Qt::Orientation orientation, int role) const {
  if (orientation != Qt::Horizontal || role != Qt::DisplayRole) return {};
  static const char* names[] = {"Tested", "Project", "Configuration"};
  if (section < FirstFigure) return names[section];
  QString words = testedFigures()[static_cast<size_t>(kShown[section - FirstFigure])].words;
  words[0] = words[0].toUpper();
  return words;
}

QVariant LibraryModel::data(const QModelIndex& index, int role) const {
  const LibraryProject* p = project(index.row());
  if (!p || (role != Qt::DisplayRole && role != Qt::ToolTipRole)) return {};
  const Tested* t = tested(index.row());
  switch (index.column()) {
    case Date:
      return t && t->dateOfFile && role == Qt::ToolTipRole ? q(p->date) + ", of the file: nothing was logged"
                                                           : q(p->date);
    case Title:
      return role == Qt::ToolTipRole ? q(p->file) : p->title.empty() ? q(p->file) : q(p->title);
    case Configuration:
      return t ? q(t->label()) : p->problem.empty() ? QString("nothing was shot") : q(p->problem);
    default:
      break;
  }
  if (!t) return {};
  const auto figure = kShown[index.column() - FirstFigure];
  const auto& l = (*t)[figure];
  if (!l) return role == Qt::ToolTipRole ? "not measured" : "–";
  const QString words = q(limitFigure(l, testedFigures()[static_cast<size_t>(figure)].metered));
  return t->fits                   ? words
         : role == Qt::ToolTipRole ? words + ": of an earlier method, or its clips or charts changed since"
                                   : words + " *";
}

void LibraryModel::sort(int column, Qt::SortOrder order) {
  sorted_ = column, order_ = order;
  if (!library_) return;
  emit layoutAboutToBeChanged();
  const std::vector<LibraryRow> before = rows_;
  const bool falling = order == Qt::DescendingOrder;
  const auto testedOf = [&](const LibraryRow& r) {
    return r.tested ? &library_->projects[r.project].tested[*r.tested] : nullptr;
  };
  std::stable_sort(rows_.begin(), rows_.end(), [&](const LibraryRow& a, const LibraryRow& b) {
    if (column >= FirstFigure) {
      const auto x = figureOf(testedOf(a), column), y = figureOf(testedOf(b), column);
      if (!x || !y) return x.has_value() && !y;
      return falling ? *x > *y : *x < *y;
    }
    const auto x = textOf(library_->projects[a.project], testedOf(a), column),
               y = textOf(library_->projects[b.project], testedOf(b), column);
    return falling ? x > y : x < y;
  });
  // The chosen row stays chosen where it went.
  for (const QModelIndex& old : persistentIndexList())
    for (size_t i = 0; i < rows_.size(); ++i)
      if (rows_[i] == before[static_cast<size_t>(old.row())])
        changePersistentIndex(old, index(static_cast<int>(i), old.column()));
  emit layoutChanged();
}

}  // namespace edge::app
