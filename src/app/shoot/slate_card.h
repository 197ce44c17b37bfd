// The slate on the screen: in the stage, or filling it to be held before the lens.
#pragma once
#include <QPointer>
#include <QWidget>
#include <optional>

#include "paper/slate_page.h"

namespace edge::app {

class SlateCard : public QWidget {
  Q_OBJECT
 public:
  explicit SlateCard(QWidget* parent = nullptr);
  void setFace(std::optional<SlateFace> face);
  // A copy over the whole screen, one and no more; any key or click closes it.
  void fillScreen();

 signals:
  void closed();

 protected:
  void paintEvent(QPaintEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;
  void mousePressEvent(QMouseEvent* event) override;

 private:
  void leave();
  std::optional<SlateFace> face_;
  QPointer<SlateCard> copy_;
};

}  // namespace edge::app
