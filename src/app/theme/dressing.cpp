#include "theme/dressing.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QStyle>
#include <algorithm>

#include "theme/tokens.h"

namespace edge::app {
namespace {

constexpr int kTurnMs = 10;

void dress(QWidget* w) {
  if (!w) return;
  w->style()->unpolish(w);
  w->style()->polish(w);
  w->update();
}

}  // namespace

Dressing::Dressing(QObject* parent) : QObject(parent) {
  connect(&turn_, &QTimer::timeout, this, &Dressing::dressSome);
}

void Dressing::wear(const QPalette& palette) {
  if (palette == QApplication::palette() && !qApp->styleSheet().isEmpty()) return;
  QApplication::setPalette(palette);
  if (qApp->styleSheet().isEmpty()) return qApp->setStyleSheet(styleSheet());
  left_.clear();
  for (QWidget* w : QApplication::allWidgets()) left_.emplace_back(w);
  dressSeen();
  turn_.start(0);
}

// Those that are seen by now, whenever they were opened.
void Dressing::dressSeen() {
  const auto seen =
      std::stable_partition(left_.begin(), left_.end(), [](const auto& w) { return !w || !w->isVisible(); });
  for (auto it = seen; it != left_.end(); ++it) dress(*it);
  left_.erase(seen, left_.end());
}

void Dressing::dressSome() {
  dressSeen();
  for (QElapsedTimer t; !left_.empty();) {
    if (!t.isValid()) t.start();
    dress(left_.back());
    left_.pop_back();
    if (t.elapsed() >= kTurnMs) break;
  }
  if (left_.empty()) turn_.stop();
}

}  // namespace edge::app
