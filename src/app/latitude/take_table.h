// The takes of a bracket as a table: planned, measured, verdict, reasons. Copyable.
#pragma once
#include <QAbstractTableModel>

#include "shell/document.h"

namespace edge::app {

class TakeModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  explicit TakeModel(Document& document, QObject* parent = nullptr);

  enum Column { Name, Planned, Measured, VerdictWord, Reason, ColumnCount };
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  void refresh();
  // Row of a take and back, in the order of exposure.
  [[nodiscard]] int rowOf(const QString& take) const;
  [[nodiscard]] QString takeAt(int row) const;
  [[nodiscard]] QString asText() const;

 private:
  [[nodiscard]] QString cell(size_t take, int column) const;
  Document& document_;
  std::vector<size_t> order_;
};

}  // namespace edge::app
