// The window driven by random keys and clicks over all stages, seeded: nothing ends it, nothing leaks,
// nothing holds up its events. EDGE_SOAK: seconds (1200 for the long run, by a build with sanitizers; a few
// in every run of the tests). EDGE_SEED: another walk. Files are only looked at: a dialog that asks for one
// is sent away.
#include <execinfo.h>
#include <gtest/gtest.h>
#include <malloc.h>
#include <unistd.h>

#include <QClipboard>
#include <QDeadlineTimer>
#include <QDialog>
#include <QFileDialog>
#include <QPixmapCache>
#include <QPointer>
#include <QStackedWidget>
#include <QTest>
#include <QTimer>
#include <QWheelEvent>
#include <atomic>
#include <csignal>
#include <map>
#include <numeric>
#include <random>
#include <thread>

#include "base/files.h"
#include "ticks.h"
#include "window.h"

// Of a build with the address sanitizer.
extern "C" __attribute__((weak)) std::size_t __sanitizer_get_current_allocated_bytes();

namespace edge::app {
namespace {

constexpr int kStepMs = 4;
constexpr int kGapMs = 100;  // no work may hold up the events for longer
constexpr int kLongSeconds = 300;
// The smallest window and what the walk adds to it at most.
constexpr int kWidth = 1210, kHeight = 670, kWider = 400, kHigher = 300;

std::size_t allocated() {
  if (__sanitizer_get_current_allocated_bytes) return __sanitizer_get_current_allocated_bytes();
  const auto held = mallinfo2();
  return held.uordblks + held.hblkhd;
}

// With EDGE_STACKS: where the interface thread is whenever it has stood still for kGapMs, as places in this
// program for addr2line.
class StandStill {
 public:
  StandStill() {
    if (!std::getenv("EDGE_STACKS")) return;
    void* warm[1];
    (void)backtrace(warm, 1);  // loads what it needs, before a signal interrupts something
    std::signal(SIGUSR1, [](int) {
      void* frames[60];
      const int count = backtrace(frames, 60);
      (void)!write(2, "stood still\n", 12);
      backtrace_symbols_fd(frames, count, 2);
    });
    watcher_ = std::thread([this, watched = pthread_self()] {
      for (long seen = -1; !over_; std::this_thread::sleep_for(std::chrono::milliseconds(kGapMs))) {
        if (const long now = turns_; now != seen)
          seen = now;
        else
          pthread_kill(watched, SIGUSR1);
      }
    });
  }
  ~StandStill() {
    over_ = true;
    if (watcher_.joinable()) watcher_.join();
  }
  void turn() { ++turns_; }

 private:
  std::atomic<long> turns_ = 0;
  std::atomic<bool> over_ = false;
  std::thread watcher_;
};

struct Gap {
  int ms = 0;         // as a person feels it, whatever else the machine did
  double workMs = 0;  // of it, processor time of the interface thread
};
using Gaps = std::map<std::string, Gap>;

void hold(Gap& longest, const Gap& one) {
  longest = {std::max(longest.ms, one.ms), std::max(longest.workMs, one.workMs)};
}

class Walker : public QObject {
 public:
  Walker(MainWindow& window, std::uint64_t seed) : window_(window), random_(seed) {}
  void run(int seconds) {
    until_ = QDeadlineTimer(seconds * 1000LL);
    sinceStep_.start();
    workBefore_ = workOfThisThread();
    next();
    while (!done_) QApplication::processEvents(QEventLoop::WaitForMoreEvents, 50);
  }
  [[nodiscard]] long steps() const { return steps_; }
  // The longest times between two turns of the event loop, by what was done.
  [[nodiscard]] const Gaps& gaps() const { return gaps_; }

 private:
  std::uint64_t draw(std::uint64_t below) { return random_() % below; }

  // A menu or a dialog runs its own loop within a step: the next one is due before this one begins.
  void next() {
    QTimer::singleShot(kStepMs, this, [this] { step(); });
  }

