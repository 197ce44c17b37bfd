// The run list as a table.
#pragma once
#include <QAbstractTableModel>

#include "plan/planner.h"

namespace edge::app {

class RunModel : public QAbstractTableModel {
  Q_OBJECT
 public:
  explicit RunModel(Planner& planner, QObject* parent = nullptr);
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] int columnCount(const QModelIndex& = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] QVariant headerData(int section, Qt::Orientation orientation, int role) const override;
  void refresh();

 private:
  Planner& planner_;
};

// What is to be seen to before rolling; a tick keeps the time it was made.
class ChecklistModel : public QAbstractListModel {
  Q_OBJECT
 public:
  explicit ChecklistModel(Planner& planner, QObject* parent = nullptr);
  [[nodiscard]] int rowCount(const QModelIndex& parent = {}) const override;
  [[nodiscard]] QVariant data(const QModelIndex& index, int role) const override;
  [[nodiscard]] Qt::ItemFlags flags(const QModelIndex& index) const override;
  bool setData(const QModelIndex& index, const QVariant& value, int role) override;
  void refresh();
  [[nodiscard]] int ticked() const;

 private:
  Planner& planner_;
};

}  // namespace edge::app
