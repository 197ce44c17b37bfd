// One criterion of all takes over stops, with its two limits as lines that can be dragged: every verdict
// follows. Or the way skin turns in a*, b* from take to take.
#pragma once
#include <QComboBox>
#include <QLabel>

#include "latitude/bracket_view.h"
#include "widgets/plot.h"

namespace edge::app {

class CriteriaPanel : public QWidget {
  Q_OBJECT
 public:
  explicit CriteriaPanel(Document& document, QWidget* parent = nullptr);

  void show(const BracketView& view);
  void setTheme(const Theme& theme);
  [[nodiscard]] Criterion criterion() const;
  void choose(Criterion criterion);
  void chooseSkinPath();

 private:
  void replot();
  void plotCriterion();
  void plotSkinPath();
  void setDelivery(int row);
  void setLimit(double y, int line);

  Document& document_;
  BracketView view_;
  QComboBox *which_, *at_;
  QLabel* words_;
  Plot* plot_;
};

}  // namespace edge::app
