#include "review/look_canvas.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <array>
#include <cmath>

namespace edge::app {
namespace {

constexpr int kGutter = 4;
constexpr double kGrab = 8;       // pixels from the line within which it is taken hold of
constexpr double kDisplay = 2.4;  // exponent of the display (ITU-R BT.1886)
constexpr int kMostZoom = 3;

}  // namespace

QString wordOf(LookWay way) {
  static const char* const kWords[kLookWays] = {"side by side", "divided", "in place", "difference"};
  return kWords[static_cast<int>(way)];
}

LookCanvas::LookCanvas(QWidget* parent) : QWidget(parent), theme_(edge::app::theme(ThemeKind::Dark)) {
  setMinimumSize(320, 180);
  setMouseTracking(true);
  setFocusPolicy(Qt::ClickFocus);
  setAccessibleName("Pictures that are compared");
}

void LookCanvas::setPanes(std::vector<LookPane> panes) {
  panes_ = std::move(panes);
  shown_ = panes_.empty() ? 0 : std::min(shown_, static_cast<int>(panes_.size()) - 1);
  update();
}

void LookCanvas::setWay(LookWay way) {
  way_ = way, update();
  emit changed();
}
void LookCanvas::setZoom(int zoom) {
  zoom_ = std::clamp(zoom, 0, kMostZoom), update();
  emit changed();
}
void LookCanvas::setLift(int stops) {
  lift_ = stops, update();
  emit changed();
}
void LookCanvas::setChannel(int channel) {
  channel_ = channel, update();
  emit changed();
}
void LookCanvas::setGain(int gain) {
  gain_ = gain, update();
  emit changed();
}
void LookCanvas::setCaptions(bool on) {
  captions_ = on, update();
}
void LookCanvas::setTheme(const Theme& t) {
  theme_ = t, update();
}

void LookCanvas::setCentre(const QPointF& c) {
  centre_ = {std::clamp(c.x(), 0.0, 1.0), std::clamp(c.y(), 0.0, 1.0)};
  update();
}

void LookCanvas::showNext() {
  if (panes_.empty()) return;
  shown_ = (shown_ + 1) % static_cast<int>(panes_.size());
  update();
}

void LookCanvas::turnLine(double degrees) {
  angle_ = std::fmod(angle_ + degrees + 360, 180);
  update();
}

void LookCanvas::moveLine(double share) {
  place_ = std::clamp(share, 0.0, 1.0);
  update();
}

QString LookCanvas::treatment() const {
  QStringList words;
  if (lift_ > 0) words << QString("lifted by %1 stops").arg(lift_);
  static const char* const kChannels[] = {"red alone", "green alone", "blue alone"};
  if (channel_ >= 0) words << kChannels[channel_];
  return words.join(" · ");
}

const QImage* LookCanvas::first() const {
  for (const auto& p : panes_)
    if (!p.image.isNull()) return &p.image;
  return nullptr;
}

QRectF LookCanvas::roomOf(size_t pane) const {
  const QRectF all = rect();
  const auto n = static_cast<int>(panes_.size());
  if (way_ != LookWay::Side || n < 2) return all;
  const int columns = n == 2 && all.height() > 1.2 * all.width() ? 1 : 2, rows = (n + columns - 1) / columns;
  const double w = (all.width() - kGutter * (columns - 1)) / columns,
               h = (all.height() - kGutter * (rows - 1)) / rows;
  const auto i = static_cast<int>(pane);
  return {all.left() + (w + kGutter) * (i % columns), all.top() + (h + kGutter) * (i / columns), w, h};
}

// What of the picture is seen in a room, and where: fitted, or around the centre. Real pixels of the screen:
// a dense screen magnifies nothing by itself.
LookCanvas::Part LookCanvas::partOf(const QImage& image, const QRectF& room) const {
  const QSizeF size = image.size();
  if (zoom_ == 0) {
    QSizeF fitted = size.scaled(room.size(), Qt::KeepAspectRatio);
    return {room, QRectF(QPointF(0, 0), size),
            QRectF(room.center() - QPointF(fitted.width() / 2, fitted.height() / 2), fitted)};
  }
  const double scale = zoom_ / devicePixelRatioF();
  const QPointF middle(centre_.x() * size.width(), centre_.y() * size.height());
  const QRectF wanted(middle - QPointF(room.width() / 2 / scale, room.height() / 2 / scale),
                      room.size() / scale);
  // Whole pixels of the picture.
  const QRectF source = QRectF(wanted.toAlignedRect()).intersected(QRectF(QPointF(0, 0), size));
  const QPointF at = room.topLeft() + (source.topLeft() - wanted.topLeft()) * scale;
  return {room, source, QRectF(at, source.size() * scale)};
}

// The part as pixels of the screen, treated.
QImage LookCanvas::seen(const QImage& image, const Part& part) const {
  QImage out = image.copy(part.source.toRect());
  if (zoom_ == 0) {
    const QSize size = (part.target.size() * devicePixelRatioF()).toSize();
    if (size.width() < out.width()) out = out.scaled(size, Qt::IgnoreAspectRatio, Qt::SmoothTransformation);
  }
  out = out.convertToFormat(QImage::Format_RGB888);
  treat(out);
  return out;
}

// Lifted in light, as the display shows it; then one channel as grey.
void LookCanvas::treat(QImage& image) const {
  if (lift_ == 0 && channel_ < 0) return;
  std::array<uchar, 256> table{};
  for (int v = 0; v < 256; ++v) {
    const double light = std::pow(v / 255.0, kDisplay) * std::exp2(lift_);
    table[static_cast<size_t>(v)] =
        static_cast<uchar>(std::lround(255 * std::pow(std::min(1.0, light), 1 / kDisplay)));
  }
  for (int y = 0; y < image.height(); ++y) {
    uchar* row = image.scanLine(y);
    for (int x = 0; x < image.width(); ++x, row += 3) {
      if (channel_ >= 0) row[0] = row[1] = row[2] = row[channel_];
      for (int c = 0; c < 3; ++c) row[c] = table[row[c]];
    }
  }
}

void LookCanvas::paintCaption(QPainter& p, const QRectF& room, const QString& words, bool right) const {
  if (words.isEmpty()) return;
  p.setFont(typeface(size::kSmall));
  const QString cut = p.fontMetrics().elidedText(words, Qt::ElideMiddle, static_cast<int>(room.width()) - 24);
  const double w = p.fontMetrics().horizontalAdvance(cut) + 12;
  const QRectF box(right ? room.right() - w - 4 : room.left() + 4, room.bottom() - 24, w, 20);
  QColor back = theme_.window;
  back.setAlpha(215);
  p.fillRect(box, back);
  p.setPen(theme_.text);
  p.drawText(box, Qt::AlignCenter, cut);
}

void LookCanvas::paintPane(QPainter& p, size_t i, const QRectF& room, bool caption) {
  const LookPane& pane = panes_[i];
  if (pane.image.isNull()) {
    p.setFont(typeface(size::kBody));
    p.setPen(theme_.quiet);
    p.drawText(room.adjusted(16, 16, -16, -16), Qt::AlignCenter | Qt::TextWordWrap, pane.message);
    return;
  }
  const Part part = partOf(pane.image, room);
  p.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ == 0);
  p.drawImage(part.target, seen(pane.image, part));
  if (!caption) return;
  const QString done = treatment();
  paintCaption(p, room, done.isEmpty() ? pane.caption : pane.caption + " · " + done);
}

