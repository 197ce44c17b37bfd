// Stage Latitude driven as a person would: branches, profiles, limits, bases, more takes, corrections.
#include "latitude/latitude_stage.h"

#include <gtest/gtest.h>

#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>

#include "base/files.h"
#include "color/look_files.h"
#include "plan/recipe.h"
#include "recover/reducer.h"
#include "window.h"

namespace edge::app {
namespace {

class Bracket : public ::testing::Test {
 protected:
  void open(const fs::path& file) {
    w_ = openWindow(file);
    w_->showStage("Latitude");
    stage_ = qobject_cast<LatitudeStage*>(w_->stage("Latitude"));
    settle();
  }
  [[nodiscard]] QString text(const char* key) const { return figure(stage_, key)->text(); }
  [[nodiscard]] fs::path folder() const { return folder_.path().toStdString(); }
  [[nodiscard]] QTableView& table() const { return *stage_->findChild<QTableView*>("takes"); }
  [[nodiscard]] QString cell(const QString& take, int column) const {
    for (int r = 0; r < table().model()->rowCount(); ++r)
      if (table().model()->index(r, TakeModel::Name).data() == take)
        return table().model()->index(r, column).data().toString();
    return "no such take";
  }
  QTemporaryDir folder_;
  std::unique_ptr<MainWindow> w_;
  LatitudeStage* stage_ = nullptr;
};

TEST_F(Bracket, AKeyGoesThroughTheBranchesAndEverythingFollows) {
  open(measuredProject());
  const QString effort = cell("m5", TakeModel::Effort);
  EXPECT_EQ(stage_->branch(), Branch::Exposure);
  QTest::keyClick(stage_, Qt::Key_B);
  QTest::keyClick(stage_, Qt::Key_B);
  EXPECT_EQ(stage_->branch(), Branch::Grade);
  EXPECT_NE(cell("m5", TakeModel::Effort), effort);
  EXPECT_TRUE(stage_->findChild<QPushButton*>("branch:grade")->isChecked());
  ASSERT_TRUE(waitFor([&] {
    for (const auto* v : stage_->findChildren<PictureView*>())
      if (v->accessibleName().contains("best grade")) return true;
    return false;
  }));
  // What a figure is explained by is the branch that is shown.
  emit figure(stage_, "latitude")->asked("latitude");
  settle();
  EXPECT_TRUE(stage_->findChild<ExplainPanel*>()->toPlainText().contains("best grade"));
  QTest::keyClick(stage_, Qt::Key_B);
  QTest::keyClick(stage_, Qt::Key_B);
  EXPECT_EQ(stage_->branch(), Branch::Exposure);
}

TEST_F(Bracket, EveryTakeStandsInTheContactStrip) {
  open(measuredProject());
  auto* strip = stage_->findChild<ContactStrip*>();
  EXPECT_EQ(strip->count(), w_->document().current()->latitudeMeasure->takes.size());
  ASSERT_TRUE(waitFor([&] { return strip->complete(); }));
  EXPECT_TRUE(strip->accessibleDescription().contains("take m5: "));
  QTest::mouseClick(strip, Qt::LeftButton, {}, QPoint(4, 20));
  EXPECT_EQ(stage_->selectedTake(), table().model()->index(0, TakeModel::Name).data().toString())
      << "darkest first";
}

TEST_F(Bracket, TheStripIsThatOfTheConfigurationWhereverOneComesFrom) {
  open(measuredProject());
  auto* strip = stage_->findChild<ContactStrip*>();
  ASSERT_TRUE(waitFor([&] { return strip->complete(); }));
  w_->document().setCurrent(1);
  ASSERT_TRUE(waitFor([&] { return strip->complete(); }));
  w_->document().setCurrent(0);
  ASSERT_TRUE(waitFor([&] { return strip->complete(); }, 5000)) << "seen before: at once";
}

TEST_F(Bracket, AProfileRejudgesAtOnceAndIsUndone) {
  open(freshCopyOfMeasured("app-profile"));
  const QString before = text("latitude");
  auto* profile = stage_->findChild<QComboBox*>("profile");
  const int web = profile->findText("web");
  ASSERT_GT(web, 0);
  QElapsedTimer t;
  t.start();
  profile->setCurrentIndex(web);
  emit profile->activated(web);
  EXPECT_LT(t.elapsed(), 1000);
  EXPECT_NE(text("latitude"), before);
  EXPECT_EQ(w_->document().criteria().name, "web");
  w_->document().undoStack().undo();
  settle();
  EXPECT_EQ(text("latitude"), before);
  EXPECT_EQ(stage_->findChild<QComboBox*>("profile")->currentIndex(), 0);
}

TEST_F(Bracket, ALimitIsDraggedAndUndone) {
  open(freshCopyOfMeasured("app-limit"));
  QTest::keyClick(stage_, Qt::Key_T);
  auto* panel = stage_->findChild<CriteriaPanel*>();
  ASSERT_TRUE(panel->isVisible());
  panel->choose(Criterion::LumaNoise);
  settle();
  auto* plot = panel->findChild<Plot*>();
  const LimitPair before = w_->document().criteria()[Criterion::LumaNoise];
  const double clean = *plot->draggablePixel(0), lost = *plot->draggablePixel(1);
  ASSERT_GT(clean, lost);
  const double middle = plot->width() / 2.0;
  drag(plot, {middle, clean}, {middle, (clean + lost) / 2});
  const LimitPair after = w_->document().criteria()[Criterion::LumaNoise];
  EXPECT_NEAR(after.clean, (before.clean + before.lost) / 2, 0.2);
  EXPECT_EQ(after.lost, before.lost);
  EXPECT_EQ(w_->document().criteria().name, "own limits after default");
  // The clean limit cannot pass the lost one.
  emit plot->levelDropped(before.lost * 3, 0);
  EXPECT_EQ(w_->document().criteria()[Criterion::LumaNoise].clean, before.lost);
  w_->document().undoStack().undo();
  w_->document().undoStack().undo();
  EXPECT_EQ(w_->document().criteria()[Criterion::LumaNoise].clean, before.clean);
}

TEST_F(Bracket, ProfilesAreKeptAsFilesAndBadOnesAreSaid) {
  open(freshCopyOfMeasured("app-profile-file"));
  auto* bar = stage_->findChild<ChoiceBar*>();
  CriteriaProfile own = standardProfiles()[1];
  own.name = "ours";
  w_->document().setCriteria(own, "ours");
  bar->saveProfileTo(folder() / "ours.json");
  w_->document().undoStack().undo();
  bar->loadProfileFrom(folder() / "ours.json");
  EXPECT_EQ(w_->document().criteria().name, "ours");
  EXPECT_EQ(stage_->findChild<QComboBox*>("profile")->currentText(), "ours");
  const QSignalSpy failed(stage_, &Stage::failed);
  writeFileAtomically(folder() / "bad.json", std::string_view(R"({"format": "edge-test-profile"})"));
  bar->loadProfileFrom(folder() / "bad.json");
  ASSERT_EQ(failed.count(), 1);
  EXPECT_TRUE(failed[0][1].toString().contains("bad.json"));
  EXPECT_EQ(w_->document().criteria().name, "ours") << "a bad file changes nothing";
}

TEST_F(Bracket, CountedFromAnotherBaseTheWidthStays) {
  open(measuredProject());
  const QString width = text("latitude"), over = text("over");
  stage_->countFrom("m2");
  settle();
  EXPECT_EQ(text("latitude"), width);
  EXPECT_NE(text("over"), over);
  EXPECT_EQ(stage_->findChild<RulerWidget*>()->data().zeroName, "take m2");
  EXPECT_EQ(stage_->findChild<QComboBox*>("base")->currentText(), "take m2");
  stage_->countFrom("");
  EXPECT_EQ(text("over"), over);
}

// Rows drawn by the scale follow the hand: a stop to the right, a base a stop darker.
TEST_F(Bracket, TheRulersZeroIsDraggedToAnotherBase) {
  open(measuredProject());
  auto* ruler = stage_->findChild<RulerWidget*>();
  const QString width = text("latitude");
  const RulerLayout layout;
  const QRectF area = QRectF(ruler->rect()).adjusted(0, 0, -1, 0);
  const double stop = layout.x(area, 1) - layout.x(area, 0);
  const QPointF at(layout.x(area, 0), 8);
  const double before = ruler->data().rows[0].edges[0].at;
  drag(ruler, at, at + QPointF(2 * stop, 0));
  EXPECT_EQ(ruler->data().zeroName, "take m2");
  EXPECT_NEAR(ruler->data().rows[0].edges[0].at, before + 2, 0.15);
  EXPECT_EQ(stage_->findChild<QComboBox*>("base")->currentText(), "take m2");
  EXPECT_EQ(text("latitude"), width);
  // Where no take lies the number itself is the base, by key too.
  QTest::keyClick(ruler, Qt::Key_Left, Qt::ShiftModifier);
  EXPECT_TRUE(ruler->data().zeroName.contains("stops")) << ruler->data().zeroName.toStdString();
  EXPECT_EQ(stage_->findChild<QComboBox*>("base")->currentText(), ruler->data().zeroName);
  stage_->countFrom("");
  EXPECT_EQ(ruler->data().zeroName, "base");
}

TEST_F(Bracket, TheWaySkinTurnsIsAPath) {
  open(measuredProject());
  stage_->showPanel(LatitudeStage::Criteria);
  auto* panel = stage_->findChild<CriteriaPanel*>();
  panel->chooseSkinPath();
  settle();
  auto* plot = panel->findChild<Plot*>("criteria");
  int curves = 0;
  EXPECT_TRUE(plot->axisRect()->visible());
  for (int i = 0; i < plot->plottableCount(); ++i)
    if (auto* curve = qobject_cast<QCPCurve*>(plot->plottable(i))) {
      ++curves;
      EXPECT_GT(curve->data()->size(), 2);
      EXPECT_EQ(curve->data()->begin()->key, 0) << "from the base outward";
    }
  EXPECT_EQ(curves, 2);
  EXPECT_FALSE(panel->findChild<QComboBox*>("delivery")->isEnabled());
  panel->choose(Criterion::LumaNoise);
  EXPECT_EQ(plot->plottableCount(), 1);
  EXPECT_TRUE(panel->findChild<QComboBox*>("delivery")->isEnabled());
}

TEST_F(Bracket, MoreTakesGoIntoThePlanForThisConfigurationOnly) {
  open(freshCopyOfMeasured("app-more"));
  auto* propose = stage_->findChild<QPushButton*>("propose");
  ASSERT_TRUE(propose->isVisible());
  const auto wanted = stage_->findChild<ChoiceBar*>()->proposed();
  ASSERT_FALSE(wanted.empty());
  const auto before = w_->document().recipe();
  QTest::mouseClick(propose, Qt::LeftButton);
  const Configuration& c = w_->document().current()->configuration;
  const Recipe r = recipeFromJson(w_->document().recipe(), "recipe");
  const TestSpec& added = r.tests.back();
  EXPECT_EQ(added.kind, TestKind::Bracket);
  EXPECT_EQ(added.bodies, std::vector<std::string>{c.body});
  EXPECT_EQ(added.modes, std::vector<std::string>{c.mode});
  ASSERT_EQ(added.extra.size(), wanted.size());
  // Again: it is there already.
  const auto once = w_->document().recipe();
  QTest::mouseClick(propose, Qt::LeftButton);
  EXPECT_EQ(w_->document().recipe(), once);
  w_->document().undoStack().undo();
  EXPECT_EQ(w_->document().recipe(), before);
}

TEST_F(Bracket, CorrectionsAreWrittenForEveryTakeThatHasOne) {
  open(measuredProject());
  const QSignalSpy done(stage_, &Stage::done);
  stage_->exportCorrections(folder() / "looks");
  ASSERT_EQ(done.count(), 1);
  for (const char* file : {"m5-grade.cdl", "m5-exposure.clf", "m5-balance.cube", "corrections.ccc"})
    EXPECT_TRUE(fs::exists(folder() / "looks" / file)) << file;
  const QSignalSpy failed(stage_, &Stage::failed);
  writeFileAtomically(folder() / "file", std::string_view("x"));
  stage_->exportCorrections(folder() / "file");
  EXPECT_EQ(failed.count(), 1);
}

TEST_F(Bracket, HeldTheKeyShowsTheBaseInPlaceOfTheTake) {
  open(measuredProject());
  const auto third = [&] { return stage_->findChildren<PictureView*>()[2]->accessibleName(); };
  ASSERT_TRUE(waitFor([&] { return third().contains("brought back"); }));
  QTest::keyPress(stage_, Qt::Key_F);
  EXPECT_TRUE(waitFor([&] { return third() == "base"; }, 5000));
  QTest::keyRelease(stage_, Qt::Key_F);
  EXPECT_TRUE(waitFor([&] { return third().contains("brought back"); }, 5000));
}

TEST_F(Bracket, NearnessSaysEveryFigureWithItsLimits) {
  open(measuredProject());
  const auto* model = static_cast<TakeModel*>(table().model());
  const auto near = model->nearness(0);
  ASSERT_FALSE(near.empty());
  bool beyond = false;
  for (const auto& n : near) {
    EXPECT_GE(n.share, 0);
    EXPECT_LE(n.share, 1);
    EXPECT_TRUE(n.words.contains("clean to"));
    beyond |= n.share > 0.5;
  }
  EXPECT_TRUE(beyond) << "the darkest take is beyond a limit";
  EXPECT_TRUE(model->asText().contains("luma noise"));
}

TEST_F(Bracket, WithoutAMeasuredBracketNothingCanBeChosen) {
  open(freshProject("app-bare"));
  EXPECT_FALSE(stage_->findChild<QPushButton*>("propose")->isVisible());
  stage_->chooseBranch(Branch::Grade);
  stage_->countFrom("m2");
  for (const auto panel :
       {LatitudeStage::Criteria, LatitudeStage::Trace, LatitudeStage::Compare, LatitudeStage::Takes})
    stage_->showPanel(panel);
  EXPECT_EQ(problemText(*w_), "");
}

TEST_F(Bracket, StressSaysWhereEachTakeBreaksAndALookIsJudgedBesideTheNeutral) {
  open(freshCopyOfMeasured("app-stress"));
  stage_->showPanel(LatitudeStage::Stress);
  auto* list = stage_->findChild<QTableWidget*>("stress");
  const LatitudeMeasure m = *w_->document().current()->latitudeMeasure;
  ASSERT_EQ(list->rowCount(), static_cast<int>(m.takes.size()) + 1);
  EXPECT_EQ(list->item(0, 0)->text(), "base");
  EXPECT_TRUE(list->item(1, 3)->text().startsWith("st")) << "step n, or stands all";
  EXPECT_EQ(list->item(1, 2)->text(), "–") << "no look";

  writeCdl(folder() / "flat.cdl", {"flat", "", Cdl{{0.5, 0.5, 0.5}, {0.2, 0.2, 0.2}, {1, 1, 1}, 0.3}});
  w_->document().setLook(folder() / "flat.cdl");
  settle();
  EXPECT_TRUE(stage_->findChild<StressPanel*>()->findChild<QLabel*>()->text().contains("analyse"));
  w_->analyse();
  ASSERT_TRUE(waitFor([&] { return w_->document().current()->latitudeMeasure->look.has_value(); }, 60000));
  settle();
  const LookMeasure looked = *w_->document().current()->latitudeMeasure->look;
  EXPECT_LT(looked.takes[0][Criterion::ChromaNoise].value(), m.takes[0][Criterion::ChromaNoise].value() / 2);
  EXPECT_NE(list->item(1, 2)->text(), "–");
  w_->document().undoStack().undo();
  settle();
  EXPECT_EQ(list->item(1, 2)->text(), "–");
  EXPECT_FALSE(w_->document().current()->latitudeMeasure->look);
}

TEST_F(Bracket, HighlightsOfRawAreRebuiltForTheEyeOnly) {
  open(measuredProject());
  const auto findings = w_->document().findings();
  for (size_t i = 0; i < findings.size(); ++i)
    if (findings[i].configuration.mode == "raw") {
      w_->document().setCurrent(static_cast<int>(i));
      break;
    }
  settle();
  auto* pictures = stage_->findChild<TakePictures*>();
  const QString before = text("latitude");
  const auto says = [&](const QString& words) {
    return waitFor([&] {
      for (const auto* v : stage_->findChildren<PictureView*>())
        if (v->accessibleName().contains(words)) return true;
      return false;
    });
  };
  EXPECT_TRUE(says("H rebuilds"));
  QTest::keyClick(stage_, Qt::Key_H);
  EXPECT_EQ(pictures->recovery(), Recovery::On);
  EXPECT_TRUE(says("highlights rebuilt"));
  QTest::keyClick(stage_, Qt::Key_H);
  EXPECT_TRUE(says("tinted"));
  EXPECT_EQ(text("latitude"), before);
  QTest::keyClick(stage_, Qt::Key_H);
  EXPECT_EQ(pictures->recovery(), Recovery::Off);
}

}  // namespace
}  // namespace edge::app
