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
  // A horizontal line with words at its right end. Draggable lines count from 0 in the order they are added.
  void addLevel(double y, const QString& words, bool draggable);
  // The corner that the curves leave free.
  void setLegendCorner(Qt::Alignment corner);
  // Axes without data say nothing: they are hidden.
  void clearAll();
  // What was changed is drawn once a turn, while somebody sees it. A hidden plot keeps no picture: those of
  // all pages were half of what the window held.
  void drawSoon();
  [[nodiscard]] const Theme& currentTheme() const { return theme_; }
  // Where a draggable line stands in the widget, for tests and tooltips. nullopt: none.
  [[nodiscard]] std::optional<double> draggablePixel(size_t line = 0) const;
  void copyPicture() const;

 signals:
  void levelDragged(double y, int line);
  void levelDropped(double y, int line);

 protected:
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void contextMenuEvent(QContextMenuEvent* event) override;
  void showEvent(QShowEvent* event) override;
  void hideEvent(QHideEvent* event) override;
  void resizeEvent(QResizeEvent* event) override;

 private:
  Theme theme_;
  bool stale_ = true;  // to be drawn when it is shown
  [[nodiscard]] std::optional<size_t> lineNear(double y) const;
  std::vector<double> draggable_;
  std::optional<size_t> dragging_;
  size_t chosen_ = 0;  // by the keyboard
};

}  // namespace edge::app
