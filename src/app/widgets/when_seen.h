// What a widget shows is brought up to date while somebody sees it; else once, when it is shown.
#pragma once
#include <QEvent>
#include <QWidget>
#include <functional>
#include <utility>

namespace edge::app {

class WhenSeen : public QObject {
 public:
  WhenSeen(QWidget* widget, std::function<void()> refresh)
      : QObject(widget), widget_(widget), refresh_(std::move(refresh)) {
    widget->installEventFilter(this);
  }
  // A slot: something that the widget shows is another now.
  void changed() {
    stale_ = !widget_->isVisible();
    if (!stale_) refresh_();
  }

 protected:
  bool eventFilter(QObject*, QEvent* event) override {
    if (event->type() == QEvent::Show && std::exchange(stale_, false)) refresh_();
    return false;
  }

 private:
  QWidget* widget_;
  std::function<void()> refresh_;
  bool stale_ = false;
};

}  // namespace edge::app
