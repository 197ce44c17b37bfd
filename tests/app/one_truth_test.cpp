// One truth in all stages: what the window shows after any commands is what a fresh one would show.
#include <gtest/gtest.h>

#include <QAbstractItemView>
#include <QLabel>
#include <QPushButton>
#include <QTextBrowser>
#include <algorithm>
#include <random>

#include "project/result_kinds.h"
#include "report/known.h"
#include "ruler/ruler_data.h"
#include "shoot/shoot_stage.h"
#include "simulate/scenario.h"
#include "window.h"

namespace edge::app {
namespace {

// All words and numbers a stage shows: state, labels, tables, texts, rulers.
QStringList wordsNow(MainWindow& w, const char* name) {
  const Stage* s = w.stage(name);
  QStringList words = {QString(name) + ": " + s->state()};
  for (const auto* label : s->findChildren<QLabel*>())
    if (label->isVisible()) words << label->text();
  for (const auto* text : s->findChildren<QTextBrowser*>())
    if (text->isVisible()) words << text->toPlainText();
  for (const auto* button : s->findChildren<QPushButton*>())
    if (button->isVisible()) words << button->text() + (button->isEnabled() ? "" : " (off)");
  for (const auto* view : s->findChildren<QAbstractItemView*>()) {
    if (!view->isVisible() || !view->model()) continue;
    for (int r = 0; r < view->model()->rowCount(); ++r)
      for (int c = 0; c < view->model()->columnCount(); ++c)
        words << view->model()->index(r, c).data().toString();
  }
  for (const auto* ruler : s->findChildren<RulerWidget*>())
    if (ruler->isVisible())
      for (const auto& item : readableItems(ruler->data()))
        words << QString("%1 at %2").arg(item.words).arg(item.at);
  return words;
}

// What fills its rows a few at a time is waited for.
QStringList wordsOf(MainWindow& w, const char* name) {
  w.showStage(name);
  QStringList words, before;
  do {
    before = words;
    settle(30);
    words = wordsNow(w, name);
  } while (words != before);
  return words;
}

QStringList wordsOf(MainWindow& w) {
  waitForPlan(w);
  QStringList words = {w.path().picker().currentText()};
  for (int i = 0; i < w.path().picker().count(); ++i) words << w.path().picker().itemText(i);
  for (const char* name : kStages) words << wordsOf(w, name);
  return words;
}

struct Result {
  std::int64_t configuration;
  std::string kind, inputHash;
  nlohmann::json value;
};

std::vector<Result> resultsOfTheDemo() {
  const auto measured = Project::open(measuredProject());
  std::vector<Result> list;
  for (const auto& a : allAnalyses(*measured, measured->configurations()))
    if (auto value = measured->result(a.configuration, a.result, a.inputHash))
      list.push_back({a.configuration, a.result, a.inputHash, std::move(*value)});
  return list;
}

void expectShowsWhatAFreshWindowShows(MainWindow& w, const fs::path& file, const QStringList& done) {
  auto other = openWindow(file);
  for (auto* window : {&w, other.get()}) {
    waitForPlan(*window);
    window->showStage("Shoot");
    settle();
    auto& shooter = static_cast<ShootStage*>(window->stage("Shoot"))->shooter();
    if (shooter.take()) shooter.goTo(0);
    window->showStage("Range");
  }
  other->document().setCurrent(w.document().currentIndex());
  const QStringList live = wordsOf(w), fresh = wordsOf(*other);
  for (int i = 0; i < std::min(live.size(), fresh.size()); ++i)
    ASSERT_EQ(live[i].toStdString(), fresh[i].toStdString()) << done.join(", ").toStdString();
  ASSERT_EQ(live.size(), fresh.size()) << done.join(", ").toStdString();
}

// Results arrive in any order, and each is worked into what stands. Those of noise first: each of them reads
// all noise again, and would make good what one of a clip before it had left out.
TEST(OneTruth, ResultsThatComeOneByOneAddUp) {
  const fs::path file = freshProject("one-truth-results");
  auto results = resultsOfTheDemo();
  ASSERT_GT(results.size(), 20u);
  std::mt19937 random(7);
  for (size_t i = results.size(); i > 1; --i) std::swap(results[i - 1], results[random() % i]);
  std::stable_partition(results.begin(), results.end(), [](const Result& r) { return !isOfClips(r.kind); });
  auto w = openWindow(file);
  QStringList done;
  for (size_t i = 0; i < results.size(); ++i) {
    const auto& r = results[i];
    w->document().storeResult(r.configuration, r.kind, r.inputHash, r.value);
    done << QString("%1 of %2").arg(r.kind.c_str()).arg(r.configuration);
    if (i + 1 == results.size() * 3 / 4) expectShowsWhatAFreshWindowShows(*w, file, done);
    if (HasFatalFailure()) return;
  }
  expectShowsWhatAFreshWindowShows(*w, file, done);
}

// A property: after any commands every stage shows what it would if the project were opened afresh.
TEST(OneTruth, EveryStageShowsWhatAFreshWindowShows) {
  const fs::path file = freshProject("one-truth");
  const auto results = resultsOfTheDemo();
  {
    const auto p = Project::open(file);
    for (const auto& r : results) p->storeResult(r.configuration, r.kind, r.inputHash, r.value);
  }
  auto w = openWindow(file);
  Document& d = w->document();
  std::mt19937 random(11);
  const auto pick = [&](int n) { return static_cast<int>(random() % static_cast<unsigned>(n)); };
  const auto whole = d.project().configurations();
  const std::vector<std::pair<const char*, std::function<void()>>> commands = {
      {"undo", [&] { d.undoStack().undo(); }},
      {"redo", [&] { d.undoStack().redo(); }},
      {"configuration", [&] { d.setCurrent(pick(static_cast<int>(d.findings().size()))); }},
      {"verdict", [&] { d.overrideVerdict("p2", Verdict::Lost, "tired eyes"); }},
      {"threshold", [&] { d.setHeadlineSnr(1 + pick(5)); }},
      {"claim", [&] { d.setClaim(10 + pick(5)); }},
      {"count", [&] { d.setOwnCount(12 + pick(4)); }},
      {"recipe",
       [&] {
         auto r = d.recipe();
         r["base"]["offset_stops"] = pick(2);
         r["base"]["school"] = "metered over";
         d.setRecipe(r, "base metered over");
       }},
      {"no recipe", [&] { d.setRecipe(emptyRecipe(), "nothing planned"); }},
      {"clips gone",
       [&] {
         auto list = d.project().configurations();
         list[static_cast<size_t>(pick(static_cast<int>(list.size())))].clips.clear();
         d.setLinks(list, {});
       }},
      {"clips back", [&] { d.setLinks(whole, {}); }},
      {"chart gone",
       [&] {
         auto c = d.project().configurations()[static_cast<size_t>(pick(3))];
         (pick(2) ? c.wedge : c.bench).patches.clear();
         d.setSetups({c}, "a chart taken away");
       }},
      {"charts back", [&] { d.setSetups(whole, "charts placed"); }},
      {"log",
       [&] {
         d.appendLog({{0, "", "Corvane 35 log 500 +1", "done", {{"settings", nullptr}}}}, "shot");
       }},
  };
  QStringList done;
  for (int round = 0; round < 6; ++round) {
    for (int i = 0; i < 5; ++i) {
      const auto& [name, run] = commands[static_cast<size_t>(pick(static_cast<int>(commands.size())))];
      done << name;
      w->showStage(pick(static_cast<int>(std::size(kStages))));
      run();
      settle(5);
    }
    expectShowsWhatAFreshWindowShows(*w, file, done);
    if (HasFatalFailure()) return;
  }
}

// What was decided and taken back before its plan was made leaves no plan that knows it.
TEST(Planning, KnowsWhatStandsAndNotWhatWasTakenBack) {
  auto w = openWindow(freshCopyOfMeasured("planning-taken-back"));
  waitForPlan(*w);
  Document& d = w->document();
  const auto& planner = static_cast<PlanStage*>(w->stage("Plan"))->planner();
  const Knowledge before = knowledgeOf(d.findings());
  const Finding& f = *d.current();
  const auto clean = std::find_if(f.latitude->judged.begin(), f.latitude->judged.end(),
                                  [](const TakeVerdict& v) { return v.verdict == Verdict::Clean; });
  ASSERT_NE(clean, f.latitude->judged.end());
  const auto at = static_cast<size_t>(clean - f.latitude->judged.begin());
  d.overrideVerdict(f.latitudeMeasure->takes[at].name, Verdict::Lost, "the window is gone");
  ASSERT_FALSE(knowledgeOf(d.findings()) == before) << "the edge had to move";
  d.undoStack().undo();
  waitForPlan(*w);
  EXPECT_TRUE(planner.planned()->known == knowledgeOf(d.findings()));
}

// Links that go while no card is looked at: the gate spoke of clips as if they were still there.
TEST(OneTruth, TheGateKnowsThatClipsAreLinkedNoMore) {
  const auto w = openWindow(freshCopyOfMeasured("one-truth-gate"));
  waitForPlan(*w);
  const Shooter& shooter = static_cast<ShootStage*>(w->stage("Shoot"))->shooter();
  const auto without = [&] {
    const auto items = shooter.gate("").items;
    return std::count_if(items.begin(), items.end(),
                         [](const GateItem& i) { return i.kind == GateKind::NoClip; });
  };
  auto list = w->document().project().configurations();
  std::vector<LogEntry> shot;
  for (const auto& c : list)
    for (const auto& r : c.clips)
      if (!r.slate.empty()) shot.push_back({0, "", r.slate, "done", {{"settings", nullptr}}});
  ASSERT_FALSE(shot.empty());
  list.front().clips.clear();  // not of all: where nothing is copied yet, nothing is missed
  w->document().appendLog(shot, "shot");
  const auto before = without();
  w->document().setLinks(list, {});
  EXPECT_GT(without(), before);
  w->document().undoStack().undo();
  EXPECT_EQ(without(), before);
}

}  // namespace
}  // namespace edge::app
