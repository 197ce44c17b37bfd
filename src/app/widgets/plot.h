// A plot in the clothes of the application: neutral, tabular figures, copyable. Horizontal lines can be
// dragged.
#pragma once
#include <qcustomplot.h>

#include "theme/tokens.h"

namespace edge::app {

class Plot : public QCustomPlot {
  Q_OBJECT
 public:
  explicit Plot(QWidget* parent = nullptr);

  void setTheme(const Theme& theme);
  void setAxes(const QString& x, const QString& y);
  QCPGraph* addCurve(const QString& name, const QColor& colour, const std::vector<double>& x,
                     const std::vector<double>& y, bool points = true);
  // A horizontal line with words at its right end.
  void addLevel(double y, const QString& words, bool draggable);
  // The corner that the curves leave free.
  void setLegendCorner(Qt::Alignment corner);
  // Axes without data say nothing: they are hidden.
  void clearAll();
  [[nodiscard]] const Theme& currentTheme() const { return theme_; }
  // Where a draggable line stands in the widget, for tests and tooltips. nullopt: none.
  [[nodiscard]] std::optional<double> draggablePixel() const;
  void copyPicture() const;

 signals:
  void levelDragged(double y);
  void levelDropped(double y);

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;

 private:
  Theme theme_;
  std::optional<double> draggable_;
  bool dragging_ = false;
};

}  // namespace edge::app
