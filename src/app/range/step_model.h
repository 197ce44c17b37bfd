// The steps of a wedge as a table: class by pattern and word, SNR, and its noise taken apart. Copyable.
#pragma once
#include <QAbstractTableModel>
#include <QSize>

#include "shell/document.h"

namespace edge::app {

class StepModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  explicit StepModel(Document& document, QObject* parent = nullptr);

  static constexpr QSize kSwatch{22, 12};  // the pattern of a state
  enum Column { Name, Stops, State, Snr, Moving, Fixed, Rows, Columns, ColumnCount };
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  void refresh();
  void setInk(const QColor& ink);  // of the patterns
  [[nodiscard]] QString stepAt(int row) const;
  [[nodiscard]] int rowOf(const QString& step) const;
  [[nodiscard]] QString asText() const;

 private:
  [[nodiscard]] const Finding* finding() const;
  [[nodiscard]] QString cell(size_t k, int column) const;
  Document& document_;
  QColor ink_;
};

}  // namespace edge::app