// The second minus the first, about a grey that means none.
void LookCanvas::paintDifference(QPainter& p, const QRectF& room) {
  if (panes_.size() < 2 || panes_[0].image.isNull() || panes_[1].image.isNull()) {
    for (size_t i = 0; i < std::min<size_t>(2, panes_.size()); ++i)
      if (panes_[i].image.isNull()) return paintPane(p, i, room, true);
    p.setPen(theme_.quiet);
    p.drawText(room, Qt::AlignCenter, "choose two pictures");
    return;
  }
  const Part part = partOf(panes_[0].image, room);
  const QImage a = seen(panes_[0].image, part);
  QImage b = seen(panes_[1].image, partOf(panes_[1].image, room));
  if (b.size() != a.size())
    b = b.scaled(a.size(), Qt::IgnoreAspectRatio, Qt::SmoothTransformation)
            .convertToFormat(QImage::Format_RGB888);
  for (int y = 0; y < b.height(); ++y) {
    const uchar* first = a.constScanLine(y);
    uchar* second = b.scanLine(y);
    for (int x = 0; x < 3 * b.width(); ++x)
      second[x] = static_cast<uchar>(std::clamp(128 + gain_ * (second[x] - first[x]), 0, 255));
  }
  p.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ == 0);
  p.drawImage(part.target, b);
}

// Of the dividing line, through its place on the way across, as far as it can be seen.
QLineF LookCanvas::line() const {
  const double turn = angle_ * M_PI / 180;
  const QPointF along(std::cos(turn), std::sin(turn)), across(along.y(), -along.x());
  const QPointF middle = QRectF(rect()).center();
  const double reach = std::abs(across.x()) * width() / 2 + std::abs(across.y()) * height() / 2;
  // From left to right, or from top to bottom.
  const double sign = across.x() + across.y() >= 0 ? 1 : -1;
  const QPointF at = middle + across * sign * reach * (2 * place_ - 1);
  const double far = width() + height();
  return {at - along * far, at + along * far};
}

