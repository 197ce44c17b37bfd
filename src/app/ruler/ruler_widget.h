// The shared stop ruler. Hover or arrow keys read what stands on it; Enter or a click selects a row or a
// take.
#pragma once
#include <QWidget>

#include "ruler/ruler.h"

namespace edge::app {

class RulerWidget : public QWidget {
  Q_OBJECT
 public:
  explicit RulerWidget(QWidget* parent = nullptr);

  void setData(RulerData data);
  void setTheme(const Theme& theme);
  void setRowHeight(double height);
  [[nodiscard]] const RulerData& data() const { return data_; }
  [[nodiscard]] QString readingText() const { return reading_; }
  [[nodiscard]] QSize sizeHint() const override;
  [[nodiscard]] QSize minimumSizeHint() const override;

 signals:
  void rowChosen(int row);
  void markChosen(int row, const QString& name, int id);
  // Let go at these stops, having been moved.
  void markDropped(int id, double at);
  void cellChosen(int row, int cell);
  void reading(const QString& words);
  // The rows are drawn along under the scale, by stops since it was taken hold of; then let go.
  void zeroDragged(double by);
  void zeroDropped(double by);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void leaveEvent(QEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  [[nodiscard]] QRectF area() const;
  [[nodiscard]] double lostToScrollBar() const;
  [[nodiscard]] bool onScale(const QPointF& at) const;
  [[nodiscard]] int rowAt(double y) const;
  void showReading(const QString& words);
  void updateAccessibleText();
  [[nodiscard]] int cellNear(const RulerRow& row, double x) const;
  void stepCell(int rows, int cells);
  void chooseCell(int row, int cell);

  RulerData data_;
  RulerLayout layout_;
  Theme theme_;
  QString reading_;
  double hoverX_ = -1;
  std::optional<double> heldAt_;                       // stops at which the scale was taken hold of
  std::optional<std::pair<size_t, size_t>> heldMark_;  // row and mark
  bool markMoved_ = false;
  int item_ = -1;  // of readableItems, by keyboard
};

}  // namespace edge::app
