// The chart's greys of base and take laid over each other after bring-back: where they match there is one
// line.
#pragma once
#include "latitude/bracket_view.h"
#include "widgets/plot.h"

namespace edge::app {

class TracePanel : public QWidget {
  Q_OBJECT
 public:
  explicit TracePanel(QWidget* parent = nullptr);
  void show(const BracketView& view, const QString& take);
  void setTheme(const Theme& theme);

 private:
  void replot();
  BracketView view_;
  QString take_;
  Plot* plot_;
};

}  // namespace edge::app
