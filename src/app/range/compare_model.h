// Configurations beside each other: taken in or not, range with error, difference to a reference, the parts,
// claim and own count, typed in.
#pragma once
#include <QAbstractTableModel>
#include <set>

#include "shell/document.h"

namespace edge::app {

class CompareModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  explicit CompareModel(Document& document, QObject* parent = nullptr);

  enum Column { Name, Range, Difference, Above, Below, Snr1, Snr10, Claim, Count, Note, ColumnCount };
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;

  void refresh();
  void setReference(int row);
  void toggle(int row);
  [[nodiscard]] int reference() const { return reference_; }
  [[nodiscard]] std::vector<size_t> chosen() const;  // rows taken in, in their order
  [[nodiscard]] QString cell(int row, int column) const;
  [[nodiscard]] QString asText() const;

 signals:
  void chosenChanged();

 private:
  [[nodiscard]] const Finding& at(int row) const { return document_.findings()[static_cast<size_t>(row)]; }
  Document& document_;
  std::set<std::int64_t> out_;  // configurations taken out by hand
  int reference_ = 0;
};

}  // namespace edge::app
