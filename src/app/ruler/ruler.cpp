#include "ruler/ruler.h"

#include <QPainter>
#include <QPainterPath>
#include <algorithm>
#include <cmath>

#include "base/numbers.h"

namespace edge::app {
namespace {

QString signedStops(double v, int decimals = 1) {
  return QString::fromStdString(formatSigned(v, decimals));
}

// Hatching of fixed pitch, the same on every device.
void fillHatched(QPainter& p, const QRectF& r, const QColor& ink) {
  p.save();
  p.setClipRect(r, Qt::IntersectClip);
  p.setPen(QPen(ink, 1.6));
  constexpr double kPitch = 6;
  for (double x = r.left() - r.height(); x < r.right() + kPitch; x += kPitch)
    p.drawLine(QPointF(x, r.bottom()), QPointF(x + r.height(), r.top()));
  p.restore();
}

// An open end: the outline stops and two arrow strokes go on.
void drawOpenEnd(QPainter& p, double x, double middle, double half, bool high, const QColor& ink) {
  const double d = high ? 1 : -1;
  p.setPen(QPen(ink, 2));
  for (int i = 0; i < 2; ++i) {
    const double at = x + d * (4 + 6 * i);
    p.drawPolyline(
        QPolygonF({QPointF(at, middle - half), QPointF(at + d * 5, middle), QPointF(at, middle + half)}));
  }
}

void drawBar(QPainter& p, const QRectF& area, const QRectF& row, const RulerBar& bar, const RulerLayout& l,
             const Theme& t) {
  const double x0 = l.x(area, std::max(bar.from, l.low)), x1 = l.x(area, std::min(bar.to, l.high));
  const double height = bar.thin ? 6 : 16;
  const double middle = bar.thin ? row.top() + row.height() - 9 : row.center().y() + 2;
  const QRectF r(x0, middle - height / 2, std::max(1.0, x1 - x0), height);
  p.setRenderHint(QPainter::Antialiasing, true);
  if (bar.pattern == Pattern::Solid) p.fillRect(r, t.solid);
  if (bar.pattern == Pattern::Hatched) fillHatched(p, r, t.solid);
  if (bar.pattern != Pattern::Solid) {
    p.setPen(QPen(t.solid, 1));
    p.setBrush(Qt::NoBrush);
    p.drawRect(r.adjusted(0.5, 0.5, -0.5, -0.5));
  }
  if (bar.openLow) drawOpenEnd(p, x0, middle, height / 2, false, t.solid);
  if (bar.openHigh) drawOpenEnd(p, x1, middle, height / 2, true, t.solid);
}

// The edge: a tall stroke with its number, the first thing seen. Its uncertainty is a thin whisker.
void drawEdge(QPainter& p, const QRectF& area, const QRectF& row, const RulerEdge& e, const RulerLayout& l,
              const Theme& t, double zero) {
  const double x = l.x(area, std::clamp(e.at, l.low, l.high));
  const double top = row.top() + 18, bottom = row.center().y() + 13;
  if (!e.atLeast) {
    p.fillRect(QRectF(x - 2, top, 4, bottom - top), t.text);
    const double whisker = std::max(0.0, l.x(area, e.at + e.sigma) - x);
    p.setPen(QPen(t.text, 1));
    p.drawLine(QPointF(x - whisker, top), QPointF(x + whisker, top));
  }
  p.setFont(typeface(size::kFigure, true));
  p.setPen(t.text);
  const QString text = (e.atLeast ? (e.upper ? QStringLiteral("≥ ") : QStringLiteral("≤ ")) : QString()) +
                       signedStops(e.at - zero);
  const double width = p.fontMetrics().horizontalAdvance(text);
  // Numbers stand outward of their edge, so that two near edges never collide.
  double at = e.upper ? x + 6 : x - 6 - width;
  at = std::clamp(at, area.left() + l.left - 40, area.right() - width - 2);
  p.drawText(QPointF(at, row.top() + 14), text);
}

// Room of a cell: half the way to its neighbours.
double cellWidth(const QRectF& area, const RulerRow& row, const RulerLayout& l) {
  double apart = 1;
  for (size_t i = 1; i < row.cells.size(); ++i)
    apart = std::min(apart, row.cells[i].at - row.cells[i - 1].at);
  return std::max(5.0, (l.x(area, apart) - l.x(area, 0)) - 3);
}

// Outlined: planned; heavy: the base; crossed: can't be had; dashed: skipped by choice; a dot: not asked for;
// filled: in the can; hatched: lost.
void drawCell(QPainter& p, const QRectF& area, const QRectF& row, const RulerCell& c, const RulerLayout& l,
              const Theme& t, double width) {
  if (c.at < l.low || c.at > l.high) return;
  const double x = l.x(area, c.at);
  const QRectF box(x - width / 2, row.top() + 4, width, 19);
  p.setBrush(Qt::NoBrush);
  if (c.kind == CellKind::NotAsked) {
    p.setPen(QPen(t.quiet, 2));
    p.drawPoint(box.center());
  } else {
    const bool base = c.kind == CellKind::Base;
    p.setPen(QPen(c.kind == CellKind::Skipped ? t.quiet : t.text, base ? 2 : 1,
                  c.kind == CellKind::Skipped ? Qt::DashLine : Qt::SolidLine));
    if (c.kind == CellKind::Planned || base) p.setBrush(c.filled ? t.solid : t.raised);
    p.drawRect(box.adjusted(0.5, 0.5, -0.5, -0.5));
    if (c.lost) p.fillRect(box.adjusted(1, 1, 0, 0), QBrush(t.text, Qt::BDiagPattern));
    if (c.kind == CellKind::Impossible) {
      p.drawLine(box.topLeft(), box.bottomRight());
      p.drawLine(box.bottomLeft(), box.topRight());
    }
    p.setBrush(Qt::NoBrush);
    p.setFont(typeface(size::kSmall, base));
    p.setPen(c.filled ? t.window : t.text);
    const bool fits = p.fontMetrics().horizontalAdvance(c.text) < width - 4;
    const QString text = fits ? c.text : c.initials;
    if (!c.lost && p.fontMetrics().horizontalAdvance(text) < width - 2)
      p.drawText(box, Qt::AlignCenter, text);
  }
  if (!c.selected) return;
  p.setPen(QPen(t.accent, 2));
  p.drawRect(box.adjusted(-1, -1, 1, 1));
}

void drawMark(QPainter& p, const QRectF& area, const QRectF& row, const RulerMark& m, const RulerLayout& l,
              const Theme& t, std::vector<std::pair<double, double>>& labelled) {
  const double x = l.x(area, std::clamp(m.at, l.low, l.high)), y = row.bottom() - 16;
  if (m.planned) {
    const double px = l.x(area, std::clamp(*m.planned, l.low, l.high));
    p.setPen(QPen(t.quiet, 1));
    p.drawLine(QPointF(px, y - 5), QPointF(px, y + 5));
    if (std::abs(px - x) > 6) p.drawLine(QPointF(px, y), QPointF(x, y));
  }
  // A ring of the surround: a dot is seen on a bar of its own colour.
  p.setPen(QPen(t.window, 1.5));
  p.setBrush(m.selected ? t.accent : t.text);
  if (m.edge)
    p.drawRect(QRectF(x - 1, y - 5, 2, 10));
  else
    p.drawEllipse(QPointF(x, y), m.selected ? 5.5 : 4, m.selected ? 5.5 : 4);
  p.setBrush(Qt::NoBrush);
  p.setFont(typeface(size::kSmall, m.selected));
  const double width = p.fontMetrics().horizontalAdvance(m.name);
  const double from = x - width / 2, to = x + width / 2 + 4;
  const bool covered = std::any_of(labelled.begin(), labelled.end(), [&](const auto& other) {
    return from < other.second && other.first < to;
  });
  if (covered && !m.selected) return;
  p.setPen(m.selected || m.edge ? t.text : t.quiet);
  p.drawText(QPointF(from, row.bottom() - 3), m.name);
  labelled.emplace_back(from, to);
}

void drawScale(QPainter& p, const QRectF& area, const RulerData& d, const RulerLayout& l, const Theme& t) {
  const double base = area.top() + l.scaleHeight;
  p.setPen(QPen(t.quiet, 1));
  p.drawLine(QPointF(l.x(area, l.low), base), QPointF(l.x(area, l.high), base));
  p.setFont(typeface(size::kSmall));
  const double perStop = l.x(area, 1) - l.x(area, 0);
  const int step = perStop < 26 ? 2 : 1;
  for (int third = static_cast<int>(std::ceil((l.low - d.zero) * 3)); third <= (l.high - d.zero) * 3 + 1e-9;
       ++third) {
    const bool full = third % 3 == 0;
    if (!full && perStop < 36) continue;
    const double x = l.x(area, third / 3.0 + d.zero);
    p.setPen(QPen(full ? t.quiet : t.rule, 1));
    p.drawLine(QPointF(x, base - (full ? 8 : 4)), QPointF(x, base));
    if (!full || (third / 3) % step != 0) continue;
    const bool origin = third == 0;
    p.setPen(origin ? t.text : t.quiet);
    const QString text = origin ? d.zeroName : signedStops(third / 3, 0);
    const double w = p.fontMetrics().horizontalAdvance(text);
    p.drawText(QPointF(x - w / 2, base - 13), text);
  }
  p.setPen(t.quiet);
  p.drawText(QRectF(area.left(), area.top(), l.left - 16, l.scaleHeight - 6), Qt::AlignLeft | Qt::AlignBottom,
             "stops");
}

void drawAnchors(QPainter& p, const QRectF& area, const RulerData& d, const RulerLayout& l, const Theme& t) {
  const double top = area.top() + l.scaleHeight,
               bottom = area.top() + l.heightFor(static_cast<int>(d.rows.size())) - 4;
  p.setPen(QPen(t.quiet, 1));
  const double zero = l.x(area, d.zero);
  p.drawLine(QPointF(zero, top), QPointF(zero, bottom));
  p.setPen(QPen(t.quiet, 1, Qt::DotLine));
  p.setFont(typeface(size::kSmall));
  for (const auto& a : d.anchors) {
    const double x = l.x(area, a.at);
    p.drawLine(QPointF(x, top), QPointF(x, bottom));
    p.drawText(QPointF(x + 3, top + 11), a.name);
  }
}

void drawLabel(QPainter& p, const QRectF& area, const QRectF& row, const RulerRow& r, const RulerLayout& l,
               const Theme& t) {
  if (r.selected) p.fillRect(QRectF(area.left(), row.top() + 6, 3, row.height() - 12), t.accent);
  const QRectF room(area.left() + 8, row.top(), (r.heading ? area.width() : l.left) - 34, row.height());
  p.setFont(typeface(size::kBody, r.selected));
  p.setPen(t.text);
  const bool two = !r.note.isEmpty();
  const QString label = p.fontMetrics().elidedText(r.label, Qt::ElideMiddle, static_cast<int>(room.width()));
  p.drawText(two ? room.adjusted(0, 6, 0, -row.height() / 2 + 2) : room, Qt::AlignLeft | Qt::AlignVCenter,
             label);
  if (!two) return;
  p.setFont(typeface(size::kSmall));
  p.setPen(t.quiet);
  p.drawText(room.adjusted(0, row.height() / 2 - 4, 0, -6), Qt::AlignLeft | Qt::AlignVCenter,
             p.fontMetrics().elidedText(r.note, Qt::ElideRight, static_cast<int>(room.width())));
}

}  // namespace

double RulerLayout::x(const QRectF& area, double s) const {
  const double from = area.left() + left, to = area.right() - right;
  return from + (s - low) / (high - low) * (to - from);
}

double RulerLayout::stops(const QRectF& area, double x) const {
  const double from = area.left() + left, to = area.right() - right;
  return low + (x - from) / (to - from) * (high - low);
}

QRectF RulerLayout::row(const QRectF& area, int index) const {
  return QRectF(area.left(), area.top() + scaleHeight + index * rowHeight, area.width(), rowHeight);
}

void paintRuler(QPainter& p, const QRectF& area, const RulerData& d, const RulerLayout& l, const Theme& t) {
  p.save();
  p.setRenderHint(QPainter::Antialiasing, true);
  drawScale(p, area, d, l, t);
  drawAnchors(p, area, d, l, t);
  for (size_t i = 0; i < d.rows.size(); ++i) {
    const QRectF row = l.row(area, static_cast<int>(i));
    if (p.hasClipping() && !row.intersects(p.clipBoundingRect())) continue;  // long boards are scrolled
    const RulerRow& r = d.rows[i];
    drawLabel(p, area, row, r, l, t);
    const double width = r.cells.empty() ? 0 : cellWidth(area, r, l);
    for (const auto& c : r.cells) drawCell(p, area, row, c, l, t, width);
    for (const auto& bar : r.bars) drawBar(p, area, row, bar, l, t);
    for (const auto& e : r.edges) drawEdge(p, area, row, e, l, t, d.zero);
    std::vector<std::pair<double, double>> labelled;
    // Edges and what is chosen keep their names; another that would lie over them goes without.
    const auto rank = [](const RulerMark& m) { return m.edge ? 0 : m.selected ? 1 : 2; };
    for (int first = 0; first < 3; ++first)
      for (const auto& m : r.marks)
        if (rank(m) == first) drawMark(p, area, row, m, l, t, labelled);
    p.setPen(QPen(t.rule, 1));
    if (i + 1 < d.rows.size()) p.drawLine(row.bottomLeft(), row.bottomRight());
  }
  p.restore();
}

std::vector<RulerItem> readableItems(const RulerData& d) {
  std::vector<RulerItem> items;
  for (size_t i = 0; i < d.rows.size(); ++i) {
    const RulerRow& r = d.rows[i];
    const int row = static_cast<int>(i);
    std::vector<RulerItem> own;
    if (r.heading) own.push_back({row, d.zero, r.note});
    for (const auto& b : r.bars) own.push_back({row, (b.from + b.to) / 2, b.words});
    for (const auto& e : r.edges) own.push_back({row, e.at, e.words});
    for (const auto& m : r.marks) own.push_back({row, m.at, m.words});
    for (size_t k = 0; k < r.cells.size(); ++k)
      own.push_back({row, r.cells[k].at, r.cells[k].words, static_cast<int>(k)});
    std::stable_sort(own.begin(), own.end(),
                     [](const RulerItem& a, const RulerItem& b) { return a.at < b.at; });
    for (auto& item : own)
      if (!item.words.isEmpty()) items.push_back({item.row, item.at, r.label + ": " + item.words, item.cell});
  }
  return items;
}

}  // namespace edge::app
