// The Plan stage as it is used: keyboard, mouse, mistakes, files. The plan itself is tested in tests/plan.
#include <gtest/gtest.h>

#include <QCheckBox>
#include <QComboBox>
#include <QFileDialog>
#include <QInputDialog>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QSignalSpy>
#include <QStandardItemModel>
#include <QTableView>
#include <QTest>
#include <QTextBrowser>
#include <QTimer>

#include "base/files.h"
#include "plan/plan_stage.h"
#include "plan/usual.h"
#include "simulate/scenario.h"
#include "window.h"

namespace edge::app {
namespace {

using nlohmann::json;

// A window on a project of its own, which goes when the test ends.
class PlanView : public ::testing::Test {
 protected:
  void SetUp() override {
    folder_ = fs::path(EDGE_SMALL_DEMO) / "plan-view";
    fs::remove_all(folder_);
    fs::create_directories(folder_);
    window_ = std::make_unique<MainWindow>();
    window_->resize(1280, 800);
    window_->show();
    settle();
  }
  void TearDown() override {
    window_.reset();
    fs::remove_all(folder_);
  }

  void create() {
    window_->createProject(folder_ / "test.edgetest");
    ready();
  }
  void createWith(const json& recipe) {
    create();
    stage().planner().edit(recipe, "for the test");
    ready();
  }
  void ready() {
    settle();
    ASSERT_TRUE(waitFor([&] { return !stage().planner().busy(); }, 20000));
    settle();
  }
  PlanStage& stage() { return *qobject_cast<PlanStage*>(window_->stage("Plan")); }
  const Plan& plan() { return stage().planner().planned()->plan; }
  json recipe() { return window_->document().recipe(); }
  RulerWidget& board() { return *stage().findChild<RulerWidget*>(); }

  // Every stroke is counted; keys go where a person's would.
  void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QWidget* at = QApplication::focusWidget();
    QTest::keyClick(at ? at : window_.get(), static_cast<Qt::Key>(k), m);
    ++strokes_;
    settle(5);
  }
  void type(const QString& text) {
    for (const QChar c : text) {
      QTest::keyClick(QApplication::focusWidget(), c.toLatin1());
      ++strokes_;
    }
  }
  void enter(const QString& text) {
    type(text);
    key(Qt::Key_Return);
  }
  QPushButton* button(const QString& starts) {
    for (auto* b : window_->findChildren<QPushButton*>())
      if (b->isVisible() && b->text().startsWith(starts)) return b;
    return nullptr;
  }
  void edit(const QString& path, const QString& text) {
    stage().tree().setFocus();
    stage().tree().go(path);
    key(Qt::Key_Return);
    auto* line = qobject_cast<QLineEdit*>(QApplication::focusWidget());
    ASSERT_TRUE(line) << qPrintable(path);
    line->selectAll();
    enter(text);
  }