bool LookCanvas::nearLine(const QPointF& at) const {
  if (way_ != LookWay::Divided) return false;
  const QLineF l = line();
  const QPointF d = l.p2() - l.p1();
  return std::abs(d.x() * (at.y() - l.y1()) - d.y() * (at.x() - l.x1())) / l.length() < kGrab;
}

void LookCanvas::paintAll(QPainter& p, bool captions) {
  p.fillRect(rect(), theme_.window);
  if (panes_.empty()) {
    p.setPen(theme_.quiet);
    p.drawText(rect(), Qt::AlignCenter, "Choose what to look at.");
    return;
  }
  const QRectF all = rect();
  switch (way_) {
    case LookWay::Side:
      for (size_t i = 0; i < panes_.size(); ++i) {
        p.save();
        p.setClipRect(roomOf(i));
        paintPane(p, i, roomOf(i), captions);
        p.restore();
      }
      return;
    case LookWay::InPlace:
      return paintPane(p, static_cast<size_t>(shown_), all, captions);
    case LookWay::Difference:
      paintDifference(p, all);
      if (captions && panes_.size() > 1)
        paintCaption(p, all,
                     QString("%1 minus %2, times %3; grey is no difference%4")
                         .arg(panes_[1].caption, panes_[0].caption)
                         .arg(gain_)
                         .arg(treatment().isEmpty() ? "" : " · " + treatment()));
      return;
    case LookWay::Divided:
      break;
  }
  paintPane(p, 0, all, captions);
  if (panes_.size() < 2) return;
  const QLineF l = line();
  const QPointF d = l.p2() - l.p1(), normal(-d.y(), d.x());
  // The second stands right of an upright line, below a level one.
  const double sign = normal.x() + normal.y() >= 0 ? 1 : -1;
  QPainterPath beyond;
  beyond.addPolygon(QPolygonF{l.p1(), l.p2(), l.p2() + normal * sign, l.p1() + normal * sign});
  p.save();
  p.setClipPath(beyond);
  p.fillRect(rect(), theme_.window);
  paintPane(p, 1, all, false);
  p.restore();
  p.setRenderHint(QPainter::Antialiasing);
  p.setPen(QPen(theme_.accent, 1.5));
  p.drawLine(l);
  if (captions) paintCaption(p, all, panes_[1].caption, true);
}

void LookCanvas::paintEvent(QPaintEvent*) {
  QPainter p(this);
  paintAll(p, captions_);
}

QImage LookCanvas::asSeen() {
  QImage out((QSizeF(size()) * devicePixelRatioF()).toSize(), QImage::Format_RGB888);
  out.setDevicePixelRatio(devicePixelRatioF());
  QPainter p(&out);
  paintAll(p, true);
  return out;
}

void LookCanvas::mousePressEvent(QMouseEvent* event) {
  from_ = event->position();
  onLine_ = nearLine(from_);
}

void LookCanvas::mouseMoveEvent(QMouseEvent* event) {
  const QPointF at = event->position();
  if (!(event->buttons() & Qt::LeftButton)) {
    setCursor(nearLine(at) ? Qt::SplitHCursor : zoom_ > 0 ? Qt::OpenHandCursor : Qt::ArrowCursor);
    return;
  }
  if (onLine_) {
    const double turn = angle_ * M_PI / 180;
    QPointF across(std::sin(turn), -std::cos(turn));
    if (across.x() + across.y() < 0) across = -across;
    const double reach = std::abs(across.x()) * width() / 2 + std::abs(across.y()) * height() / 2;
    const QPointF off = at - QRectF(rect()).center();
    moveLine(0.5 + (off.x() * across.x() + off.y() * across.y()) / (2 * reach));
    emit changed();
    return;
  }
  if (const QImage* image = first(); image && zoom_ > 0) {
    const double scale = zoom_ / devicePixelRatioF();
    const QPointF by = (from_ - at) / scale;
    from_ = at;
    setCentre(centre_ + QPointF(by.x() / image->width(), by.y() / image->height()));
    emit changed();
  }
}

void LookCanvas::wheelEvent(QWheelEvent* event) {
  const int before = zoom_;
  setZoom(zoom_ + (event->angleDelta().y() > 0 ? 1 : -1));
  if (zoom_ != before) emit changed();
  event->accept();
}

}  // namespace edge::app
