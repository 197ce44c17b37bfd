#include "widgets/region_editor.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

namespace edge::app {
namespace {

constexpr double kReach = 9;       // pixels around a handle
constexpr double kKnobAbove = 22;  // the turning knob stands off the upper edge
constexpr double kTurnStep = 0.5;  // degrees a key
constexpr double kSmallest = 4;    // reference pixels: smaller is a click, no rectangle

double distance(const QPointF& a, const QPointF& b) {
  return std::hypot(a.x() - b.x(), a.y() - b.y());
}

}  // namespace

RegionEditor::RegionEditor(QWidget* parent) : PictureView(parent) {
  setFocusPolicy(Qt::StrongFocus);
}

void RegionEditor::setOutlines(std::vector<EditOutline> outlines, int selected) {
  outlines_ = std::move(outlines);
  selected_ = selected < static_cast<int>(outlines_.size()) ? selected : -1;
  grip_ = Grip::None;
  update();
}

void RegionEditor::startDrawing(const QString& what) {
  drawing_ = true, drawingWhat_ = what;
  setCursor(Qt::CrossCursor);
  setFocus();
  update();
}

void RegionEditor::stopDrawing() {
  drawing_ = false, grip_ = Grip::None;
  unsetCursor();
  update();
}

QPointF RegionEditor::cornerAt(int outline, int corner) const {
  return toWidget(outlines_[static_cast<size_t>(outline)].corners[static_cast<size_t>(corner)]);
}

QPointF RegionEditor::turnKnob(int outline) const {
  const QPointF a = cornerAt(outline, 0), b = cornerAt(outline, 1), c = cornerAt(outline, 3);
  QPointF up = a - c;
  const double length = std::max(1.0, std::hypot(up.x(), up.y()));
  up *= kKnobAbove / length;
  const QPointF knob = (a + b) / 2 + up;
  // Kept where a hand can reach it.
  return {std::clamp(knob.x(), 8.0, width() - 8.0), std::clamp(knob.y(), 8.0, height() - 8.0)};
}

RegionEditor::Grip RegionEditor::gripAt(const QPointF& p, int* outline, int* corner) const {
  const auto tryOutline = [&](int i) {
    for (int k = 0; k < 4; ++k)
      if (distance(cornerAt(i, k), p) <= kReach) return *outline = i, *corner = k, Grip::Corner;
    if (i == selected_ && distance(turnKnob(i), p) <= kReach) return *outline = i, Grip::Turn;
    QPolygonF polygon;
    for (int k = 0; k < 4; ++k) polygon << cornerAt(i, k);
    return polygon.containsPoint(p, Qt::OddEvenFill) ? (*outline = i, Grip::Body) : Grip::None;
  };
  if (selected_ >= 0)
    if (const Grip g = tryOutline(selected_); g != Grip::None) return g;
  for (int i = 0; i < static_cast<int>(outlines_.size()); ++i)
    if (const Grip g = tryOutline(i); g != Grip::None) return g;
  return Grip::None;
}

Quad RegionEditor::inside(const Quad& q) const {
  // Moved back as a whole first, so that its form is kept where it can be.
  double x0 = 1e9, x1 = -1e9, y0 = 1e9, y1 = -1e9;
  for (const auto& c : q) {
    x0 = std::min(x0, c.x), x1 = std::max(x1, c.x);
    y0 = std::min(y0, c.y), y1 = std::max(y1, c.y);
  }
  const auto back = [](double low, double high, double size) {
    return high - low > size ? 0.0 : low < 0 ? -low : high > size ? size - high : 0.0;
  };
  Quad out = moved(q, back(x0, x1, referenceWidth()), back(y0, y1, referenceHeight()));
  for (auto& c : out) c = {std::clamp(c.x, 0.0, referenceWidth()), std::clamp(c.y, 0.0, referenceHeight())};
  return out;
}

void RegionEditor::select(int outline) {
  if (selected_ == outline) return;
  selected_ = outline;
  emit selectionChanged(outline);
  update();
}

void RegionEditor::mousePressEvent(QMouseEvent* event) {
  setFocus();
  from_ = now_ = event->position();
  moved_ = false;
  if (drawing_ || event->button() != Qt::LeftButton || !hasPicture()) return;
  int outline = -1;
  grip_ = gripAt(from_, &outline, &corner_);
  select(grip_ == Grip::None ? -1 : outline);
  if (outline >= 0) before_ = outlines_[static_cast<size_t>(outline)].corners;
}

void RegionEditor::mouseMoveEvent(QMouseEvent* event) {
  now_ = event->position();
  if (drawing_) return update();
  if (grip_ == Grip::None || !(event->buttons() & Qt::LeftButton)) return PictureView::mouseMoveEvent(event);
  moved_ = true;
  const Point a = toReference(from_), b = toReference(now_);
  Quad q = before_;
  if (grip_ == Grip::Body) {
    q = inside(moved(before_, b.x - a.x, b.y - a.y));
  } else if (grip_ == Grip::Corner) {
    q[static_cast<size_t>(corner_)] = {
        std::clamp(before_[static_cast<size_t>(corner_)].x + b.x - a.x, 0.0, referenceWidth()),
        std::clamp(before_[static_cast<size_t>(corner_)].y + b.y - a.y, 0.0, referenceHeight())};
    if (!isConvex(q)) return;
  } else {
    const QPointF m = toWidget(middleOf(before_));
    const double turn =
        std::atan2(now_.y() - m.y(), now_.x() - m.x()) - std::atan2(from_.y() - m.y(), from_.x() - m.x());
    q = inside(turned(before_, turn * 180 / 3.14159265358979));
  }
  outlines_[static_cast<size_t>(selected_)].corners = q;
  emit moving(selected_, q);
  update();
}

void RegionEditor::mouseReleaseEvent(QMouseEvent*) {
  if (drawing_) {
    const Quad q = inside(uprightFrom(toReference(from_), toReference(now_)));
    stopDrawing();
    if (q[1].x - q[0].x >= kSmallest && q[2].y - q[1].y >= kSmallest) emit drawn(q);
    return;
  }
  if (grip_ == Grip::None || !moved_) return;
  const QString how = grip_ == Grip::Corner ? "corner dragged" : grip_ == Grip::Body ? "moved" : "turned";
  grip_ = Grip::None;
  emit edited(selected_, Quad(outlines_[static_cast<size_t>(selected_)].corners), how);
}

void RegionEditor::nudge(const Quad& to, const QString& how) {
  const Quad q = inside(to);
  outlines_[static_cast<size_t>(selected_)].corners = q;
  emit edited(selected_, q, how);
  update();
}

void RegionEditor::keyPressEvent(QKeyEvent* event) {
  const int n = static_cast<int>(outlines_.size());
  const double step = event->modifiers() & Qt::ShiftModifier ? 10 : 1;
  if (drawing_ && event->key() == Qt::Key_Escape) return stopDrawing();
  if (n > 0 && (event->key() == Qt::Key_Space)) return select((selected_ + 1) % n);
  if (selected_ < 0) return PictureView::keyPressEvent(event);
  const Quad& q = outlines_[static_cast<size_t>(selected_)].corners;
  switch (event->key()) {
    case Qt::Key_Left:
      return nudge(moved(q, -step, 0), "moved");
    case Qt::Key_Right:
      return nudge(moved(q, step, 0), "moved");
    case Qt::Key_Up:
      return nudge(moved(q, 0, -step), "moved");
    case Qt::Key_Down:
      return nudge(moved(q, 0, step), "moved");
    case Qt::Key_Comma:
      return nudge(turned(q, -kTurnStep * step), "turned");
    case Qt::Key_Period:
      return nudge(turned(q, kTurnStep * step), "turned");
    case Qt::Key_Delete:
      emit removeWanted(selected_);
      return;
    default:
      PictureView::keyPressEvent(event);
  }
}

void RegionEditor::paintEvent(QPaintEvent* event) {
  PictureView::paintEvent(event);
  if (!hasPicture()) return;
  QPainter p(this);
  p.setRenderHint(QPainter::Antialiasing);
  const Theme& t = currentTheme();
  for (int i = 0; i < static_cast<int>(outlines_.size()); ++i) {
    QPolygonF polygon;
    for (int k = 0; k < 4; ++k) polygon << cornerAt(i, k);
    const bool chosen = i == selected_;
    p.setBrush(Qt::NoBrush);
    p.setPen(QPen(Qt::black, chosen ? 4 : 3));
    p.drawPolygon(polygon);
    p.setPen(QPen(chosen ? t.accent : QColor(0xd0, 0xd0, 0xd0), chosen ? 2 : 1.2));
    p.drawPolygon(polygon);
    for (int k = 0; k < 4; ++k) {
      p.setPen(QPen(Qt::black, 1));
      p.setBrush(chosen ? t.accent : QColor(0xd0, 0xd0, 0xd0));
      // The first corner is the chart's own beginning: square, the others round.
      const QRectF dot(cornerAt(i, k) - QPointF(4, 4), QSizeF(8, 8));
      k == 0 ? p.drawRect(dot) : p.drawEllipse(dot);
    }
    if (!chosen) continue;
    p.setPen(QPen(t.accent, 1));
    p.drawLine((cornerAt(i, 0) + cornerAt(i, 1)) / 2, turnKnob(i));
    p.setBrush(t.accent);
    p.setPen(QPen(Qt::black, 1));
    p.drawEllipse(turnKnob(i), 5, 5);
  }
  if (!drawing_) return;
  p.setPen(t.text);
  p.setFont(typeface(size::kBody, true));
  p.fillRect(QRectF(0, 0, width(), 26), QColor(0, 0, 0, 170));
  p.setPen(QColor(0xe8, 0xe8, 0xe8));
  p.drawText(QRectF(8, 0, width() - 16, 26), Qt::AlignVCenter | Qt::AlignLeft,
             "Drag from corner to corner: " + drawingWhat_ + ". Esc leaves it.");
  if (from_ != now_) {
    p.setPen(QPen(t.accent, 2));
    p.setBrush(Qt::NoBrush);
    p.drawRect(QRectF(from_, now_).normalized());
  }
}

}  // namespace edge::app