  fs::path folder_;
  std::unique_ptr<MainWindow> window_;
  int strokes_ = 0;
};

TEST_F(PlanView, FromNothingToATwoBodyPlanByKeyboardAlone) {
  QElapsedTimer clock;
  clock.start();
  // The file dialog runs its own loop: its keys are sent from there, and again where it was still reading the
  // folder. A whole path must not be typed: what it marks of each folder on the way may come after Enter.
  int tries = 0;
  QTimer answer;
  QObject::connect(&answer, &QTimer::timeout, [&] {
    auto* dialog = qobject_cast<QFileDialog*>(QApplication::activeModalWidget());
    if (!dialog) return;
    if (++tries > 50) return dialog->reject();
    dialog->setDirectory(QString::fromStdString(folder_.string()));
    auto* name = dialog->findChild<QLineEdit*>();
    name->selectAll();
    QTest::keyClicks(name, "prep");
    QTest::keyClick(name, Qt::Key_Return);
  });
  answer.start(100);
  strokes_ += 5;  // "prep", Enter
  key(Qt::Key_N, Qt::ControlModifier);
  answer.stop();
  ready();
  ASSERT_TRUE(fs::exists(folder_ / "prep.edgetest"));
  window_->activateWindow();  // what a window manager does when the dialog goes
  settle();
  EXPECT_EQ(stage().tree().recipe().path(stage().tree().currentIndex()), "/bodies");

  key(Qt::Key_Insert);
  enter("Corvane 35");
  key(Qt::Key_Insert);
  enter("Pellam S6");
  EXPECT_EQ(recipe()["bodies"][1]["name"], "Pellam S6");
  // From the name of the second body down to its circuits, open, and to the native ISO.
  while (!stage().tree().recipe().path(stage().tree().currentIndex()).endsWith("/circuits"))
    key(Qt::Key_Down);
  key(Qt::Key_Right);
  key(Qt::Key_Down);
  key(Qt::Key_Right);
  key(Qt::Key_Right);
  key(Qt::Key_Return);
  ASSERT_TRUE(qobject_cast<QLineEdit*>(QApplication::focusWidget()));
  qobject_cast<QLineEdit*>(QApplication::focusWidget())->selectAll();
  enter("640");
  EXPECT_EQ(plainValue(recipe()["bodies"][1]["circuits"][0]["native_iso"]), 640);
  key(Qt::Key_U);
  ready();
  const qint64 machine = clock.elapsed();

  EXPECT_EQ(problemText(*window_), "");
  std::set<std::string> bodies;
  for (const auto& row : plan().coverage) bodies.insert(row.body);
  EXPECT_EQ(bodies, (std::set<std::string>{"Corvane 35", "Pellam S6"}));
  for (const auto& t : plan().takes) EXPECT_LE(std::abs(t.errorStops), 0.01) << t.slate;
  for (const auto& p : plan().problems) EXPECT_NE(p.severity, Severity::Stop) << p.words;
  EXPECT_GE(plan().takes.size(), 40U);
  EXPECT_LT(strokes_, 60);
  RecordProperty("keystrokes", strokes_);
  RecordProperty("machine_ms", static_cast<int>(machine));
  RecordProperty("takes", static_cast<int>(plan().takes.size()));
}

TEST_F(PlanView, EditsAreKeptUndoneAndSayWhereTheyCameFrom) {
  createWith(withUsualDay(emptyRecipe()));
  edit("/lenses/0/widest", "T2,8");
  EXPECT_EQ(plainValue(recipe()["lenses"][0]["widest"]), 2.8);
  EXPECT_EQ(originOf(recipe()["lenses"][0]["widest"]), "typed");
  // Kept in the file at once: what was said survives a kill.
  const auto kept = Project::open(folder_ / "test.edgetest")->decision(0, "", kRecipeKey);
  EXPECT_EQ(plainValue(kept->value["lenses"][0]["widest"]), 2.8);
  stage().tree().setFocus();
  stage().tree().go("/lenses/0/widest");
  key(Qt::Key_F4);
  auto* from = qobject_cast<QComboBox*>(QApplication::focusWidget());
  ASSERT_TRUE(from);
  from->setCurrentText("measured");
  key(Qt::Key_Return);
  settle();
  EXPECT_EQ(originOf(recipe()["lenses"][0]["widest"]), "measured");
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(originOf(recipe()["lenses"][0]["widest"]), "typed");
  key(Qt::Key_Z, Qt::ControlModifier);
  ready();
  EXPECT_NE(plainValue(recipe()["lenses"][0]["widest"]), 2.8);
  key(Qt::Key_Z, Qt::ControlModifier | Qt::ShiftModifier);
  EXPECT_EQ(plainValue(recipe()["lenses"][0]["widest"]), 2.8);
  ready();
}

TEST_F(PlanView, ThePlanFollowsWhileTyping) {
  createWith(withUsualDay(emptyRecipe()));
  const size_t before = plan().takes.size();
  stage().tree().setFocus();
  stage().tree().go("/tests/1/under");
  key(Qt::Key_Return);
  qobject_cast<QLineEdit*>(QApplication::focusWidget())->selectAll();
  type("2");
  ready();
  EXPECT_LT(plan().takes.size(), before) << "planned as it would be";
  EXPECT_NE(plainValue(recipe()["tests"][1].value("under", json(6))), 2) << "but not yet said";
  key(Qt::Key_Escape);
  ready();
  EXPECT_EQ(plan().takes.size(), before) << "taken back";
}

TEST_F(PlanView, WhatMakesNoSenseIsSaidAndNothingIsLost) {
  createWith(withUsualDay(emptyRecipe()));
  const json before = recipe();
  edit("/lenses/0/widest", "wide");
  EXPECT_TRUE(problemText(*window_).contains("wide")) << qPrintable(problemText(*window_));
  EXPECT_EQ(recipe(), before);
  // A contradiction of two values is kept as said, named, and the last plan still stands.
  const size_t takes = plan().takes.size();
  edit("/lenses/0/closest", "1");
  ready();
  EXPECT_EQ(stage().state(), "recipe contradicts itself");
  EXPECT_TRUE(stage().findChild<ProblemList*>()->texts().first().contains("contradicts itself"));
  EXPECT_EQ(plan().takes.size(), takes);
  key(Qt::Key_Z, Qt::ControlModifier);
  ready();
  EXPECT_NE(stage().state(), "recipe contradicts itself");
}

TEST_F(PlanView, AnImpossibleStepIsMendedWithOneClick) {
  json r = withUsualDay(emptyRecipe());
  r["nd"] = json::array();
  r["lenses"][0]["widest"] = 2.8, r["lenses"][0]["closest"] = 5.6;
  r["shutter"] = {{"slowest", "180deg"}, {"fastest", "180deg"}};
  r["lamps"][0]["lux_at_1m"] = 6000;
  createWith(r);
  const auto stops = [&] {
    return std::count_if(plan().problems.begin(), plan().problems.end(),
                         [](const Problem& p) { return p.severity == Severity::Stop; });
  };
  ASSERT_GT(stops(), 0);
  EXPECT_TRUE(stage().state().contains("problem"));
  int crossed = 0;
  for (const auto& row : board().data().rows)
    for (const auto& c : row.cells) crossed += c.kind == CellKind::Impossible;
  EXPECT_GT(crossed, 0);
  QPushButton* enough = nullptr;
  for (auto* b : stage().findChildren<QPushButton*>("remedy"))
    if (!enough && b->isVisible() && b->text().endsWith("· enough")) enough = b;
  ASSERT_TRUE(enough) << "at least one remedy makes it possible";
  const json before = recipe();
  const auto were = stops();
  QTest::mouseClick(enough, Qt::LeftButton);
  ready();
  EXPECT_LT(stops(), were);
  window_->document().undoStack().undo();
  EXPECT_EQ(recipe(), before);
  ready();
}

TEST_F(PlanView, ACellIsSkippedAndAskedForAgainByKey) {
  createWith(withUsualDay(emptyRecipe()));
  stage().tree().setFocus();
  key(Qt::Key_B);  // from the recipe to the board by its letter
  EXPECT_TRUE(board().hasFocus());
  stage().choose(0, 0);
  const size_t before = plan().takes.size();
  EXPECT_TRUE(stage().findChild<TakePanel*>()->toPlainText().contains("recomputed"));
  key(Qt::Key_Space);
  auto* why = stage().findChild<QInputDialog*>();
  ASSERT_TRUE(why && why->isVisible()) << "a skip has a reason";
  why->reject();
  settle();
  EXPECT_EQ(plan().takes.size(), before) << "without one nothing is skipped";
  window_->activateWindow();
  settle();
  board().setFocus();
  key(Qt::Key_Space);
  for (auto* open : stage().findChildren<QInputDialog*>())
    if (open->isVisible()) open->setTextValue("the rope loft is too dark"), open->accept();
  ready();
  EXPECT_EQ(plan().takes.size(), before - 1);
  EXPECT_EQ(board().data().rows[0].cells[0].kind, CellKind::Skipped);
  EXPECT_TRUE(stage().findChild<TakePanel*>()->toPlainText().contains("rope loft"));
  stage().choose(0, 0);
  window_->activateWindow();
  settle();
  board().setFocus();
  key(Qt::Key_Space);
  ready();
  EXPECT_EQ(plan().takes.size(), before);
  key(Qt::Key_Right);
  ready();
  EXPECT_TRUE(board().readingText().contains("stops, ")) << qPrintable(board().readingText());
}

// What became of every take stands on the board, and the light that each configuration asks for beside it.
TEST_F(PlanView, TheBoardShowsWhereTakesStand) {
  createWith(withUsualDay(emptyRecipe()));
  const auto cellOf = [&](const std::string& slate) -> const RulerCell* {
    const auto& rows = plan().coverage;
    for (size_t r = 0; r < rows.size(); ++r)
      for (size_t c = 0; c < rows[r].cells.size(); ++c)
        if (rows[r].cells[c].take >= 0 &&
            plan().takes[static_cast<size_t>(rows[r].cells[c].take)].slate == slate)
          return &board().data().rows[r].cells[c];
    return nullptr;
  };
  std::vector<std::string> steps;
  for (const auto& t : plan().takes)
    if (t.role == TakeRole::Step && cellOf(t.slate)) steps.push_back(t.slate);
  ASSERT_GE(steps.size(), 2U);
  ASSERT_TRUE(cellOf(steps[0]) && cellOf(steps[1]));
  EXPECT_FALSE(cellOf(steps[0])->filled);
  window_->document().appendLog({{0, "", steps[0], "done", nullptr}}, "shot");
  window_->document().appendLog({{0, "", steps[1], "done", nullptr}}, "shot");
  window_->document().appendLog({{0, "", steps[1], "redo", {{"reason", "blinked"}}}}, "again");
  settle();
  EXPECT_TRUE(cellOf(steps[0])->filled);
  EXPECT_TRUE(cellOf(steps[0])->words.contains("shot"));
  EXPECT_TRUE(cellOf(steps[1])->lost);
  EXPECT_TRUE(cellOf(steps[1])->words.contains("to be shot again"));
  key(Qt::Key_5, Qt::ControlModifier);
  QString light;
  for (auto* text : stage().findChildren<QTextBrowser*>())
    if (text->accessibleName().startsWith("Light needed")) light = text->toPlainText();
  for (const char* words : {"lux", "fc", "ISO", "Local codes"})
    EXPECT_TRUE(light.contains(words)) << words << qPrintable(light);
}

TEST_F(PlanView, ItemsAreAddedAndRemovedWithoutLosingThePlace) {
  createWith(withUsualDay(emptyRecipe()));
  stage().tree().setFocus();
  stage().tree().go("/nd");
  const size_t before = recipe()["nd"].size();
  key(Qt::Key_Insert);
  EXPECT_EQ(recipe()["nd"].size(), before + 1);
  key(Qt::Key_Escape);
  EXPECT_TRUE(stage().tree().recipe().path(stage().tree().currentIndex()).startsWith("/nd/4"));
  key(Qt::Key_Delete);
  EXPECT_EQ(recipe()["nd"].size(), before);
  EXPECT_TRUE(stage().tree().recipe().path(stage().tree().currentIndex()).startsWith("/nd"));
  ready();
}

TEST_F(PlanView, RunListAndRecipeAreWrittenAndReadBack) {
  createWith(json::parse(demoRecipeText()));
  QSignalSpy done(&stage(), &Stage::done);
  stage().exportTo(PlanStage::Export::Csv, folder_ / "run.csv");
  stage().exportTo(PlanStage::Export::Pdf, folder_ / "run.pdf");
  stage().exportTo(PlanStage::Export::Recipe, folder_ / "recipe.json");
  EXPECT_EQ(done.count(), 3);
  const std::string csv = readText(folder_ / "run.csv");
  EXPECT_EQ(static_cast<size_t>(std::count(csv.begin(), csv.end(), '\n')), plan().takes.size() + 1);
  EXPECT_EQ(readText(folder_ / "run.pdf").substr(0, 5), "%PDF-");
  const json before = recipe();
  stage().planner().edit(emptyRecipe(), "away");
  stage().importRecipe(folder_ / "recipe.json");
  ready();
  EXPECT_EQ(recipe(), before);
  stage().exportTo(PlanStage::Export::Csv, "/no/such/folder/run.csv");
  EXPECT_TRUE(problemText(*window_).contains("/no/such/folder")) << qPrintable(problemText(*window_));
  // A file that is no recipe changes nothing.
  writeFileAtomically(folder_ / "bad.json", R"({"format": "edge-test-recipe", "version": 1, "bodies": 3})");
  stage().importRecipe(folder_ / "bad.json");
  EXPECT_TRUE(problemText(*window_).contains("bad.json")) << qPrintable(problemText(*window_));
  EXPECT_EQ(recipe(), before);
}

TEST_F(PlanView, RunListShowsEveryTakeAndItsSettings) {
  createWith(json::parse(demoRecipeText()));
  key(Qt::Key_2, Qt::ControlModifier);
  auto* table = stage().findChild<QTableView*>();
  ASSERT_TRUE(table->isVisible());
  EXPECT_EQ(table->model()->rowCount(), static_cast<int>(plan().takes.size()));
  table->setFocus();
  table->selectRow(3);
  EXPECT_TRUE(
      stage().findChild<TakePanel*>()->toPlainText().contains(QString::fromStdString(plan().takes[3].slate)));
}

TEST_F(PlanView, TicksOfTheChecklistKeepTheirTimeAndAreUndone) {
  createWith(withUsualDay(emptyRecipe()));
  stage().showPage(2);
  auto* list = stage().findChild<QListView*>();
  ASSERT_GT(list->model()->rowCount(), 5);
  list->setFocus();
  list->setCurrentIndex(list->model()->index(0, 0));
  key(Qt::Key_Space);
  EXPECT_EQ(list->model()->index(0, 0).data(Qt::CheckStateRole).toInt(), Qt::Checked);
  ASSERT_EQ(window_->document().checklist().size(), 1U);
  EXPECT_TRUE(window_->document().checklist().begin().value().is_string());
  key(Qt::Key_Z, Qt::ControlModifier);
  EXPECT_EQ(list->model()->index(0, 0).data(Qt::CheckStateRole).toInt(), Qt::Unchecked);
}

TEST_F(PlanView, FinerStepsAreProposedAroundMeasuredEdgesOnly) {
  openIn(*window_, measuredProject());
  window_->showStage("Plan");
  ready();
  const auto finer = stage().planner().finer();
  ASSERT_FALSE(finer.empty());
  auto* b = button("Finer steps");
  ASSERT_TRUE(b);
  const size_t before = plan().takes.size();
  stage().tree().setFocus();
  key(Qt::Key_F);
  ready();
  EXPECT_GT(plan().takes.size(), before);
  EXPECT_TRUE(stage().planner().finer().empty()) << "asked for once";
  window_->document().undoStack().undo();
  ready();
  EXPECT_EQ(plan().takes.size(), before);
}

// 40 configurations x 13 steps: typing and walking the board keep the window alive.
TEST_F(PlanView, FortyConfigurationsStayFluid) {
  json r = withUsualDay(emptyRecipe());
  r["bodies"] = json::array();
  for (int b = 0; b < 10; ++b) {
    json body = starterItem("bodies", r["bodies"]);
    body["name"] = "Body of a long name " + std::to_string(b);
    body["circuits"] = {{{"native_iso", 500}}, {{"native_iso", 2500}}};
    r["bodies"].push_back(body);
  }
  r["tests"] = {{{"kind", "bracket"}, {"over", 6}, {"under", 6}}};
  createWith(r);
  ASSERT_EQ(plan().coverage.size(), 40U);
  ASSERT_EQ(plan().coverage[0].cells.size(), 13U);
  qint64 longest = 0;
  QElapsedTimer gap;
  QTimer ticker;
  QObject::connect(&ticker, &QTimer::timeout, [&] { longest = std::max(longest, gap.restart()); });
  gap.start();
  ticker.start(1);
  stage().tree().setFocus();
  stage().tree().go("/tests/0/under");
  key(Qt::Key_Return);
  for (const char* text : {"5", "4", "3", "6"}) {
    qobject_cast<QLineEdit*>(QApplication::focusWidget())->selectAll();
    type(text);
    ready();
  }
  key(Qt::Key_Return);
  ready();
  window_->activateWindow();
  settle();
  board().setFocus();
  for (int i = 0; i < 30; ++i) key(i % 3 ? Qt::Key_Right : Qt::Key_Down);
  ticker.stop();
  RecordProperty("longest_gap_ms", static_cast<int>(longest));
  EXPECT_LT(longest, 120) << "the interface thread stood still";
}

TEST_F(PlanView, SumsByKeyboardBesideThePlan) {
  createWith(withUsualDay(emptyRecipe()));
  key(Qt::Key_F3);
  SumsDrawer& sums = window_->sums();
  ASSERT_TRUE(sums.isVisible());
  type("aperture shutter");
  key(Qt::Key_Return);  // into the first field of the one that fits
  ASSERT_TRUE(QApplication::focusWidget()->objectName().startsWith("sum:"));
  // 100 fc at ISO 100 and 1/50 s near T2.8: common practice.
  for (const auto& [field, text] :
       {std::pair("light", "100 fc"), std::pair("iso", "100"), std::pair("shutter", "1/50")})
    sums.setField(field, text);
  EXPECT_TRUE(sums.answer().contains("2.8")) << qPrintable(sums.answer() + " / " + sums.working());
  key(Qt::Key_Escape);
  EXPECT_FALSE(sums.isVisible());
}

}  // namespace
}  // namespace edge::app
