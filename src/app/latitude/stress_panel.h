// How takes stand what a colourist does next: the first step of the stress grade that breaks them, beside the
// same take of the twin mode, and their verdict under the film's own look.
#pragma once
#include <QLabel>
#include <QPushButton>
#include <QTableWidget>

#include "latitude/bracket_view.h"

namespace edge::app {

class StressPanel : public QWidget {
  Q_OBJECT
 public:
  explicit StressPanel(Document& document, QWidget* parent = nullptr);
  void show(const BracketView& view);

 private:
  void fillRow(int row, const TakeMetrics& take, const TakeMetrics* underLook, const Finding* twin);
  void askForLook();

  Document& document_;
  BracketView view_;
  QLabel* words_;
  QPushButton *choose_, *none_;
  QTableWidget* table_;
};

}  // namespace edge::app
