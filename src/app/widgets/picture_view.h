// A picture in a neutral surround, fitted or at 100 %, with outlined regions. Regions' outlines speak by
// pattern.
#pragma once
#include <QImage>
#include <QWidget>
#include <vector>

#include "image/region.h"
#include "recover/picture.h"
#include "theme/tokens.h"

namespace edge::app {

struct PictureRegion {
  Quad corners{};  // in pixels of the picture's reference raster
  QString name, words;
  Qt::PenStyle pen = Qt::SolidLine;
  bool selected = false;
  Qt::BrushStyle fill = Qt::NoBrush;
  QString below = {};  // a word at its foot, where there is room
};

class PictureView : public QWidget {
  Q_OBJECT
 public:
  explicit PictureView(QWidget* parent = nullptr);

  void setPicture(const Picture& picture, const QString& caption);
  void clearPicture(const QString& message);
  void setRegions(std::vector<PictureRegion> regions, double referenceWidth, double referenceHeight);
  void setTheme(const Theme& theme);
  void setActualSize(bool on);
  // What lies in the middle at 100 %, as shares of the picture: views that look at the same thing share it.
  void setCentre(const QPointF& centre);
  [[nodiscard]] bool hasPicture() const { return !image_.isNull(); }
  [[nodiscard]] QSize sizeHint() const override { return QSize(420, 240); }

 signals:
  void regionChosen(const QString& name);
  void centreMoved(const QPointF& centre);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;
  void mouseMoveEvent(QMouseEvent* event) override;

  // Where the picture lies in the widget, and points of the reference raster there.
  [[nodiscard]] QRectF pictureRect() const;
  [[nodiscard]] QPointF toWidget(const Point& p) const;
  [[nodiscard]] Point toReference(const QPointF& p) const;
  [[nodiscard]] const Theme& currentTheme() const { return theme_; }
  [[nodiscard]] double referenceWidth() const { return referenceWidth_; }
  [[nodiscard]] double referenceHeight() const { return referenceHeight_; }

 private:
  [[nodiscard]] const PictureRegion* regionAt(const QPointF& position) const;
  [[nodiscard]] QPolygonF polygonOf(const PictureRegion& region) const;

  QImage image_;
  QString caption_, message_;
  std::vector<PictureRegion> regions_;
  double referenceWidth_ = 1, referenceHeight_ = 1;
  bool actualSize_ = false;
  QPointF centre_ = {0.5, 0.5};  // share of the picture in the middle, at 100 %
  QPointF dragFrom_;
  Theme theme_;
};

}  // namespace edge::app
