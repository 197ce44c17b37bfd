// A window on a project, driven as a person would, and waiting for what it does.
#pragma once
#include <QApplication>
#include <QElapsedTimer>
#include <QLabel>
#include <QMouseEvent>
#include <ctime>
#include <filesystem>

#include "demo/demo_project.h"
#include "plan/plan_stage.h"
#include "shell/main_window.h"
#include "widgets/figure_row.h"

namespace fs = std::filesystem;

namespace edge::app {

// A copy of the small demo's project beside its clips, fresh or with the results of an earlier test.
inline fs::path freshProject(const std::string& name) {
  const fs::path demo = EDGE_SMALL_DEMO;
  const fs::path copy = demo / (name + ".edgetest");
  for (const char* suffix : {"", "-wal", "-shm"}) fs::remove(copy.string() + suffix);
  fs::copy_file(demoFilesIn(demo).project, copy);
  return copy;
}

// Measured once for all tests that only look.
inline fs::path measuredProject() {
  static const fs::path file = [] {
    const fs::path f = freshProject("app-measured");
    const auto p = Project::open(f);
    EXPECT_TRUE(analyseAll(*p, Progress()).empty());
    return f;
  }();
  return file;
}

// The same for a test that changes it.
inline fs::path freshCopyOfMeasured(const std::string& name) {
  const fs::path from = measuredProject(), copy = from.parent_path() / (name + ".edgetest");
  for (const char* suffix : {"", "-wal", "-shm"}) {
    fs::remove(copy.string() + suffix);
    if (fs::exists(from.string() + suffix)) fs::copy_file(from.string() + suffix, copy.string() + suffix);
  }
  return copy;
}

inline void settle(int ms = 50) {
  QElapsedTimer t;
  t.start();
  do QApplication::processEvents(QEventLoop::AllEvents, 10);
  while (t.elapsed() < ms);
}

inline bool waitFor(const std::function<bool()>& condition, int ms = 240000) {
  QElapsedTimer t;
  t.start();
  while (!condition() && t.elapsed() < ms) settle(20);
  return condition();
}

// Milliseconds of processor time: what else this machine does counts for nothing.
inline double workOf(clockid_t clock) {
  timespec t{};
  clock_gettime(clock, &t);
  return 1e3 * static_cast<double>(t.tv_sec) + static_cast<double>(t.tv_nsec) / 1e6;
}
inline double workOfThisThread() {
  return workOf(CLOCK_THREAD_CPUTIME_ID);
}
inline double workOfThisProcess() {
  return workOf(CLOCK_PROCESS_CPUTIME_ID);
}

// Until it stands open, or a question or a problem is shown instead.
inline void waitForOpening(MainWindow& w) {
  waitFor([&] { return !w.opening().running(); });
}
inline void openIn(MainWindow& w, const fs::path& project) {
  w.openProject(project);
  waitForOpening(w);
}

inline std::unique_ptr<MainWindow> openWindow(const fs::path& project) {
  auto w = std::make_unique<MainWindow>();
  w->resize(1280, 800);
  w->show();
  openIn(*w, project);
  settle();
  return w;
}

inline FigureRow* figure(Stage* stage, const char* key) {
  return stage->findChild<FigureRow*>(QString("figure:") + key);
}
inline QString problemText(MainWindow& w) {
  const auto* label = w.findChild<QLabel*>("failure");
  return label && label->isVisible() ? label->text() : QString();
}

// Shoot last: its take chooses the configuration when it is seen.
inline constexpr const char* kStages[] = {"Plan", "Match", "Range", "Latitude", "Noise", "Findings", "Shoot"};

inline void waitForPlan(MainWindow& w) {
  auto& planner = static_cast<PlanStage*>(w.stage("Plan"))->planner();
  waitFor([&] { return !planner.busy(); }, 20000);
  settle(20);
}

inline void drag(QWidget* w, QPointF from, QPointF to) {
  const auto send = [&](QEvent::Type type, QPointF at, Qt::MouseButton button, Qt::MouseButtons buttons) {
    QMouseEvent e(type, at, w->mapToGlobal(at), button, buttons, Qt::NoModifier);
    QApplication::sendEvent(w, &e);
  };
  send(QEvent::MouseButtonPress, from, Qt::LeftButton, Qt::LeftButton);
  for (int i = 1; i <= 5; ++i)
    send(QEvent::MouseMove, from + (to - from) * i / 5.0, Qt::NoButton, Qt::LeftButton);
  send(QEvent::MouseButtonRelease, to, Qt::LeftButton, Qt::NoButton);
  settle();
}

}  // namespace edge::app
