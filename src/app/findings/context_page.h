// Bodies and modes beside each other with what a choice also weighs, typed by a person. Nothing that judges
// looks at it.
#pragma once
#include <QLabel>
#include <QTableWidget>

#include "report/context.h"
#include "shell/stage.h"

namespace edge::app {

class ContextPage : public QWidget {
  Q_OBJECT
 public:
  explicit ContextPage(Document& document, QWidget* parent = nullptr);
  [[nodiscard]] std::vector<Command> commands();
  void sortBy(int column, Qt::SortOrder order);
  [[nodiscard]] QTableWidget& table() { return *table_; }

 signals:
  void failed(const QString& problem, const QString& where, const QString& remedy);
  void done(const QString& words);
  void doorWanted(Door door);

 private:
  void refresh();
  void edited(QTableWidgetItem* item);
  void copyTable();

  Document& document_;
  QTableWidget* table_;
  Inviting* inviting_;
  std::vector<ContextRow> rows_;  // in the order of the table
  int sorted_ = -1;               // as tested
  Qt::SortOrder order_ = Qt::AscendingOrder;
};

}  // namespace edge::app
