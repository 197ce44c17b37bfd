#include "ruler/ruler_widget.h"

#include <QAbstractScrollArea>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <cmath>

#include "base/numbers.h"

namespace edge::app {
namespace {
constexpr double kZeroStep = 1.0 / 3;  // stops, of a key
}

RulerWidget::RulerWidget(QWidget* parent) : QWidget(parent), theme_(theme(ThemeKind::Dark)) {
  setMouseTracking(true);
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName("Stop ruler");
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void RulerWidget::setData(RulerData data) {
  data_ = std::move(data);
  item_ = -1, heldMark_.reset();
  updateAccessibleText();
  updateGeometry();
  update();
}

void RulerWidget::setTheme(const Theme& t) {
  theme_ = t;
  update();
}

void RulerWidget::setRowHeight(double height) {
  layout_.rowHeight = height;
  updateGeometry();
}

QSize RulerWidget::sizeHint() const {
  return QSize(900,
               static_cast<int>(layout_.heightFor(static_cast<int>(std::max<size_t>(1, data_.rows.size())))));
}

QSize RulerWidget::minimumSizeHint() const {
  return QSize(480, sizeHint().height());
}

QRectF RulerWidget::area() const {
  return QRectF(rect()).adjusted(0, 0, -1, 0);
}

// One scale wherever it stands: what a scroll bar takes is taken from the margin.
double RulerWidget::lostToScrollBar() const {
  const auto* viewport = parentWidget();
  const auto* room = viewport ? qobject_cast<QAbstractScrollArea*>(viewport->parentWidget()) : nullptr;
  return room ? std::clamp<double>(room->width() - width(), 0, RulerLayout().right) : 0;
}

int RulerWidget::rowAt(double y) const {
  const int row = static_cast<int>(std::floor((y - layout_.scaleHeight) / layout_.rowHeight));
  return row >= 0 && row < static_cast<int>(data_.rows.size()) ? row : -1;
}

void RulerWidget::paintEvent(QPaintEvent* event) {
  QPainter p(this);
  p.setClipRect(event->rect());
  p.fillRect(rect(), theme_.window);
  layout_.right = RulerLayout().right - lostToScrollBar();
  paintRuler(p, area(), data_, layout_, theme_);
  if (hoverX_ >= 0) {
    p.setPen(QPen(theme_.accent, 1));
    p.drawLine(QPointF(hoverX_, layout_.scaleHeight - 8), QPointF(hoverX_, height() - 4));
    const QString text = QString::fromStdString(formatSigned(layout_.stops(area(), hoverX_) - data_.zero, 1));
    p.setFont(typeface(size::kSmall, true));
    const double w = p.fontMetrics().horizontalAdvance(text) + 8;
    const QRectF box(std::clamp(hoverX_ - w / 2, 0.0, width() - w), 0, w, 17);
    p.fillRect(box, theme_.accent);
    p.setPen(theme_.onAccent);
    p.drawText(box, Qt::AlignCenter, text);
  }
  if (hasFocus()) {
    p.setPen(QPen(theme_.accent, 1));
    p.drawRect(rect().adjusted(0, 0, -1, -1));
  }
}

bool RulerWidget::onScale(const QPointF& at) const {
  return data_.zeroMoves && at.y() < layout_.scaleHeight && at.x() > layout_.left;
}

void RulerWidget::mouseReleaseEvent(QMouseEvent* event) {
  if (heldMark_) {
    const auto [row, mark] = *heldMark_;
    heldMark_.reset();
    if (markMoved_)
      emit markDropped(data_.rows[row].marks[mark].id, layout_.stops(area(), event->position().x()));
    return;
  }
  if (!heldAt_) return;
  const double by = layout_.stops(area(), event->position().x()) - *heldAt_;
  heldAt_.reset();
  emit zeroDropped(by);
}

void RulerWidget::mouseMoveEvent(QMouseEvent* event) {
  const double x = event->position().x(), s = layout_.stops(area(), x);
  if (heldAt_) return emit zeroDragged(s - *heldAt_);
  if (heldMark_) {
    RulerMark& m = data_.rows[heldMark_->first].marks[heldMark_->second];
    constexpr double kStill = 5;  // pixels: a click is no move
    markMoved_ = markMoved_ || std::abs(layout_.x(area(), m.planned.value_or(m.at)) - x) > kStill;
    if (markMoved_) m.planned = s, hoverX_ = x, update();
    return;
  }
  setCursor(onScale(event->position()) ? Qt::SizeHorCursor : Qt::ArrowCursor);
  hoverX_ = s >= layout_.low && s <= layout_.high ? x : -1;
  QString best;
  double bestDistance = 8;  // pixels
  const int row = rowAt(event->position().y());
  if (row >= 0) {
    const RulerRow& r = data_.rows[static_cast<size_t>(row)];
    for (const auto& b : r.bars)
      if (s >= b.from && s <= b.to) best = b.words;
    for (const auto& item : readableItems({{r}, {}, 0, {}})) {
      const double distance = std::abs(layout_.x(area(), item.at) - x);
      const bool bar = std::any_of(r.bars.begin(), r.bars.end(),
                                   [&](const RulerBar& b) { return item.words.endsWith(b.words); });
      if (!bar && distance < bestDistance) best = item.words, bestDistance = distance;
    }
  }
  showReading(best);
  update();
}

void RulerWidget::mousePressEvent(QMouseEvent* event) {
  if (onScale(event->position())) {
    setFocus(Qt::MouseFocusReason);
    heldAt_ = layout_.stops(area(), event->position().x());
    return;
  }
  const int row = rowAt(event->position().y());
  if (row < 0) return;
  setFocus(Qt::MouseFocusReason);
  const RulerRow& r = data_.rows[static_cast<size_t>(row)];
  if (const int cell = cellNear(r, event->position().x()); cell >= 0) return chooseCell(row, cell);
  const RulerMark* nearest = nullptr;
  double best = 10;
  for (const auto& m : r.marks)
    if (const double d = std::abs(layout_.x(area(), m.at) - event->position().x()); d < best)
      nearest = &m, best = d;
  if (nearest) {
    if (data_.marksMove && nearest->id >= 0)
      heldMark_ = {static_cast<size_t>(row), static_cast<size_t>(nearest - r.marks.data())},
      markMoved_ = false;
    emit markChosen(row, nearest->words.section(',', 0, 0).section(' ', 1), nearest->id);
  } else
    emit rowChosen(row);
}

int RulerWidget::cellNear(const RulerRow& r, double x) const {
  int best = -1;
  double nearest = 0.5 * (layout_.x(area(), 1) - layout_.x(area(), 0));
  for (size_t i = 0; i < r.cells.size(); ++i)
    if (const double d = std::abs(layout_.x(area(), r.cells[i].at) - x); d <= nearest)
      best = static_cast<int>(i), nearest = d;
  return best;
}

// From the selected cell to its neighbour; the first one where none is selected.
void RulerWidget::stepCell(int rows, int cells) {
  for (size_t r = 0; r < data_.rows.size(); ++r)
    for (size_t c = 0; c < data_.rows[r].cells.size(); ++c) {
      if (!data_.rows[r].cells[c].selected) continue;
      const int row = static_cast<int>(r) + rows;
      if (row < 0 || row >= static_cast<int>(data_.rows.size())) return;
      const auto& to = data_.rows[static_cast<size_t>(row)].cells;
      if (to.empty()) return;
      const int cell = std::clamp(static_cast<int>(c) + cells, 0, static_cast<int>(to.size()) - 1);
      return chooseCell(row, cell);
    }
  for (size_t r = 0; r < data_.rows.size(); ++r)
    if (!data_.rows[r].cells.empty()) return chooseCell(static_cast<int>(r), 0);
}

void RulerWidget::chooseCell(int row, int cell) {
  const RulerRow& r = data_.rows[static_cast<size_t>(row)];
  showReading(r.label + ": " + r.cells[static_cast<size_t>(cell)].words);
  emit cellChosen(row, cell);
}

void RulerWidget::leaveEvent(QEvent*) {
  hoverX_ = -1;
  update();
}

void RulerWidget::keyPressEvent(QKeyEvent* event) {
  const auto items = readableItems(data_);
  const int count = static_cast<int>(items.size());
  const bool back = event->key() == Qt::Key_Left || event->key() == Qt::Key_Up;
  const bool forward = event->key() == Qt::Key_Right || event->key() == Qt::Key_Down;
  const bool board =
      std::any_of(data_.rows.begin(), data_.rows.end(), [](const RulerRow& r) { return !r.cells.empty(); });
  if (data_.zeroMoves && event->modifiers() == Qt::ShiftModifier &&
      (event->key() == Qt::Key_Left || event->key() == Qt::Key_Right))
    return emit zeroDropped(event->key() == Qt::Key_Left ? -kZeroStep : kZeroStep);
  if (board && (back || forward)) {
    const int step = forward ? 1 : -1;
    const bool vertical = event->key() == Qt::Key_Up || event->key() == Qt::Key_Down;
    return stepCell(vertical ? step : 0, vertical ? 0 : step);
  }
  if (count > 0 && (back || forward)) {
    item_ = item_ < 0 ? 0 : (item_ + (forward ? 1 : count - 1)) % count;
    const RulerItem& item = items[static_cast<size_t>(item_)];
    hoverX_ = layout_.x(area(), std::clamp(item.at, layout_.low, layout_.high));
    showReading(item.words);
    update();
  } else if (item_ >= 0 && (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter)) {
    emit rowChosen(items[static_cast<size_t>(item_)].row);
  } else {
    QWidget::keyPressEvent(event);
  }
}

void RulerWidget::showReading(const QString& words) {
  if (words == reading_) return;
  reading_ = words;
  setToolTip(words);
  emit reading(words);
}

void RulerWidget::updateAccessibleText() {
  QStringList lines;
  for (const auto& item : readableItems(data_)) lines << item.words;
  setAccessibleDescription(lines.join(". "));
}

}  // namespace edge::app
