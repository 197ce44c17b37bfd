#include "shoot/slate_card.h"

#include <QKeyEvent>
#include <QPainter>

namespace edge::app {

SlateCard::SlateCard(QWidget* parent) : QWidget(parent) {
  setAccessibleName("Slate");
}

void SlateCard::setFace(std::optional<SlateFace> face) {
  face_ = std::move(face);
  if (face_) setAccessibleDescription(face_->slate + ", " + face_->settings);
  update();
}

void SlateCard::fillScreen() {
  if (!copy_) {
    copy_ = new SlateCard(this);
    copy_->setWindowFlag(Qt::Window);
    copy_->setAttribute(Qt::WA_DeleteOnClose);
    copy_->setObjectName("slate on the whole screen");
    copy_->setWindowTitle("Slate");
  }
  copy_->setFace(face_);
  copy_->showFullScreen();
  copy_->activateWindow();
}

void SlateCard::paintEvent(QPaintEvent*) {
  QPainter p(this);
  if (face_)
    paintSlate(p, rect(), *face_);
  else
    p.drawText(rect(), Qt::AlignCenter, "No take to slate.");
}

void SlateCard::keyPressEvent(QKeyEvent* event) {
  isWindow() ? leave() : QWidget::keyPressEvent(event);
}
void SlateCard::mousePressEvent(QMouseEvent* event) {
  isWindow() ? leave() : QWidget::mousePressEvent(event);
}

void SlateCard::leave() {
  emit closed();
  close();
}

}  // namespace edge::app
