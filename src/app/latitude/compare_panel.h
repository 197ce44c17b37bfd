// Every profile against every branch: latitude and its two edges, side by side.
#pragma once
#include <QTableWidget>

#include "latitude/bracket_view.h"

namespace edge::app {

class ComparePanel : public QTableWidget {
  Q_OBJECT
 public:
  explicit ComparePanel(QWidget* parent = nullptr);
  void show(const BracketView& view, const CriteriaProfile& own);
};

}  // namespace edge::app
