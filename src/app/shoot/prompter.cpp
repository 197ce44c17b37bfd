#include "shoot/prompter.h"

#include <QPainter>

#include "base/numbers.h"
#include "theme/text.h"

namespace edge::app {
namespace {

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
  const QRectF all = QRectF(rect()).adjusted(0, 4, -8, -4);
  if (!prompt_) {
    p.setPen(theme_.text);
    p.setFont(typeface(size::kHeadline, true));
    p.drawText(all, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, nothing_);
    return;
  }
  double y = all.top();
  const auto line = [&](const QString& words, int pixels, bool bold, const QColor& ink, double left = 0) {
    if (words.isEmpty()) return;
    // A line too long for the width is set smaller, not cut.
    int fit = pixels;
    p.setFont(typeface(fit, bold));
    while (fit > size::kFigure && p.fontMetrics().horizontalAdvance(words) > all.width() - left)
      p.setFont(typeface(--fit, bold));
    p.setPen(ink);
    p.drawText(QRectF(all.left() + left, y, all.width() - left, p.fontMetrics().height()),
               Qt::AlignLeft | Qt::AlignVCenter,
               p.fontMetrics().elidedText(words, Qt::ElideMiddle, static_cast<int>(all.width() - left)));
    y += p.fontMetrics().height();
  };
  const QString standing = state_ == TakeState::Done ? "shot" : state_ == TakeState::Skipped ? "skipped" : "";
  line(QString("%1 of %2 shot%3   ·   %4%5%6")
               .arg(prompt_->done)
               .arg(prompt_->total)
               .arg(prompt_->skipped ? QString(", %1 skipped").arg(prompt_->skipped) : QString(),
                    q(prompt_->test),
                    prompt_->attempt > 1 ? QString("   ·   attempt %1").arg(prompt_->attempt) : QString(),
                    standing.isEmpty() ? QString() : "   ·   " + standing) +
           (prompt_->adopted.empty() ? QString() : "   ·   made up for by " + q(prompt_->adopted)),
       size::kFigure, false, theme_.quiet);
  line(q(prompt_->slate), size::kShoot, true, theme_.text);
  y += 4;
  p.fillRect(QRectF(all.left(), y, all.width(), 1), theme_.rule);
  y += 6;
  // As large as the number of changes allows: seldom more than three.
  const double below = size::kShootSmall * 1.4 * 4 + 20;
  const int count = std::max<int>(1, static_cast<int>(prompt_->changes.size()));
  int pixels = std::clamp(static_cast<int>((all.bottom() - y - below) / count / 1.42), size::kFigure + 3,
                          size::kShootLarge);
  // One size for all, so that names and values stand on one line.
  double names = 0, values = 0;
  do {
    names = values = 0;
    for (const auto& c : prompt_->changes) {
      names = std::max<double>(names, QFontMetrics(typeface(pixels)).horizontalAdvance(q(c.what)));
      values = std::max<double>(values, QFontMetrics(typeface(pixels, true)).horizontalAdvance(change(c)));
    }
  } while (names + 28 + values > all.width() && --pixels > size::kFigure);
  if (prompt_->changes.empty()) line("nothing changes", pixels, false, theme_.quiet);
  for (const auto& c : prompt_->changes) {
    const double top = y;
    line(q(c.what), pixels, false, theme_.quiet);
    y = top;
    line(change(c), pixels, true, theme_.text, names + 28);
    y = std::max(y, top + pixels * 1.36);
  }
  y = std::max(y + 4, all.bottom() - below);
  p.fillRect(QRectF(all.left(), y, all.width(), 1), theme_.rule);
  y += 6;
  line(prompt_->meter.empty() ? QString() : "Meter  " + q(prompt_->meter), size::kShootSmall, true,
       theme_.text);
  line(prompt_->level.empty() ? QString() : "Level  " + q(prompt_->level), size::kShootSmall, false,
       theme_.text);
  line(prompt_->cautions.empty() ? QString() : "Caution  " + cautions(*prompt_), size::kShootSmall, true,
       theme_.text);
  line(scales(*prompt_), size::kShootSmall - 6, false, theme_.quiet);
}

}  // namespace edge::app
