// Puts the application's palette on. The style keeps the colours it worked out for each widget until it is
// asked to polish it again: over a second for all of them at once. So those that are seen come first, in one
// turn, the others a few at a time.
#pragma once
#include <QPointer>
#include <QTimer>
#include <QWidget>
#include <vector>

namespace edge::app {

class Dressing : public QObject {
  Q_OBJECT
 public:
  explicit Dressing(QObject* parent = nullptr);
  void wear(const QPalette& palette);

 private:
  void dressSeen();
  void dressSome();
  std::vector<QPointer<QWidget>> left_;
  QTimer turn_;
};

}  // namespace edge::app
