#include "shell/job.h"

#include <sys/resource.h>

#include <QCoreApplication>
#include <QDeadlineTimer>
#include <QEvent>
#include <QPointer>
#include <chrono>

#include "base/handover.h"

namespace edge::app {
namespace {

// Something to be done on the interface thread. An event of our own, whole before it is handed over, so that
// the thread sanitizer sees who made it and who takes it.
struct Posted : QEvent {
  Posted(std::uint64_t of, std::function<void()> what)
      : QEvent(kind()), generation(of), body(std::move(what)) {}
  static Type kind() {
    static const auto type = static_cast<Type>(registerEventType());
    return type;
  }
  std::uint64_t generation;
  std::function<void()> body;
};

// With the threads it starts, which inherit it: whoever is at the window doesn't wait for a core. Less than
// the window's own, however that was started.
void giveWayToTheInterface() {
  constexpr int kNicer = 10;
  // 0: this thread alone. Where it fails, nothing is lost but that.
  setpriority(PRIO_PROCESS, 0, getpriority(PRIO_PROCESS, 0) + kNicer);
}

}  // namespace

Job::Job(QObject* parent) : QObject(parent) {
  turn_.setSingleShot(true);
  turn_.setInterval(0);
  connect(&turn_, &QTimer::timeout, this, &Job::takeDelivered);
}

Job::~Job() {
  cancel();
  if (thread_) thread_->wait();
}

void Job::cancel() {
  if (progress_) progress_->cancel();
}

void Job::abandon() {
  if (!running_) return;
  cancel();
  ++generation_;
  running_ = false;
  emit finished(true);
}

bool Job::event(QEvent* event) {
  takeOver(this);
  if (event->type() != Posted::kind()) return QObject::event(event);
  auto* posted = static_cast<Posted*>(event);
  delivered_.push_back({posted->generation, std::move(posted->body)});
  if (!turn_.isActive()) turn_.start();
  return true;
}

// All events posted so far are handled in one turn of the event loop; these are not, or a dozen results that
// came together would hold the window up together.
void Job::takeDelivered() {
  constexpr int kTurnMs = 8;
  const QDeadlineTimer turn(kTurnMs);
  while (!delivered_.empty() && !turn.hasExpired()) {
    const Delivered next = std::move(delivered_.front());
    delivered_.pop_front();
    if (!delivered_.empty()) turn_.start();  // for a dialog opened by this one, too
    // What a newer job has silenced is dropped. A body may delete this.
    const QPointer<Job> still = this;
    if (next.generation == generation_) next.body();
    if (!still) return;
  }
}

void Job::start(const QString& title, std::function<void(const Progress&, const Deliver&)> work) {
  cancel();
  title_ = title;
  running_ = true;
  const auto generation = ++generation_;
  const auto post = [this, generation](std::function<void()> body) {
    auto* event = new Posted(generation, std::move(body));
    handOver(this);
    QCoreApplication::postEvent(this, event);
  };
  using Clock = std::chrono::steady_clock;
  progress_ = std::make_shared<Progress>(
      [this, post, last = Clock::time_point()](double fraction, const std::string& what) mutable {
        if (Clock::now() - last < std::chrono::milliseconds(50) && fraction < 1) return;
        last = Clock::now();
        post([this, fraction, what] { emit progress(fraction, QString::fromStdString(what)); });
      });
  // Of Qt, which lays out text with timers that want its own kind.
  thread_.reset(QThread::create([this, post, work = std::move(work), progress = progress_,
                                 before = std::move(thread_)]() mutable {
    giveWayToTheInterface();
    if (before) {
      before->wait();
      post([ended = std::move(before)] {});  // a thread is deleted where it was made
    }
    const auto end = [&](std::function<void()> tell) {
      post([this, tell = std::move(tell)] {
        running_ = false;
        tell();
      });
    };
    try {
      progress->throwIfCancelled();
      work(*progress, post);
      end([this] { emit finished(false); });
    } catch (const Cancelled&) {
      end([this] { emit finished(true); });
    } catch (const Error& e) {
      const QString where =
          QString::fromStdString(e.subject() + (e.place().empty() ? "" : " (" + e.place() + ")"));
      end([this, problem = QString::fromStdString(e.problem()), where,
           remedy = QString::fromStdString(e.remedy())] { emit failed(problem, where, remedy); });
    } catch (const std::exception& e) {
      end([this, problem = QString::fromUtf8(e.what())] { emit failed(problem, "", "please report this"); });
    }
  }));
  thread_->start();
}

}  // namespace edge::app
