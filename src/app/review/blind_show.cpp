#include "review/blind_show.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QPainter>
#include <QVBoxLayout>

namespace edge::app {
namespace {

constexpr int kFoot = 64;  // pixels below the picture

}  // namespace

BlindShow::BlindShow(QWidget* parent) : QWidget(parent), theme_(edge::app::theme(ThemeKind::Dark)) {
  setFocusPolicy(Qt::StrongFocus);
  setAccessibleName("Picture to be judged");
  words_ = new QLabel(this);
  words_->setObjectName("title");
  auto* column = new QVBoxLayout(this);
  auto* row = new QHBoxLayout;
  row->addWidget(words_, 1);
  for (int i = 0; i < 3; ++i) {
    auto* b = new QPushButton(this);
    b->setFocusPolicy(Qt::NoFocus);  // the keys are for the answers
    connect(b, &QPushButton::clicked, this, [this, i] { key(i); });
    answers_.push_back(b);
    row->addWidget(b);
  }
  column->addStretch(1);
  column->addLayout(row);
  timer_.setSingleShot(true);
  connect(&timer_, &QTimer::timeout, this, [this] { state_ == State::Pause ? present() : timeOver(); });
}

void BlindShow::setTheme(const Theme& t) {
  theme_ = t, update();
}

void BlindShow::begin(const BlindSession& session, size_t viewer, std::vector<QImage> pictures) {
  pictures_ = std::move(pictures);
  trials_ = trialsOf(session.plan, viewer);
  seconds_ = session.plan.seconds;
  pair_ = session.plan.ask == Ask::Pairs;
  const char* const singles[] = {"Accept  1", "With clean-up  2", "No  3"};
  const char* const pairs[] = {"The first is better  1", "The second is better  2", ""};
  for (int i = 0; i < 3; ++i) {
    answers_[static_cast<size_t>(i)]->setText(pair_ ? pairs[i] : singles[i]);
    answers_[static_cast<size_t>(i)]->setVisible(!pair_ || i < 2);
  }
  at_ = nextTrial(session, viewer).value_or(trials_.size());
  next();
  setFocus();
}

void BlindShow::next() {
  second_ = secondSeen_ = hidden_ = false;
  state_ = at_ < trials_.size() ? State::Pause : State::Over;
  if (state_ == State::Pause)
    timer_.start(kPause);
  else
    pictures_.clear();
  say();
}

void BlindShow::present() {
  state_ = State::Shown;
  clock_.start();
  if (seconds_ > 0) timer_.start(static_cast<int>(seconds_ * 1000));
  say();
}

// After its time a picture goes; of a pair the second follows.
void BlindShow::timeOver() {
  if (pair_ && !second_) {
    second_ = secondSeen_ = true;
    timer_.start(static_cast<int>(seconds_ * 1000));
  } else {
    hidden_ = true;
  }
  say();
}

void BlindShow::swapPair() {
  if (!pair_ || state_ != State::Shown || seconds_ > 0) return;
  second_ = !second_;
  secondSeen_ = true;
  say();
}

void BlindShow::key(int n) {
  if (n < (pair_ ? 2 : 3)) answer(pair_ ? n : 2 - n);
}

void BlindShow::answer(int answer) {
  if (state_ != State::Shown || !bothSeen()) return;
  timer_.stop();
  const double seconds = static_cast<double>(clock_.elapsed()) / 1000;
  ++at_;
  state_ = State::Over;
  emit answered(answer, seconds);
  next();
}

void BlindShow::say() {
  const QString where = QString("%1 of %2").arg(std::min(at_ + 1, trials_.size())).arg(trials_.size());
  QString words = where;
  if (state_ == State::Shown && pair_)
    words +=
        QString(": the %1%2").arg(second_ ? "second" : "first", seconds_ > 0 ? "" : ", Space for the other");
  words_->setText(state_ == State::Over ? QString() : words);
  for (auto* b : answers_) b->setEnabled(state_ == State::Shown && bothSeen());
  update();
}

void BlindShow::paintEvent(QPaintEvent*) {
  QPainter p(this);
  p.fillRect(rect(), theme_.window);
  if (state_ != State::Shown || hidden_ || at_ >= trials_.size()) return;
  const Trial& t = trials_[at_];
  const QImage& image = pictures_[second_ ? *t.second : t.first];
  const QRectF room = QRectF(rect()).adjusted(0, 0, 0, -kFoot);
  const QSizeF fitted = QSizeF(image.size()).scaled(room.size(), Qt::KeepAspectRatio);
  p.setRenderHint(QPainter::SmoothPixmapTransform);
  p.drawImage(QRectF(room.center() - QPointF(fitted.width() / 2, fitted.height() / 2), fitted), image);
}

void BlindShow::keyPressEvent(QKeyEvent* event) {
  if (event->isAutoRepeat()) return;  // a held key answers once
  if (event->key() >= Qt::Key_1 && event->key() <= Qt::Key_3)
    key(event->key() - Qt::Key_1);
  else if (event->key() == Qt::Key_Space)
    swapPair();
  else
    QWidget::keyPressEvent(event);
}

}  // namespace edge::app
