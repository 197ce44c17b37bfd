#include "shell/job.h"

#include <gtest/gtest.h>
#include <sys/resource.h>

#include <QApplication>
#include <QElapsedTimer>
#include <QSignalSpy>
#include <QTest>
#include <atomic>
#include <thread>

#include "widgets/figure_row.h"
#include "widgets/picture_view.h"
#include "widgets/plot.h"
#include "widgets/when_seen.h"

namespace edge::app {
namespace {

bool ends(Job& job) {
  QElapsedTimer t;
  t.start();
  while (job.running() && t.elapsed() < 5000) QApplication::processEvents(QEventLoop::AllEvents, 10);
  return !job.running();
}

TEST(JobRun, DeliversInOrderOnTheInterfaceThread) {
  Job job;
  std::vector<int> got;
  const auto* here = QThread::currentThread();
  job.start("count", [&](const Progress&, const Job::Deliver& deliver) {
    for (int i = 0; i < 20; ++i)
      deliver([&, i] {
        EXPECT_EQ(QThread::currentThread(), here);
        got.push_back(i);
      });
  });
  ASSERT_TRUE(ends(job));
  ASSERT_EQ(got.size(), 20U);
  EXPECT_TRUE(std::is_sorted(got.begin(), got.end()));
}

// A key or a paint is not to wait for all results that came together.
TEST(JobRun, OtherEventsComeBetweenWhatItDelivers) {
  constexpr int kCount = 6, kEachMs = 30;
  Job job;
  std::atomic<bool> allSent = false;
  job.start("much at once", [&](const Progress&, const Job::Deliver& deliver) {
    for (int i = 0; i < kCount; ++i) deliver([] { QThread::msleep(kEachMs); });
    allSent = true;
  });
  while (!allSent) QThread::msleep(1);
  int turns = 0;
  QTimer other;
  QObject::connect(&other, &QTimer::timeout, [&] { ++turns; });
  other.start(1);
  ASSERT_TRUE(ends(job));
  EXPECT_GE(turns, kCount - 1);
}

TEST(JobRun, GivesWayToTheWindowAndOnlyOnce) {
  const auto niceOfThisThread = [] { return getpriority(PRIO_PROCESS, 0); };
  const int window = niceOfThisThread();
  for (int round = 0; round < 2; ++round) {
    Job job;
    std::atomic<int> at = window, startedByIt = window;
    job.start("count", [&](const Progress&, const Job::Deliver&) {
      at = niceOfThisThread();
      std::thread([&] { startedByIt = niceOfThisThread(); }).join();
    });
    ASSERT_TRUE(ends(job));
    EXPECT_EQ(at, std::min(19, window + 10));
    EXPECT_EQ(startedByIt, at);
    EXPECT_EQ(niceOfThisThread(), window) << "the window's own thread stays as it is";
  }
}

TEST(JobRun, ErrorsArriveWithPlaceAndRemedy) {
  Job job;
  QSignalSpy failed(&job, &Job::failed);
  job.start("fail", [](const Progress&, const Job::Deliver&) {
    throw Error("broken", "file.mkv", "frame 3", "copy it again");
  });
  ASSERT_TRUE(ends(job));
  ASSERT_EQ(failed.count(), 1);
  EXPECT_EQ(failed[0][1].toString(), "file.mkv (frame 3)");
  EXPECT_EQ(failed[0][2].toString(), "copy it again");
  job.start("strange", [](const Progress&, const Job::Deliver&) { throw std::runtime_error("odd"); });
  ASSERT_TRUE(ends(job));
  EXPECT_EQ(failed.count(), 2);
}

TEST(JobRun, CancelEndsItAndSaysSo) {
  Job job;
  QSignalSpy finished(&job, &Job::finished);
  job.start("long", [](const Progress& p, const Job::Deliver&) {
    for (;;) p.report(0.5, "still going");
  });
  job.cancel();
  ASSERT_TRUE(ends(job));
  ASSERT_EQ(finished.count(), 1);
  EXPECT_TRUE(finished[0][0].toBool());
}

TEST(JobRun, ANewerJobSilencesTheOlder) {
  Job job;
  int old = 0, fresh = 0;
  job.start("old", [&](const Progress&, const Job::Deliver& deliver) { deliver([&] { ++old; }); });
  job.start("new", [&](const Progress&, const Job::Deliver& deliver) { deliver([&] { ++fresh; }); });
  ASSERT_TRUE(ends(job));
  EXPECT_EQ(old, 0);
  EXPECT_EQ(fresh, 1);
}

// What was on its way already does not arrive either, and who waits is told that it is over.
TEST(JobRun, AnAbandonedJobHandsNothingOver) {
  Job job;
  QSignalSpy finished(&job, &Job::finished);
  std::atomic<bool> handed = false;
  int got = 0;
  job.start("for a project", [&](const Progress& progress, const Job::Deliver& deliver) {
    deliver([&] { ++got; });
    handed = true;
    while (!progress.cancelled()) QThread::msleep(1);
    deliver([&] { ++got; });
  });
  while (!handed) QThread::msleep(1);
  job.abandon();
  EXPECT_FALSE(job.running());
  ASSERT_EQ(finished.count(), 1);
  EXPECT_TRUE(finished[0][0].toBool());
  QTest::qWait(50);
  EXPECT_EQ(got, 0);
  EXPECT_EQ(finished.count(), 1);
}

// A frame that takes long to decode is not waited for: the newer job does that, on its own thread.
TEST(JobRun, ANewerJobBeginsAfterTheOlderAndNobodyWaits) {
  Job job;
  std::atomic<bool> begun = false, ended = false, tooEarly = false;
  job.start("slow", [&](const Progress&, const Job::Deliver&) {
    begun = true;
    QThread::msleep(400);
    ended = true;
  });
  while (!begun) QThread::msleep(1);
  QElapsedTimer t;
  t.start();
  int worked = 0;
  job.start("given up",
            [&](const Progress&, const Job::Deliver& deliver) { deliver([&] { worked += 100; }); });
  job.start("new", [&](const Progress&, const Job::Deliver& deliver) {
    tooEarly = !ended;
    deliver([&] { ++worked; });
  });
  EXPECT_LT(t.elapsed(), 200);
  ASSERT_TRUE(ends(job));
  EXPECT_FALSE(tooEarly);
  EXPECT_EQ(worked, 1);
}

TEST(WhenSeenWaits, UntilItIsShownAndIsOnlyOnceThen) {
  QWidget window, page(&window);
  int refreshed = 0;
  WhenSeen seen(&page, [&] { ++refreshed; });
  seen.changed(), seen.changed();
  EXPECT_EQ(refreshed, 0);
  window.show();
  EXPECT_EQ(refreshed, 1) << "with the window that it stands in";
  seen.changed();
  EXPECT_EQ(refreshed, 2);
  page.hide(), page.show();
  EXPECT_EQ(refreshed, 2) << "nothing was another";
  page.hide();
  seen.changed();
  page.show();
  EXPECT_EQ(refreshed, 3);
}

// A straight line over the whole plot, in a colour that nothing else has.
TEST(HiddenPlot, KeepsNoPictureAndIsDrawnAsItStandsWhenItIsShown) {
  struct Seen : Plot {
    [[nodiscard]] int buffers() const { return static_cast<int>(mPaintBuffers.size()); }
    [[nodiscard]] bool shows(const QColor& colour) {
      const QImage picture = grab().toImage();
      for (int y = 0; y < picture.height(); ++y)
        if (picture.pixelColor(picture.width() / 2, y) == colour) return true;
      return false;
    }
    void draw(const QColor& colour) {
      clearAll();
      addCurve("a", colour, {0, 1}, {0.5, 0.5}, false);
      xAxis->setRange(0, 1), yAxis->setRange(0, 1);
      drawSoon();
    }
  };
  const auto turn = [] { QTest::qWait(20); };
  const QColor before(0x12, 0xd0, 0x34), after(0xd0, 0x12, 0xc4);
  QWidget window;
  window.resize(500, 300);
  Seen plot;
  plot.setParent(&window);
  plot.resize(400, 200);
  plot.draw(before), turn();
  window.show(), turn();
  EXPECT_GT(plot.buffers(), 0);
  EXPECT_TRUE(plot.shows(before));
  plot.draw(after), plot.hide(), turn();
  EXPECT_EQ(plot.buffers(), 0) << "also where it was to be drawn in the turn that it is hidden in";
  plot.draw(before), plot.draw(after), plot.resize(450, 250), turn();
  EXPECT_EQ(plot.buffers(), 0);
  plot.show();
  EXPECT_TRUE(plot.shows(after)) << "at once: nobody sees an empty plot";
  EXPECT_FALSE(plot.shows(before));
  EXPECT_EQ(plot.viewport(), QRect(0, 0, 450, 250));
}

TEST(FigureRowView, KeyboardAsksAndAccessibleNameHoldsTheNumber) {
  FigureRow row("over", "Upper edge", false);
  row.setFigure("+4.0 \u00b10.3", "stops", "");
  EXPECT_EQ(row.accessibleName(), "Upper edge: +4.0 \u00b10.3 stops");
  QSignalSpy asked(&row, &FigureRow::asked);
  for (auto key : {Qt::Key_Return, Qt::Key_Space, Qt::Key_Enter}) QTest::keyClick(&row, key);
  EXPECT_EQ(asked.count(), 3);
  row.resize(120, row.sizeHint().height());
  EXPECT_FALSE(row.grab().isNull());
}

TEST(PlotView, DraggableLineFollowsKeysAndIsOnlyOne) {
  Plot plot;
  plot.resize(400, 300);
  plot.addCurve("luma", Qt::white, {0, 1, 2}, {0, 2, 3});
  plot.yAxis->setRange(-1, 4);
  plot.addLevel(1, "fixed", false);
  EXPECT_FALSE(plot.draggablePixel());
  plot.addLevel(2, "mine", true);
  ASSERT_TRUE(plot.draggablePixel());
  QSignalSpy dropped(&plot, &Plot::levelDropped);
  QTest::keyClick(&plot, Qt::Key_Up);
  QTest::keyClick(&plot, Qt::Key_Down, Qt::ShiftModifier);
  ASSERT_EQ(dropped.count(), 2);
  EXPECT_NEAR(dropped[0][0].toDouble(), 2.1, 1e-9);
  EXPECT_NEAR(dropped[1][0].toDouble(), 1.5, 1e-9);
  plot.clearAll();
  EXPECT_FALSE(plot.draggablePixel());
}

TEST(PictureViewWidget, RegionsAreChosenByClickAtAnySize) {
  PictureView view;
  view.resize(400, 260);
  Picture p{200, 100, std::vector<std::uint8_t>(60000, 90)};
  view.setPicture(p, "a take");
  view.setRegions({{{{{50, 25}, {150, 25}, {150, 75}, {50, 75}}}, "face", "the face", Qt::SolidLine, false}},
                  200, 100);
  QSignalSpy chosen(&view, &PictureView::regionChosen);
  QTest::mouseClick(&view, Qt::LeftButton, {}, QPoint(200, 120));
  QTest::mouseClick(&view, Qt::LeftButton, {}, QPoint(10, 120));
  ASSERT_EQ(chosen.count(), 1);
  EXPECT_EQ(chosen[0][0].toString(), "face");
  // Who listens may draw other regions at once, and goes on reading the name.
  QString after;
  const auto replaced = QObject::connect(&view, &PictureView::regionChosen, [&](const QString& name) {
    view.setRegions({}, 200, 100);
    after = name;
  });
  QTest::mouseClick(&view, Qt::LeftButton, {}, QPoint(200, 120));
  EXPECT_EQ(after, "face");
  QObject::disconnect(replaced);
  view.setActualSize(true);
  EXPECT_FALSE(view.grab().isNull());
  view.clearPicture("gone");
  EXPECT_FALSE(view.hasPicture());
}

}  // namespace
}  // namespace edge::app
