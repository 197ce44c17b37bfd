#include "shoot/prompter.h"

#include <QPainter>
#include <cstdlib>
#include <functional>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

constexpr double kOverRule = 4, kUnderRule = 6, kColumnGap = 28;
constexpr double kLeading = 1.42;  // of a line over its letters' size

// About the largest size, from most down to least, whose words are no wider than the width. Not all are
// tried: each is a font of its own to be made and kept.
int fittingSize(int most, int least, double width, const std::function<int(int pixels)>& advance) {
  int pixels = most;
  for (int wide = advance(pixels); wide > width && pixels > least; wide = advance(pixels))
    pixels = std::clamp(static_cast<int>(pixels * width / wide), least, pixels - 1);
  return pixels;
}

QString change(const PromptChange& c) {
  return c.from.empty() ? q(c.to) : q(c.from) + "  \u2192  " + q(c.to);
}

QString scales(const Prompt& p) {
  if (!p.onScales) return {};
  QString s = QString("label %1   ·   from the meter %2")
                  .arg(q(formatSigned(p.label, 2)), q(formatSigned(p.fromMeter, 2)));
  if (p.toClip) s += QString("   ·   grey %1 below the clip").arg(q(formatNumber(*p.toClip, 1)));
  return s;
}

QString cautions(const Prompt& p) {
  QStringList list;
  for (const auto& c : p.cautions) list << q(c);
  return list.join("  ·  ");
}

}  // namespace

Prompter::Prompter(QWidget* parent) : QWidget(parent), theme_(theme(ThemeKind::Dark)) {
  setMinimumSize(560, 300);
  setAccessibleName("Next take");
}

void Prompter::show(const std::optional<Prompt>& prompt, TakeState state, const QString& nothing) {
  prompt_ = prompt, state_ = state, nothing_ = nothing;
  setAccessibleDescription(text());
  update();
}

void Prompter::setTheme(const Theme& t) {
  theme_ = t;
  update();
}

QString Prompter::text() const {
  if (!prompt_) return nothing_;
  QStringList lines = {q(prompt_->slate)};
  for (const auto& c : prompt_->changes) lines << q(c.what) + " " + change(c);
  if (prompt_->changes.empty()) lines << "nothing changes";
  if (!prompt_->adopted.empty()) lines << "made up for by " + q(prompt_->adopted);
  for (const QString& l : {q(prompt_->meter), q(prompt_->level), cautions(*prompt_), scales(*prompt_)})
    if (!l.isEmpty()) lines << l;
  return lines.join("\n");
}

void Prompter::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme_.window);
  QRectF room = QRectF(rect()).adjusted(0, 4, -8, -4);
  if (!prompt_) {
    p.setPen(theme_.text);
    p.setFont(typeface(size::kHeadline, true));
    p.drawText(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, nothing_);
    return;
  }
  const auto put = [&](const Line& line) { room.setTop(room.top() + drawLine(p, room, line)); };
  const auto rule = [&] {
    room.setTop(room.top() + kOverRule);
    p.fillRect(QRectF(room.left(), room.top(), room.width(), 1), theme_.rule);
    room.setTop(room.top() + kUnderRule);
  };
  put({heading(), size::kFigure, false, theme_.quiet});
  put({q(prompt_->slate), size::kShoot, true, theme_.text});
  rule();
  std::vector<Line> below;
  const auto add = [&](const QString& words, int pixels, bool bold, const QColor& ink) {
    if (!words.isEmpty()) below.push_back({words, pixels, bold, ink});
  };
  add(prompt_->meter.empty() ? QString() : "Meter  " + q(prompt_->meter), size::kShootSmall, true,
      theme_.text);
  add(prompt_->level.empty() ? QString() : "Level  " + q(prompt_->level), size::kShootSmall, false,
      theme_.text);
  add(prompt_->cautions.empty() ? QString() : "Caution  " + cautions(*prompt_), size::kShootSmall, true,
      theme_.text);
  add(scales(*prompt_), size::kShootSmall - 6, false, theme_.quiet);
  double needed = kOverRule + kUnderRule;
  for (const Line& l : below) needed += QFontMetrics(fitted(l, room.width())).height();
  // They stand in the same place from take to take, unless the changes need the room.
  constexpr double kSteady = 4 * kLeading * size::kShootSmall;
  const bool roomy =
      needed <= kSteady && gridFor({room.width(), room.height() - kSteady}).pixels >= size::kShootSmall;
  const double kept = roomy ? kSteady : needed;
  room.setTop(std::max(drawChanges(p, room.adjusted(0, 0, 0, -kept)), room.bottom() - kept));
  rule();
  for (const Line& l : below) put(l);
  whole_ = room.top() <= rect().bottom() + 1;
}

