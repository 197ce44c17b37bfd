// What a viewer sees of a blind session: pictures without names, a grey pause of one length between them, the
// keys of the answers. Pictures are all there before the first is shown, so that waiting tells nothing.
#pragma once
#include <QElapsedTimer>
#include <QImage>
#include <QLabel>
#include <QPushButton>
#include <QTimer>
#include <QWidget>

#include "review/session.h"
#include "theme/tokens.h"

namespace edge::app {

class BlindShow : public QWidget {
  Q_OBJECT
 public:
  static constexpr int kPause = 700;  // milliseconds of grey
  explicit BlindShow(QWidget* parent = nullptr);

  // pictures: by candidate of the session.
  void begin(const BlindSession& session, size_t viewer, std::vector<QImage> pictures);
  void key(int n);  // the first, second, third answer as they stand
  // Refused while nothing is shown, and before both of a pair were seen.
  void answer(int answer);
  void swapPair();  // pairs, free time: the other of the two
  [[nodiscard]] bool showing() const { return state_ == State::Shown; }
  [[nodiscard]] bool bothSeen() const { return !pair_ || secondSeen_; }
  void setTheme(const Theme& theme);

 signals:
  void answered(int answer, double seconds);

 protected:
  void paintEvent(QPaintEvent* event) override;
  void keyPressEvent(QKeyEvent* event) override;

 private:
  enum class State { Pause, Shown, Over };
  void next();
  void present();
  void timeOver();
  void say();

  QLabel* words_;
  std::vector<QPushButton*> answers_;
  std::vector<QImage> pictures_;
  std::vector<Trial> trials_;
  double seconds_ = 0;
  size_t at_ = 0;
  State state_ = State::Over;
  bool pair_ = false, second_ = false, secondSeen_ = false, hidden_ = false;
  QTimer timer_;
  QElapsedTimer clock_;
  Theme theme_;
};

}  // namespace edge::app
