// Makes the pictures of docs/screenshots from the demo project: edge-screenshots DEMO_FOLDER OUT_FOLDER
// [--small]
#include <QApplication>
#include <QDir>
#include <QElapsedTimer>
#include <QSettings>
#include <QStandardPaths>
#include <cstdio>

#include "plan/plan_stage.h"
#include "shell/main_window.h"

using namespace edge::app;

namespace {

void settle(int milliseconds) {
  QElapsedTimer t;
  t.start();
  while (t.elapsed() < milliseconds) QApplication::processEvents(QEventLoop::AllEvents, 20);
}

void waitForJob(MainWindow& w) {
  settle(100);
  while (w.job().running()) settle(50);
  settle(100);
}

void shoot(MainWindow& w, const QString& file) {
  settle(2500);
  if (!w.grab().save(file)) std::fprintf(stderr, "can't write %s\n", qPrintable(file));
}

}  // namespace

int main(int argc, char** argv) {
  QApplication application(argc, argv);
  QStandardPaths::setTestModeEnabled(true);
  QApplication::setOrganizationName("edge-test");
  QApplication::setApplicationName("edge-test-screenshots");
  if (argc < 3) return std::fprintf(stderr, "usage: edge-screenshots DEMO_FOLDER OUT_FOLDER [--small]\n"), 2;
  loadFonts();
  QApplication::setFont(typeface(size::kBody));
  QSettings().clear();
  const QDir out(argv[2]);
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  shoot(window, out.filePath("empty.png"));
  window.openDemo(argv[1], argc > 3);
  waitForJob(window);
  waitForJob(window);
  window.showStage("Plan");
  auto* plan = static_cast<PlanStage*>(window.stage("Plan"));
  plan->tree().go("/lamps/0/minimum_percent");
  plan->choose(0, 9);
  shoot(window, out.filePath("plan.png"));
  plan->showPage(1);
  window.showSums(true);
  window.sums().choose("light");
  shoot(window, out.filePath("plan-sums.png"));
  window.showSums(false);
  window.showStage("Range");
  shoot(window, out.filePath("range.png"));
  window.showStage("Latitude");
  shoot(window, out.filePath("latitude.png"));
  window.showStage("Findings");
  shoot(window, out.filePath("findings.png"));
  window.setThemeKind(ThemeKind::Light);
  window.showStage("Latitude");
  shoot(window, out.filePath("latitude-light.png"));
  return 0;
}
