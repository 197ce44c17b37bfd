// Problems and cautions of the plan, worst first, with what to do about each as buttons.
#pragma once
#include <QScrollArea>
#include <QVBoxLayout>

#include "plan/planner.h"
#include "theme/tokens.h"

namespace edge::app {

class ProblemRow;

class ProblemList : public QScrollArea {
  Q_OBJECT
 public:
  explicit ProblemList(Planner& planner, QWidget* parent = nullptr);
  void refresh();
  [[nodiscard]] QStringList texts() const;  // as shown, top to bottom

 private:
  Planner& planner_;
  QVBoxLayout* column_;
  std::vector<ProblemRow*> rows_;
};

}  // namespace edge::app
