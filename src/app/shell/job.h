// Long work off the interface thread, one job at a time per queue, with progress and cancel. Results and
// errors arrive on the interface thread. Jobs given up by newer ones are cancelled; the newer one begins when
// they have ended, and nobody waits for that but its own thread.
#pragma once
#include <QObject>
#include <QString>
#include <QThread>
#include <QTimer>
#include <deque>
#include <functional>
#include <memory>

#include "base/progress.h"

namespace edge::app {

class Job : public QObject {
  Q_OBJECT
 public:
  explicit Job(QObject* parent = nullptr);
  ~Job() override;

  // work runs in a thread and may hand partial results over with `deliver`, whose functions run on the
  // interface thread in order. Where many came at once, what the person does is seen to between them.
  using Deliver = std::function<void(std::function<void()>)>;
  void start(const QString& title, std::function<void(const Progress&, const Deliver&)> work);
  void cancel();
  // Cancels it, and nothing that it still hands over arrives: what it was for is gone.
  void abandon();
  [[nodiscard]] bool running() const { return running_; }
  [[nodiscard]] QString title() const { return title_; }

 signals:
  void progress(double fraction, const QString& what);
  void finished(bool cancelled);
  void failed(const QString& problem, const QString& where, const QString& remedy);

 protected:
  bool event(QEvent* event) override;

 private:
  struct Delivered {
    std::uint64_t generation;
    std::function<void()> body;
  };
  void takeDelivered();

  std::deque<Delivered> delivered_;
  QTimer turn_;
  std::shared_ptr<Progress> progress_;
  std::shared_ptr<QThread> thread_;
  QString title_;
  bool running_ = false;
  std::uint64_t generation_ = 0;
};

}  // namespace edge::app