  void step() {
    note();
    QWidget* top = QApplication::activePopupWidget();
    if (!top) top = QApplication::activeModalWidget();
    if (until_.hasExpired() && !top) return (void)(done_ = true);
    next();
    if (until_.hasExpired()) return (void)top->close();
    if (qobject_cast<QFileDialog*>(top)) return (void)QTest::keyClick(top, Qt::Key_Escape);
    if (top && ++inDialog_ > 60) {
      inDialog_ = 0;
      what_ = "close of a dialog";
      top->close();
      return;
    }
    if (!top) top = &window_, inDialog_ = 0;
    if (!window_.isVisible()) window_.show();
    ++steps_;
    const auto lot = draw(100);
    if (lot < 45) return key(top);
    if (lot < 85) return click(top);
    if (lot < 92) return wheel(top);
    if (lot < 96) return pull(top);
    what_ = "size or stage";
    if (lot < 98)
      return window_.resize(kWidth + static_cast<int>(draw(kWider)),
                            kHeight + static_cast<int>(draw(kHigher)));
    window_.showStage(static_cast<int>(draw(8)));
  }

  void note() {
    standStill_.turn();
    const double work = workOfThisThread();
    const Gap gap{static_cast<int>(sinceStep_.restart()) - kStepMs, work - workBefore_};
    workBefore_ = work;
    if (gap.ms > kGapMs || gap.workMs > kGapMs / 2.0) hold(gaps_[what_], gap);
  }

  void key(QWidget* top) {
    static const std::vector<Qt::Key> keys = {
        Qt::Key_A,      Qt::Key_B,       Qt::Key_C,     Qt::Key_D,      Qt::Key_E,      Qt::Key_F,
        Qt::Key_G,      Qt::Key_H,       Qt::Key_I,     Qt::Key_J,      Qt::Key_K,      Qt::Key_L,
        Qt::Key_M,      Qt::Key_N,       Qt::Key_O,     Qt::Key_P,      Qt::Key_R,      Qt::Key_S,
        Qt::Key_T,      Qt::Key_U,       Qt::Key_V,     Qt::Key_W,      Qt::Key_X,      Qt::Key_Y,
        Qt::Key_Z,      Qt::Key_0,       Qt::Key_1,     Qt::Key_2,      Qt::Key_3,      Qt::Key_4,
        Qt::Key_5,      Qt::Key_9,       Qt::Key_Minus, Qt::Key_Period, Qt::Key_Space,  Qt::Key_Up,
        Qt::Key_Down,   Qt::Key_Left,    Qt::Key_Right, Qt::Key_Return, Qt::Key_Escape, Qt::Key_Tab,
        Qt::Key_Home,   Qt::Key_End,     Qt::Key_F1,    Qt::Key_F2,     Qt::Key_Delete, Qt::Key_Backspace,
        Qt::Key_PageUp, Qt::Key_PageDown};
    const Qt::Key k = keys[draw(keys.size())];
    Qt::KeyboardModifiers m;
    if (draw(6) == 0) m |= Qt::ShiftModifier;
    if (draw(8) == 0 && k != Qt::Key_W) m |= Qt::ControlModifier;
    QWidget* to = top->focusWidget() && draw(4) ? top->focusWidget() : top;
    said("key", to, k);
    // What a press opens may be gone, with the widget, before the key is let go.
    const QPointer<QWidget> still = to;
    QTest::keyPress(to, k, m);
    if (still) QTest::keyRelease(still, k, m);
  }

  QWidget* someChild(QWidget* top, QPoint& at) {
    const QPoint p(static_cast<int>(draw(static_cast<std::uint64_t>(std::max(1, top->width())))),
                   static_cast<int>(draw(static_cast<std::uint64_t>(std::max(1, top->height())))));
    QWidget* child = top->childAt(p);
    if (!child) child = top;
    at = child->mapFrom(top, p);
    return child;
  }

  void click(QWidget* top) {
    QPoint at;
    const QPointer<QWidget> child = someChild(top, at);
    said("click", child, 0);
    const auto lot = draw(20);
    const Qt::MouseButton button = lot == 1 ? Qt::RightButton : Qt::LeftButton;
    const Qt::KeyboardModifiers held = lot == 2 ? Qt::ShiftModifier : Qt::NoModifier;
    QTest::mousePress(child, button, held, at);
    if (child) QTest::mouseRelease(child, button, held, at);
    if (lot != 0 || !child) return;
    QMouseEvent again(QEvent::MouseButtonDblClick, at, child->mapToGlobal(at), Qt::LeftButton, Qt::LeftButton,
                      Qt::NoModifier);
    QApplication::sendEvent(child, &again);
    if (child) QTest::mouseRelease(child, Qt::LeftButton, {}, at);
  }

