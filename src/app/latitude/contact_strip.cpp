#include "latitude/contact_strip.h"

#include <QMouseEvent>
#include <QPainter>
#include <algorithm>

namespace edge::app {
namespace {
constexpr double kFoot = 18, kBetween = 4, kVerdictBar = 5;
}

ContactStrip::ContactStrip(QWidget* parent) : QWidget(parent), theme_(theme(ThemeKind::Dark)) {
  setFixedHeight(kHeight);
  setMouseTracking(true);
  setAccessibleName("Takes brought back, darkest first");
}

void ContactStrip::setTakes(std::vector<StripTake> takes, const QString& selected) {
  takes_ = std::move(takes);
  selected_ = selected;
  QStringList words;
  for (const auto& t : takes_) words << t.words;
  setAccessibleDescription(words.join("; "));
  update();
}

void ContactStrip::setImage(const QString& take, const QImage& image) {
  images_[take] = image;
  update();
}

void ContactStrip::clearImages() {
  images_.clear();
  update();
}

bool ContactStrip::complete() const {
  return std::all_of(takes_.begin(), takes_.end(), [&](const StripTake& t) { return hasImage(t.name); });
}

void ContactStrip::setTheme(const Theme& t) {
  theme_ = t;
  update();
}

QRectF ContactStrip::cell(size_t i) const {
  const double n = static_cast<double>(std::max<size_t>(1, takes_.size()));
  const double w = (width() - kBetween * (n - 1)) / n;
  return {static_cast<double>(i) * (w + kBetween), 0, w, static_cast<double>(height())};
}

int ContactStrip::cellAt(const QPointF& position) const {
  for (size_t i = 0; i < takes_.size(); ++i)
    if (cell(i).contains(position)) return static_cast<int>(i);
  return -1;
}

void ContactStrip::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.setFont(typeface(size::kSmall));
  for (size_t i = 0; i < takes_.size(); ++i) {
    const StripTake& t = takes_[i];
    const QRectF box = cell(i), picture = box.adjusted(0, 2, 0, -kFoot);
    p.fillRect(picture, theme_.raised);
    if (const auto found = images_.find(t.name); found != images_.end()) {
      // The middle of the picture fills the cell.
      const QSizeF whole = found->second.size();
      const QSizeF part = picture.size().scaled(whole, Qt::KeepAspectRatio);
      p.drawImage(picture, found->second,
                  QRectF((whole.width() - part.width()) / 2, (whole.height() - part.height()) / 2,
                         part.width(), part.height()));
    }
    const bool selected = t.name == selected_;
    if (selected) {
      p.setPen(QPen(theme_.accent, 2));
      p.drawRect(picture.adjusted(1, 1, -1, -1));
    }
    const double nameWidth = p.fontMetrics().horizontalAdvance(t.name) + 6;
    const QRectF foot(box.left(), picture.bottom(), box.width(), kFoot);
    p.setPen(selected ? theme_.text : theme_.quiet);
    p.drawText(foot.adjusted(2, 0, 0, 0), Qt::AlignLeft | Qt::AlignVCenter, t.name);
    const QRectF bar(foot.left() + nameWidth, foot.center().y() - kVerdictBar / 2,
                     std::max(0.0, foot.width() - nameWidth - 1), kVerdictBar);
    p.setPen(QPen(theme_.solid, 1));
    if (t.verdict == Verdict::Clean) p.fillRect(bar, theme_.solid);
    if (t.verdict == Verdict::Cleanable) p.fillRect(bar, QBrush(theme_.solid, Qt::BDiagPattern));
    if (t.verdict == Verdict::Unknown) p.setPen(QPen(theme_.solid, 1, Qt::DotLine));
    if (t.verdict != Verdict::Clean) p.drawRect(bar);
  }
}

void ContactStrip::mousePressEvent(QMouseEvent* event) {
  if (const int i = cellAt(event->position()); i >= 0)
    emit takeChosen(QString(takes_[static_cast<size_t>(i)].name));
}

void ContactStrip::mouseMoveEvent(QMouseEvent* event) {
  const int i = cellAt(event->position());
  setToolTip(i >= 0 ? takes_[static_cast<size_t>(i)].words : QString());
}

}  // namespace edge::app
