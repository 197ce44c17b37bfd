// Outlines on a picture that can be dragged by their corners, moved, turned and nudged: charts as a whole and
// single objects. Every finished change is told once; the owner decides what it means.
#pragma once
#include "chart/place.h"
#include "widgets/picture_view.h"

namespace edge::app {

struct EditOutline {
  QString name;
  Quad corners{};
};

class RegionEditor : public PictureView {
  Q_OBJECT
 public:
  explicit RegionEditor(QWidget* parent = nullptr);

  void setOutlines(std::vector<EditOutline> outlines, int selected);
  [[nodiscard]] int selected() const { return selected_; }
  // The next drag draws an upright rectangle from corner to corner.
  void startDrawing(const QString& what);
  [[nodiscard]] bool drawing() const { return drawing_; }
  void stopDrawing();
  // Where a corner stands in the widget, for tests.
  [[nodiscard]] QPointF cornerAt(int outline, int corner) const;
  [[nodiscard]] QPointF turnKnob(int outline) const;

 signals:
  void selectionChanged(int outline);
  void moving(int outline, const Quad& corners);  // while dragged
  void edited(int outline, const Quad& corners, const QString& how);
  void drawn(const Quad& corners);
  void removeWanted(int outline);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;
  void mouseReleaseEvent(QMouseEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  enum class Grip { None, Corner, Body, Turn };
  [[nodiscard]] Grip gripAt(const QPointF& p, int* outline, int* corner) const;
  [[nodiscard]] Quad inside(const Quad& q) const;
  void select(int outline);
  void nudge(const Quad& to, const QString& how);

  std::vector<EditOutline> outlines_;
  int selected_ = -1, corner_ = 0;
  Grip grip_ = Grip::None;
  QPointF from_, now_;
  Quad before_{};
  bool drawing_ = false, moved_ = false;
  QString drawingWhat_;
};

}  // namespace edge::app