  void wheel(QWidget* top) {
    QPoint at;
    QWidget* child = someChild(top, at);
    said("wheel", child, 0);
    QWheelEvent e(at, child->mapToGlobal(at), {}, {0, draw(2) ? 120 : -120}, Qt::NoButton, Qt::NoModifier,
                  Qt::NoScrollPhase, false);
    QApplication::sendEvent(child, &e);
  }

  void pull(QWidget* top) {
    QPoint at;
    QPointer<QWidget> child = someChild(top, at);
    said("drag", child, 0);
    const QPoint to = at + QPoint(static_cast<int>(draw(200)) - 100, static_cast<int>(draw(200)) - 100);
    QTest::mousePress(child, Qt::LeftButton, {}, at);
    if (child) QTest::mouseMove(child, (at + to) / 2);
    if (child) QTest::mouseMove(child, to);
    if (child) QTest::mouseRelease(child, Qt::LeftButton, {}, to);
  }

  void said(const char* what, const QWidget* w, int key) {
    const auto* shown = window_.findChild<QStackedWidget*>();
    what_ = std::string(what) + " on " + w->metaObject()->className() + " " + w->objectName().toStdString() +
            (key ? " " + QKeySequence(key).toString().toStdString() : "") + " in " +
            (shown && shown->currentWidget() ? shown->currentWidget()->metaObject()->className() : "?");
  }

  MainWindow& window_;
  std::mt19937_64 random_;
  StandStill standStill_;
  QDeadlineTimer until_;
  bool done_ = false;
  QElapsedTimer sinceStep_;
  std::string what_ = "start";
  double workBefore_ = 0;  // ms
  Gaps gaps_;
  long steps_ = 0;
  int inDialog_ = 0;  // steps
};

// What stands in all windows.
std::map<std::string, int> objectsByClass() {
  std::map<std::string, int> count;
  for (const auto* top : QApplication::topLevelWidgets()) {
    ++count[top->metaObject()->className()];
    for (const auto* o : top->findChildren<QObject*>()) ++count[o->metaObject()->className()];
  }
  return count;
}

// Every page of every stage, once, at the largest size: what a page keeps from then on (buffers of its plots)
// is no leak, whenever a walk gets there.
void visitAllPages(MainWindow& w) {
  const QSize size(kWidth + kWider, kHeight + kHigher);
  w.resize(size);
  for (int stage = 0; stage < 8; ++stage) {
    w.showStage(stage);
    settle(500);
    for (int key = Qt::Key_1; key <= Qt::Key_8; ++key) {
      QTest::keyClick(&w, static_cast<Qt::Key>(key)), settle(500);
      EXPECT_EQ(w.size(), size) << "held open by page " << static_cast<char>(key) << " of stage " << stage;
    }
  }
}

struct Projects {
  fs::path walked, untouched, empty;
};

Projects projectsOfTheSoak() {
  Projects p{freshCopyOfMeasured("app-soak"), freshCopyOfMeasured("app-soak-untouched"), {}};
  p.empty = p.walked.parent_path() / "soak-empty.edgetest";
  for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(p.empty.string() + suffix);
  (void)Project::create(p.empty, "Nothing yet");
  return p;
}

// The walk may open the demo's own project from a list, and log in it; the next run of the tests begins with
// a copy of it.
class DemoAsItWas {
 public:
  ~DemoAsItWas() {
    for (const char* suffix : {"-wal", "-shm"}) fs::remove(file_.string() + suffix);
    writeFileAtomically(file_, bytes_);
  }