QString Prompter::heading() const {
  const QString standing = state_ == TakeState::Done ? "shot" : state_ == TakeState::Skipped ? "skipped" : "";
  return QString("%1 of %2 shot%3   ·   %4%5%6")
             .arg(prompt_->soFar.done)
             .arg(prompt_->soFar.total)
             .arg(prompt_->soFar.skipped ? QString(", %1 skipped").arg(prompt_->soFar.skipped) : QString(),
                  q(prompt_->test),
                  prompt_->attempt > 1 ? QString("   ·   attempt %1").arg(prompt_->attempt) : QString(),
                  standing.isEmpty() ? QString() : "   ·   " + standing) +
         (prompt_->adopted.empty() ? QString() : "   ·   made up for by " + q(prompt_->adopted));
}

// A line too long for the width is set smaller, not cut.
QFont Prompter::fitted(const Line& line, double width) {
  const auto advance = [&](int pixels) {
    return QFontMetrics(typeface(pixels, line.bold)).horizontalAdvance(line.words);
  };
  return typeface(fittingSize(line.pixels, size::kFigure, width, advance), line.bold);
}

// At the top of the room. Returns its height.
double Prompter::drawLine(QPainter& p, const QRectF& room, const Line& line) {
  p.setFont(fitted(line, room.width()));
  p.setPen(line.ink);
  const double height = p.fontMetrics().height();
  p.drawText(QRectF(room.left(), room.top(), room.width(), height), Qt::AlignLeft | Qt::AlignVCenter,
             p.fontMetrics().elidedText(line.words, Qt::ElideMiddle, static_cast<int>(room.width())));
  return height;
}

// As large as their number allows: seldom more than three. Many, as at a first take, stand in two columns
// where that makes them larger. One size for all, so that names and values stand on one line.
Prompter::Grid Prompter::gridFor(const QSizeF& room) const {
  const int count = std::max(1, static_cast<int>(prompt_->changes.size()));
  Grid best;
  for (const int columns : {1, 2}) {
    Grid g;
    g.rows = (count + columns - 1) / columns;
    g.width = (room.width() - (columns - 1) * kColumnGap) / columns;
    const int high =
        std::clamp(static_cast<int>(room.height() / g.rows / kLeading), size::kSmall, size::kShootLarge);
    g.pixels = fittingSize(high, size::kSmall, g.width - kColumnGap, [&](int pixels) {
      const QFontMetrics light(typeface(pixels)), bold(typeface(pixels, true));
      int values = g.names = 0;
      for (const auto& c : prompt_->changes) {
        g.names = std::max(g.names, light.horizontalAdvance(q(c.what)));
        values = std::max(values, bold.horizontalAdvance(change(c)));
      }
      return g.names + values;
    });
    if (g.pixels > best.pixels) best = g;
  }
  return best;
}

// Returns where they end.
double Prompter::drawChanges(QPainter& p, const QRectF& room) {
  if (prompt_->changes.empty())
    return room.top() + drawLine(p, room, {"nothing changes", size::kShootLarge, false, theme_.quiet});
  const Grid g = gridFor(room.size());
  const double height = QFontMetrics(typeface(g.pixels, true)).height();
  for (size_t i = 0; i < prompt_->changes.size(); ++i) {
    const auto at = std::div(static_cast<int>(i), g.rows);
    const QRectF cell(room.left() + at.quot * (g.width + kColumnGap), room.top() + at.rem * height, g.width,
                      height);
    const PromptChange& c = prompt_->changes[i];
    drawLine(p, cell, {q(c.what), g.pixels, false, theme_.quiet});
    drawLine(p, cell.adjusted(g.names + kColumnGap, 0, 0, 0), {change(c), g.pixels, true, theme_.text});
  }
  return room.top() + g.rows * height;
}

}  // namespace edge::app
