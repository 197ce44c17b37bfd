// All about one cell of the board: settings, light, proof, forecast, side effects; or why there is no take.
#pragma once
#include <QTextBrowser>

#include "plan/planner.h"

namespace edge::app {

class TakePanel : public QTextBrowser {
  Q_OBJECT
 public:
  explicit TakePanel(QWidget* parent = nullptr);
  void show(const Planned* planned, int row, int cell);
  void showTake(const Planned& planned, size_t take);
};

}  // namespace edge::app