 private:
  const fs::path file_ = demoFilesIn(EDGE_SMALL_DEMO).project;
  const std::string bytes_ = readText(file_);
};

// A window that is hidden keeps its last picture, in the size it had: menus, lists of choices, dialogs that
// are kept. How many a walk opened, and how large, is its lot; that none is left behind is counted apart.
void forgetPicturesOfHidden() {
  struct Window : QWidget {
    using QWidget::destroy;
  };
  for (auto* top : QApplication::topLevelWidgets())
    if (top->isHidden() && top->testAttribute(Qt::WA_WState_Created)) (top->*&Window::destroy)(true, true);
}

// Held where nothing is shown: what pictures are up depends on where the walk left its pages, and its project
// grows with all that is logged in it. What all pages keep was last drawn from the same data in the same
// size.
std::size_t heldAtRest(MainWindow& w, const Projects& projects, bool isLong) {
  for (auto* top : QApplication::topLevelWidgets())
    if (top != &w && top->isVisible()) top->close();  // help, with all pictures somebody scrolled through
  if (isLong) {
    openIn(w, projects.untouched);
    visitAllPages(w);
    waitFor([&] { return !w.job().running(); }, 60000);
  }
  openIn(w, projects.empty);
  for (int stage = 7; stage >= 0; --stage) w.showStage(stage), settle(isLong ? 1500 : 200);
  forgetPicturesOfHidden();
  QApplication::clipboard()->clear();  // a plot copied into it, at twice its size
  QPixmapCache::clear();
  return allocated();
}

TEST(Soak, RandomKeysAndClicks) {
  const int seconds = std::getenv("EDGE_SOAK") ? std::atoi(std::getenv("EDGE_SOAK")) : 8;
  const std::uint64_t seed =
      std::getenv("EDGE_SEED") ? std::strtoull(std::getenv("EDGE_SEED"), nullptr, 10) : 1;
  const DemoAsItWas demo;
  const Projects projects = projectsOfTheSoak();
  auto w = openWindow(projects.walked);
  const bool isLong = seconds >= kLongSeconds;
  long steps = 0;
  const Ticks before = Ticks::now();
  Gaps gaps;
  std::vector<std::size_t> held;
  std::vector<std::map<std::string, int>> standing;
  constexpr int kParts = 4;
  for (int part = 0; part < kParts; ++part) {
    Walker walker(*w, seed + static_cast<std::uint64_t>(part));
    walker.run(std::max(1, seconds / kParts));
    steps += walker.steps();
    for (const auto& [what, gap] : walker.gaps()) hold(gaps[what], gap);
    waitFor([&] { return !w->job().running(); }, 60000);
    held.push_back(heldAtRest(*w, projects, isLong));
    standing.push_back(objectsByClass());
    std::printf("part %d: %ld steps, %.1f MB held\n", part + 1, walker.steps(),
                static_cast<double>(held.back()) / 1e6);
    for (const auto& [name, n] : standing.back())
      if (const int more = part ? n - standing[static_cast<size_t>(part) - 1][name] : 0)
        std::printf("  %+d %s\n", more, name.c_str());
    std::fflush(stdout);
    openIn(*w, projects.walked);
  }
  std::vector<std::pair<Gap, std::string>> longest;
  for (const auto& [what, gap] : gaps) longest.emplace_back(gap, what);
  std::sort(longest.begin(), longest.end(),
            [](const auto& a, const auto& b) { return a.first.workMs > b.first.workMs; });
  std::printf(
      "%ld steps, %zu kinds of gaps over %d ms, or %d ms of work; %.0f %% of the machine was taken away\n",
      steps, longest.size(), kGapMs, kGapMs / 2, 100 * before.stolenSince());
  for (size_t i = 0; i < std::min<size_t>(25, longest.size()); ++i)
    std::printf("  %4d ms, %6.1f of work  %s\n", longest[i].first.ms, longest[i].first.workMs,
                longest[i].second.c_str());
  EXPECT_GT(steps, 20);
  EXPECT_TRUE(Project::open(projects.walked)->integrityProblems().empty());
  // The first part fills what is kept for good: fonts, tables. Short runs do not get so far.
  if (isLong) {
    const auto sum = [](const auto& count) {
      return std::accumulate(count.begin(), count.end(), 0,
                             [](int n, const auto& c) { return n + c.second; });
    };
    EXPECT_LT(sum(standing.back()), 1.05 * sum(standing[1])) << "widgets and menus are left behind";
    EXPECT_LT(static_cast<double>(held.back()), 1.05 * static_cast<double>(held[1])) << "it leaks";
  }
}

}  // namespace
}  // namespace edge::app
