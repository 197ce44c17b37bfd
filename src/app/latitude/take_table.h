// Takes of the current bracket, darkest first: exposure, effort, the verdict of each branch and of the
// person, how near each figure is to its limits, and why.
#pragma once
#include <QAbstractTableModel>
#include <QStyledItemDelegate>

#include "latitude/bracket_view.h"
#include "theme/tokens.h"

namespace edge::app {

class TakeModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  enum Column {
    Name,
    Planned,
    Measured,
    Effort,
    ByExposure,
    ByBalance,
    ByGrade,
    ByOffset,
    Own,
    Near,
    Reason,
    ColumnCount
  };
  explicit TakeModel(QObject* parent = nullptr) : QAbstractTableModel(parent) {}

  void show(BracketView view, const CriteriaProfile& profile);
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role = Qt::DisplayRole) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  [[nodiscard]] int rowOf(const QString& take) const;
  [[nodiscard]] QString takeAt(int row) const;
  [[nodiscard]] QString asText() const;  // tab separated, with a header

  // Each judged figure: 0 nothing wrong, 0.5 at the clean limit, 1 at the lost one or beyond.
  struct Nearness {
    QString words;
    double share = 0;
  };
  [[nodiscard]] std::vector<Nearness> nearness(int row) const;

 private:
  [[nodiscard]] QString cell(size_t take, int column) const;
  BracketView view_;
  CriteriaProfile profile_;
};

// Draws the nearness of a take as small bars against their two limits.
class NearnessDelegate : public QStyledItemDelegate {
  Q_OBJECT
 public:
  explicit NearnessDelegate(const TakeModel& model, QObject* parent = nullptr)
      : QStyledItemDelegate(parent), model_(model) {}
  void setTheme(const Theme& t) { theme_ = t; }
  void paint(QPainter* painter, const QStyleOptionViewItem& option, const QModelIndex& index) const override;

 private:
  const TakeModel& model_;
  Theme theme_ = theme(ThemeKind::Dark);
};

}  // namespace edge::app
