#include "widgets/picture_view.h"

#include <QMouseEvent>
#include <QPainter>

namespace edge::app {

PictureView::PictureView(QWidget* parent) : QWidget(parent), theme_(theme(ThemeKind::Dark)) {
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Expanding);
  setMinimumSize(160, 90);
  setMouseTracking(true);
}

void PictureView::setPicture(const Picture& p, const QString& caption) {
  image_ = QImage(p.rgb.data(), p.width, p.height, 3 * p.width, QImage::Format_RGB888).copy();
  caption_ = caption, message_.clear();
  setAccessibleName(caption);
  update();
}

void PictureView::clearPicture(const QString& message) {
  image_ = QImage();
  message_ = message;
  setAccessibleName(message);
  update();
}

void PictureView::setRegions(std::vector<PictureRegion> regions, double width, double height) {
  regions_ = std::move(regions);
  referenceWidth_ = width, referenceHeight_ = height;
  update();
}

void PictureView::setTheme(const Theme& t) {
  theme_ = t;
  update();
}

void PictureView::setActualSize(bool on) {
  actualSize_ = on;
  update();
}

void PictureView::setCentre(const QPointF& centre) {
  centre_ = centre;
  update();
}

QRectF PictureView::pictureRect() const {
  if (image_.isNull()) return {};
  const QRectF room = QRectF(rect()).adjusted(0, 0, 0, caption_.isEmpty() ? 0 : -20);
  if (actualSize_) {
    const double ratio = devicePixelRatioF();
    const QSizeF s = QSizeF(image_.size()) / ratio;
    return QRectF(room.center() - QPointF(s.width() * centre_.x(), s.height() * centre_.y()), s);
  }
  const QSizeF s = QSizeF(image_.size()).scaled(room.size(), Qt::KeepAspectRatio);
  return QRectF(room.left() + (room.width() - s.width()) / 2, room.top() + (room.height() - s.height()) / 2,
                s.width(), s.height());
}

QPointF PictureView::toWidget(const Point& p) const {
  const QRectF area = pictureRect();
  return {area.left() + p.x / referenceWidth_ * area.width(),
          area.top() + p.y / referenceHeight_ * area.height()};
}

Point PictureView::toReference(const QPointF& p) const {
  const QRectF area = pictureRect();
  if (area.isEmpty()) return {};
  return {(p.x() - area.left()) / area.width() * referenceWidth_,
          (p.y() - area.top()) / area.height() * referenceHeight_};
}

QPolygonF PictureView::polygonOf(const PictureRegion& r) const {
  QPolygonF polygon;
  for (const auto& c : r.corners) polygon << toWidget(c);
  return polygon;
}

void PictureView::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme_.window);
  p.setPen(theme_.quiet);
  p.setFont(typeface(size::kSmall));
  if (image_.isNull()) {
    p.drawText(rect().adjusted(8, 0, -8, 0), Qt::AlignCenter | Qt::TextWordWrap, message_);
    return;
  }
  const QRectF area = pictureRect();
  p.save();
  p.setClipRect(rect().adjusted(0, 0, 0, -20));
  p.setRenderHint(QPainter::SmoothPixmapTransform, !actualSize_);
  p.drawImage(area, image_);
  p.setRenderHint(QPainter::Antialiasing);
  for (const auto& r : regions_) {
    const QPolygonF polygon = polygonOf(r);
    p.setPen(QPen(Qt::black, r.selected ? 4 : 2.5));
    p.drawPolygon(polygon);
    if (r.fill != Qt::NoBrush) {
      p.setPen(Qt::NoPen);
      p.setBrush(QBrush(QColor(0, 0, 0, 110), r.fill));
      p.drawPolygon(polygon);
      p.setBrush(QBrush(QColor(0xd0, 0xd0, 0xd0, 70), r.fill));
      p.drawPolygon(polygon.translated(1, 1));
      p.setBrush(Qt::NoBrush);
    }
    p.setPen(QPen(r.selected ? theme_.accent : QColor(0xd0, 0xd0, 0xd0), r.selected ? 2.5 : 1, r.pen));
    p.drawPolygon(polygon);
    const QRectF box = polygon.boundingRect();
    if (box.width() < 22) continue;
    p.setFont(typeface(11));
    const QRectF tag(box.left() + 2, box.top() + 2, p.fontMetrics().horizontalAdvance(r.name) + 6, 15);
    p.fillRect(tag, QColor(0, 0, 0, 150));
    p.setPen(QColor(0xe0, 0xe0, 0xe0));
    p.drawText(tag, Qt::AlignCenter, r.name);
    const QRectF foot(box.left() + 1, box.bottom() - 16, p.fontMetrics().horizontalAdvance(r.below) + 6, 15);
    if (r.below.isEmpty() || foot.width() > box.width() || box.height() < 34) continue;
    p.fillRect(foot, QColor(0, 0, 0, 150));
    p.drawText(foot, Qt::AlignCenter, r.below);
  }
  p.restore();
  p.setPen(theme_.quiet);
  const double left = std::max(2.0, area.left());
  const double room = width() - left - 2;
  p.drawText(QRectF(left, std::min(area.bottom() + 2.0, height() - 18.0), room, 18),
             Qt::AlignLeft | Qt::AlignVCenter,
             p.fontMetrics().elidedText(caption_ + (actualSize_ ? "  ·  100 %" : ""), Qt::ElideRight,
                                        static_cast<int>(room)));
}

const PictureRegion* PictureView::regionAt(const QPointF& position) const {
  for (const auto& r : regions_)
    if (polygonOf(r).containsPoint(position, Qt::OddEvenFill)) return &r;
  return nullptr;
}

// What a choice changes may be the regions themselves: a copy of the name is handed over.
void PictureView::mousePressEvent(QMouseEvent* event) {
  dragFrom_ = event->position();
  if (const auto* r = regionAt(event->position())) emit regionChosen(QString(r->name));
}

void PictureView::mouseMoveEvent(QMouseEvent* event) {
  if (actualSize_ && (event->buttons() & Qt::LeftButton) && !image_.isNull()) {
    const QPointF moved = event->position() - dragFrom_;
    const QSizeF s = pictureRect().size();
    centre_ = QPointF(std::clamp(centre_.x() - moved.x() / s.width(), 0.0, 1.0),
                      std::clamp(centre_.y() - moved.y() / s.height(), 0.0, 1.0));
    dragFrom_ = event->position();
    update();
    emit centreMoved(centre_);
    return;
  }
  const auto* r = regionAt(event->position());
  setToolTip(r ? r->words : image_.isNull() ? QString() : caption_);  // whole, where its room is short
}

}  // namespace edge::app
