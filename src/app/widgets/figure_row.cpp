#include "widgets/figure_row.h"

#include <QApplication>
#include <QClipboard>
#include <QContextMenuEvent>
#include <QKeyEvent>
#include <QMenu>
#include <QPainter>

namespace edge::app {

FigureRow::FigureRow(QString key, QString label, bool headline, QWidget* parent)
    : QWidget(parent),
      key_(std::move(key)),
      label_(std::move(label)),
      headline_(headline),
      theme_(theme(ThemeKind::Dark)) {
  setObjectName("figure:" + key_);
  setFocusPolicy(Qt::StrongFocus);
  setCursor(Qt::PointingHandCursor);
  setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
}

void FigureRow::setFigure(const QString& value, const QString& unit, const QString& note) {
  value_ = value, unit_ = unit, note_ = note;
  setAccessibleName(text());
  setAccessibleDescription(note);
  setToolTip(note.isEmpty() ? "Where does this come from?" : note);
  update();
}

void FigureRow::setTheme(const Theme& t) {
  theme_ = t;
  update();
}

QString FigureRow::text() const {
  return QString("%1: %2 %3").arg(label_, value_, unit_).trimmed();
}

QSize FigureRow::sizeHint() const {
  return QSize(280, headline_ ? 68 : 22);
}

void FigureRow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  if (hasFocus()) {
    p.setPen(QPen(theme_.accent, 1));
    p.drawRect(rect().adjusted(0, 0, -1, -1));
  }
  const int pad = 4;
  p.setPen(theme_.quiet);
  p.setFont(typeface(size::kBody));
  const QRect labelRoom =
      headline_ ? QRect(pad, 0, width() - 2 * pad, 20) : QRect(pad, 0, width() / 2 - pad, height());
  p.drawText(labelRoom, Qt::AlignLeft | Qt::AlignVCenter,
             p.fontMetrics().elidedText(label_, Qt::ElideRight, labelRoom.width()));
  p.setFont(typeface(headline_ ? size::kHeadline : size::kFigure, headline_));
  p.setPen(theme_.text);
  const QRect room =
      headline_ ? QRect(pad, 18, width() - 2 * pad, 38) : QRect(width() / 2, 0, width() / 2 - pad, height());
  const QFont unitFont = typeface(headline_ ? size::kFigure : size::kSmall);
  const int unitWidth = unit_.isEmpty() ? 0 : QFontMetrics(unitFont).horizontalAdvance(unit_) + 6;
  const QString value = p.fontMetrics().elidedText(value_, Qt::ElideRight, room.width() - unitWidth);
  const int x = room.left(), advance = p.fontMetrics().horizontalAdvance(value);
  const int base = room.top() + (room.height() + p.fontMetrics().ascent() - p.fontMetrics().descent()) / 2;
  p.drawText(x, base, value);
  p.setFont(unitFont);
  p.setPen(theme_.quiet);
  p.drawText(x + advance + 6, base, unit_);
  if (headline_) {
    p.setFont(typeface(size::kSmall));
    p.drawText(QRect(pad, 52, width() - 2 * pad, 16), Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(note_, Qt::ElideRight, width() - 2 * pad));
  }
}

void FigureRow::mousePressEvent(QMouseEvent* event) {
  if (event->button() == Qt::LeftButton) emit asked(key_);
}

void FigureRow::keyPressEvent(QKeyEvent* event) {
  if (event->matches(QKeySequence::Copy)) return copy();
  if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter || event->key() == Qt::Key_Space)
    emit asked(key_);
  else
    QWidget::keyPressEvent(event);
}

void FigureRow::contextMenuEvent(QContextMenuEvent* event) {
  QMenu menu(this);
  menu.addAction("Copy this number", [this] { copy(); });
  menu.addAction("Where does it come from?", [this] { emit asked(key_); });
  menu.exec(event->globalPos());
}

void FigureRow::copy() const {
  QApplication::clipboard()->setText(text());
}

}  // namespace edge::app
