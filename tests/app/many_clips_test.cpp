// A card folder of very many files: the window stays alive while they are read and matched. EDGE_MANY=5000
// plays the most that is looked at together.
#include <gtest/gtest.h>

#include <QElapsedTimer>
#include <QTableView>
#include <QTimer>
#include <cstdlib>

#include "match/match_stage.h"
#include "media/writers.h"
#include "plan/usual.h"
#include "ticks.h"
#include "window.h"

namespace edge::app {
namespace {

// One tiny movie under many names: hard links cost no room. Each is a file of its own to whoever reads it.
void manyClips(const fs::path& folder, int count) {
  fs::create_directories(folder);
  const fs::path first = folder / "A001C0000.mkv";
  MovieWriter w(first, 64, 36, 24);
  const std::vector<std::uint16_t> luma(64 * 36, 400), chroma(32 * 36, 512);
  for (int i = 0; i < 3; ++i) w.add(luma, chroma, chroma);
  w.finish();
  for (int i = 1; i < count; ++i)
    fs::create_hard_link(first, folder / QString("A001C%1.mkv").arg(i, 4, 10, QChar('0')).toStdString());
}

TEST(ManyClips, LeaveTheWindowAlive) {
  const char* wanted = std::getenv("EDGE_MANY");
  const int count = wanted ? std::atoi(wanted) : 400;
  const fs::path folder = fs::path(EDGE_SMALL_DEMO) / "many-clips";
  fs::remove_all(folder);
  manyClips(folder / "card", count);
  {
    const auto p = Project::create(folder / "day.edgetest", "Saltpan Road", "5A17A1");
    p->setDecision({0, "", kRecipeKey, withUsualDay(emptyRecipe()), ""});
  }
  MainWindow window;
  window.resize(1280, 800);
  window.show();
  openIn(window, folder / "day.edgetest");
  window.showStage("Match");
  auto& match = *qobject_cast<MatchStage*>(window.stage("Match"));
  ASSERT_TRUE(waitFor([&] { return match.work().planned() != nullptr; }, 20000));
  settle(200);
  QElapsedTimer since, whole;
  qint64 longest = 0;
  double work = workOfThisThread(), most = 0;  // ms
  QTimer pulse;
  QObject::connect(&pulse, &QTimer::timeout, [&] {
    longest = std::max(longest, since.restart());
    most = std::max(most, workOfThisThread() - work);
    work = workOfThisThread();
  });
  const Ticks before = Ticks::now();
  since.start(), whole.start();
  pulse.start(5);
  match.work().watch(folder / "card");
  ASSERT_TRUE(waitFor(
      [&] { return match.work().facts().size() == static_cast<size_t>(count) && !match.work().busy(); },
      300000));
  const qint64 took = whole.elapsed();
  settle(500);
  pulse.stop();
  const double stolen = before.stolenSince();
  std::printf(
      "%d clips in %.1f s, the interface stood still for %lld ms, worked for %.0f ms at most; %.0f %% of the "
      "machine was taken away\n",
      count, static_cast<double>(took) / 1000, static_cast<long long>(longest), most, 100 * stolen);
  EXPECT_LT(most, 100) << "ms of the interface thread's own work";
  constexpr double kRobbed = 0.1;  // from there on the clock says nothing about this program
  if (stolen < kRobbed) {
    EXPECT_LT(longest, 400) << "the interface thread stood still";
  }
  EXPECT_EQ(match.findChild<QTableView*>()->model()->rowCount(), count);
  fs::remove_all(folder);
}

}  // namespace
}  // namespace edge::app
