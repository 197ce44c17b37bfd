#include "shell/stage_keys.h"

#include <QAbstractItemView>
#include <QApplication>
#include <QComboBox>
#include <QKeyEvent>
#include <QPushButton>
#include <QToolButton>

namespace edge::app {
namespace {

bool isEnter(const QKeyEvent& key) {
  return (key.key() == Qt::Key_Return || key.key() == Qt::Key_Enter) &&
         (key.modifiers() & ~Qt::KeypadModifier) == Qt::NoModifier;
}

bool isLetter(const QKeyEvent& key) {
  return (key.modifiers() & ~Qt::ShiftModifier) == Qt::NoModifier && !key.text().isEmpty() &&
         key.text()[0].isLetterOrNumber();
}

// Editing happens in a widget of its own, which has the focus then.
bool searchesItsRows(const QWidget& w) {
  const auto* picker = qobject_cast<const QComboBox*>(&w);
  return !w.property(StageKeys::kOwnLetters).toBool() &&
         ((picker && !picker->isEditable()) || qobject_cast<const QAbstractItemView*>(&w));
}

}  // namespace

StageKeys::StageKeys(QWidget* window, std::function<Stage*()> stage)
    : QObject(window), window_(window), stage_(std::move(stage)) {
  qApp->installEventFilter(this);
}

bool StageKeys::eventFilter(QObject* watched, QEvent* event) {
  if (event->type() != QEvent::KeyPress) return false;
  auto* widget = qobject_cast<QWidget*>(watched);
  if (!widget || !widget->hasFocus() || widget->window() != window_) return false;
  auto& key = static_cast<QKeyEvent&>(*event);
  if (isEnter(key)) {
    auto* button = qobject_cast<QAbstractButton*>(widget);
    const bool pressed = qobject_cast<QPushButton*>(button) || qobject_cast<QToolButton*>(button);
    if (!pressed || !button->isEnabled()) return false;
    button->click();
    return true;
  }
  Stage* stage = stage_();
  return isLetter(key) && searchesItsRows(*widget) && stage && stage->isAncestorOf(widget) &&
         stage->tryKey(key);
}

}  // namespace edge::app
