// Match, pages 2 and 3: charts and objects placed, found, followed; decode state asked and answered; the
// curve measured. Driven as a person would; truth is what the demo was made from.
#include <gtest/gtest.h>

#include <SQLiteCpp/SQLiteCpp.h>

#include <QComboBox>
#include <QKeyEvent>

#include "app/window.h"
#include "base/files.h"
#include "match/match_stage.h"
#include "project/analysis.h"
#include "simulate/scenario.h"
#include "simulate/scene.h"
#include "theme/text.h"

namespace edge::app {
namespace {

class PlacesView : public ::testing::Test {
 protected:
  void SetUp() override { openOn(freshProject("places")); }
  void openOn(const fs::path& project) {
    window_.reset();
    file_ = project;
    window_ = openWindow(file_);
    window_->showStage("Match");
    stage().showPage(1);
    settle();
  }
  MatchStage& stage() { return *dynamic_cast<MatchStage*>(window_->stage("Match")); }
  ChartPage& page() { return stage().charts(); }
  RegionEditor& editor() { return page().editor(); }
  const Configuration& now() { return window_->document().current()->configuration; }
  Configuration stored() { return Project::open(file_)->configurations()[0]; }
  void key(int k, Qt::KeyboardModifiers m = Qt::NoModifier) {
    QKeyEvent e(QEvent::KeyPress, k, m);
    QApplication::sendEvent(&editor(), &e);
    settle(20);
  }
  void undo() {
    window_->document().undoStack().undo();
    settle(20);
  }
  void waitForPicture() {
    ASSERT_TRUE(waitFor([&] { return editor().hasPicture() && !page().busy(); }, 20000));
  }
  static double far(const Chart& a, const Chart& b) {
    double worst = 0;
    for (size_t i = 0; i < b.patches.size(); ++i) {
      const Point m = middleOf(a.patches.at(i).corners), t = middleOf(b.patches[i].corners);
      worst = std::max(worst, std::hypot(m.x - t.x, m.y - t.y));
    }
    return worst;
  }

  fs::path file_;
  std::unique_ptr<MainWindow> window_;
};

TEST_F(PlacesView, AChartIsDraggedTurnedNudgedAndEachStepUndone) {
  key(Qt::Key_G);
  waitForPicture();
  const Chart before = now().bench;
  // By a corner: all patches follow.
  const QPointF corner = editor().cornerAt(0, 2);
  drag(&editor(), corner, corner + QPointF(-24, -18));
  EXPECT_GT(far(now().bench, before), 2);
  EXPECT_GT(far(stored().bench, before), 2) << "kept at once";
  undo();
  EXPECT_LT(far(stored().bench, before), 1e-6);
  // Its densities, typed in its order: kept, and one step back.
  QString typed;
  for (size_t i = 0; i < before.patches.size(); ++i)
    typed += QString::number(0.1 * static_cast<double>(i)) + " ";
  page().typeDensities(typed);
  EXPECT_NEAR(*stored().bench.patches[3].stops, -0.3 / 0.30103, 1e-6);
  page().typeDensities("0.1 and more");
  EXPECT_NEAR(*stored().bench.patches[3].stops, -0.3 / 0.30103, 1e-6) << "what is no number changes nothing";
  undo();
  EXPECT_EQ(stored().bench.patches[3].stops, before.patches[3].stops);
  // As a whole.
  const QPointF middle = (editor().cornerAt(0, 0) + editor().cornerAt(0, 2)) / 2;
  drag(&editor(), middle, middle + QPointF(-30, 10));
  const Chart moved = now().bench;
  EXPECT_NEAR(middleOf(moved.patches[3].corners).x - middleOf(before.patches[3].corners).x,
              middleOf(moved.patches[20].corners).x - middleOf(before.patches[20].corners).x, 0.5)
      << "moved, not bent";
  undo();
  // By its knob.
  const QPointF knob = editor().turnKnob(0);
  drag(&editor(), knob, knob + QPointF(10, 1));
  EXPECT_GT(now().bench.patches[0].corners[1].y, now().bench.patches[0].corners[0].y + 0.1);
  undo();
  EXPECT_LT(far(stored().bench, before), 1e-6);
  key(Qt::Key_Left, Qt::ShiftModifier);
  EXPECT_NEAR(middleOf(now().bench.patches[0].corners).x, middleOf(before.patches[0].corners).x - 10, 1e-6);
  key(Qt::Key_Period);
  undo(), undo();
  EXPECT_LT(far(stored().bench, before), 1e-6);
}

TEST_F(PlacesView, WedgeAndChartAreFoundByThemselves) {
  const Configuration true_ = now();
  // As in a project of one's own: nothing is placed yet, and it is still opened again.
  Configuration bare = true_;
  bare.wedge = {}, bare.bench = {}, bare.regions = {};
  window_->document().setSetups({bare}, "bare");
  EXPECT_TRUE(stored().wedge.patches.empty());
  key(Qt::Key_W);
  waitForPicture();
  auto* kind = page().findChild<QComboBox*>();
  for (auto* box : page().findChildren<QComboBox*>())
    if (box->accessibleName() == "Kind of chart") kind = box;
  kind->setCurrentText("step wedge");
  for (auto* spin : page().findChildren<QSpinBox*>())
    if (spin->accessibleName() == "Steps") spin->setValue(static_cast<int>(true_.wedge.patches.size()));
  for (auto* spin : page().findChildren<QDoubleSpinBox*>())
    spin->setValue(*true_.wedge.patches[0].stops - *true_.wedge.patches[1].stops);
  key(Qt::Key_F);
  ASSERT_TRUE(waitFor([&] { return !page().busy(); }, 20000));
  ASSERT_FALSE(now().wedge.patches.empty()) << qPrintable(page().words());
  EXPECT_LT(far(now().wedge, true_.wedge), 4) << qPrintable(page().words());
  // The chart from its file, put down in the wrong place, then found.
  page().loadChart(fs::path(EDGE_SMALL_DEMO) / "charts" / "bench.json");
  settle();
  waitForPicture();
  const Quad wrong = turned(moved(outlineOf(true_.bench), -60, 20), 6);
  Configuration off = now();
  off.bench = placedOn(off.bench, wrong, off.bench.referenceWidth, off.bench.referenceHeight);
  window_->document().setSetups({off}, "off");
  EXPECT_GT(far(now().bench, true_.bench), 20);
  key(Qt::Key_F);
  ASSERT_TRUE(waitFor([&] { return !page().busy(); }, 20000));
  EXPECT_LT(far(now().bench, true_.bench), 2) << qPrintable(page().words());
  undo();
  EXPECT_GT(far(now().bench, true_.bench), 20);
}

TEST_F(PlacesView, ObjectsAreDrawnNamedRemovedAndFacesComeInParts) {
  key(Qt::Key_J);
  waitForPicture();
  const size_t before = now().regions.size();
  const auto draw = [&](const QString& name) {
    page().addObject(name);
    ASSERT_TRUE(editor().drawing());
    const QPointF at(editor().width() * 0.3, editor().height() * 0.3);
    drag(&editor(), at, at + QPointF(60, 80));
  };
  draw("cheek");
  ASSERT_EQ(now().regions.size(), before + 1);
  EXPECT_EQ(now().regions.back().name, "cheek 2") << "a second of the name";
  EXPECT_EQ(now().regions.back().role, "skin");
  draw("face (three parts)");
  EXPECT_EQ(now().regions.size(), before + 4);
  undo();
  EXPECT_EQ(stored().regions.size(), before + 1);
  key(Qt::Key_Space);
  key(Qt::Key_Delete);
  EXPECT_EQ(now().regions.size(), before) << "the first object is gone";
  page().addObject("wall");
  key(Qt::Key_Escape);
  EXPECT_FALSE(editor().drawing());
}

TEST_F(PlacesView, OutlinesAreFollowedOnANearlyBlackTake) {
  key(Qt::Key_G);
  waitForPicture();
  int darkest = 0, at = 0;
  double low = 0;
  for (const auto& c : now().clips)
    if (c.kind == ClipKind::Take) {
      ++at;
      if (*c.plannedStops < low) low = *c.plannedStops, darkest = at;
    }
  ASSERT_GT(darkest, 0);
  page().lookAt(darkest);
  ASSERT_TRUE(waitFor([&] { return editor().hasPicture() && !page().busy(); }, 20000));
  EXPECT_TRUE(page().words().contains("framing is that of the base")) << qPrintable(page().words());
}

TEST_F(PlacesView, PlacesAreUsedForAllAndThatIsOneStep) {
  Configuration changed = now();
  changed.bench = placedOn(changed.bench, moved(outlineOf(changed.bench), -5, 3),
                           changed.bench.referenceWidth, changed.bench.referenceHeight);
  window_->document().setSetups({changed}, "moved");
  page().useForAll();
  for (const auto& f : window_->document().findings())
    EXPECT_LT(far(f.configuration.bench, changed.bench), 1e-6) << f.configuration.label();
  undo();
  EXPECT_GT(far(window_->document().findings()[1].configuration.bench, changed.bench), 3);
}

TEST_F(PlacesView, WhatAFileDoesNotSayIsAskedAndNothingMeasuredBefore) {
  // One of the others waits to be measured as well.
  const fs::path project = freshCopyOfMeasured("places-asked");
  SQLite::Database(project.string(), SQLite::OPEN_READWRITE)
      .exec("DELETE FROM result WHERE configuration = 2");
  openOn(project);
  ASSERT_FALSE(window_->document().findings()[1].wedge);
  Configuration asked = now();
  asked.decode.range.reset(), asked.decode.curve.clear();
  asked.ask = {"range", "curve"};
  window_->document().setSetups({asked}, "asked");
  stage().showPage(2);
  settle();
  DecodePage& decoding = stage().decoding();
  EXPECT_TRUE(decoding.questions().contains("full or legal")) << qPrintable(decoding.questions());
  EXPECT_TRUE(decoding.questions().contains("curve"));
  window_->analyse();
  ASSERT_TRUE(waitFor([&] { return !window_->job().running(); }, 120000));
  EXPECT_FALSE(window_->document().current()->wedge) << "not measured with a guess";
  EXPECT_TRUE(window_->document().findings()[1].wedge) << "the others are";
  const auto choose = [&](QComboBox& box, const QString& text) {
    box.setCurrentIndex(box.findText(text));
    emit box.activated(box.currentIndex());
    settle(20);
  };
  choose(decoding.range(), "legal");
  EXPECT_EQ(now().ask, std::vector<std::string>{"curve"});
  decoding.loadCurve(fs::path(EDGE_SMALL_DEMO) / "series" / "none.json");
  EXPECT_FALSE(problemText(*window_).isEmpty()) << "a missing file is said";
  decoding.loadCurve(fs::path(EDGE_SMALL_DEMO) /
                     window_->document().findings()[0].configuration.decode.curve);
  const Scenario s = demoScenario(true);
  const std::string log = s.configurations[0].camera.logName + ".json";
  decoding.loadCurve(fs::path(EDGE_SMALL_DEMO) / "curves" / log);
  settle();
  EXPECT_TRUE(now().ask.empty());
  EXPECT_EQ(stored().decode.curve.rfind("curves/", 0), 0U) << stored().decode.curve;
}

TEST_F(PlacesView, TheCurveIsMeasuredFromTheBracketAndUsed) {
  stage().showPage(2);
  int log = 0;
  for (int i = 0; i < static_cast<int>(window_->document().findings().size()); ++i)
    if (window_->document().findings()[static_cast<size_t>(i)].configuration.mode == "log") log = i;
  window_->document().setCurrent(log);
  const std::string published = now().decode.curve;
  DecodePage& decoding = stage().decoding();
  decoding.measureCurve();
  ASSERT_TRUE(waitFor([&] { return !decoding.busy(); }, 60000));
  const auto fit = storedCurve(window_->document().project(), now());
  ASSERT_TRUE(fit) << qPrintable(decoding.words());
  EXPECT_TRUE(decoding.words().contains("rms are left over")) << qPrintable(decoding.words());
  // Against the published curve, over what the bracket covers: docs/method.md, "An unknown curve".
  const NamedCurve curve = makeCurve((fs::path(EDGE_SMALL_DEMO) / published).string());
  double sum = 0;
  for (size_t i = 0; i < fit->stops.size(); ++i)
    sum += std::pow(std::log2(curve.curve->toLinear(fit->code[i]) / 0.18) - fit->stops[i], 2);
  EXPECT_LT(std::sqrt(sum / static_cast<double>(fit->stops.size())), 0.1);
  decoding.useMeasured();
  EXPECT_NE(now().decode.curve.find("curves/measured-"), std::string::npos);
  undo();
  EXPECT_EQ(now().decode.curve, published);
}

TEST_F(PlacesView, TransformsOfTheInstalledColourLibraryCanBeChosen) {
  stage().showPage(2);
  DecodePage& decoding = stage().decoding();
  decoding.listLibrary();
  ASSERT_TRUE(waitFor([&] { return !decoding.busy(); }, 20000));
  ASSERT_GT(decoding.curve().count(), 3);
  const QString data = decoding.curve().itemData(1).toString();
  EXPECT_TRUE(data.startsWith(kLibraryPrefix));
  decoding.curve().setCurrentIndex(1);
  emit decoding.curve().activated(1);
  settle();
  EXPECT_EQ(q(now().decode.curve), data);
  EXPECT_EQ(decoding.curve().currentText(), data);
}

TEST_F(PlacesView, ADraggedClipChangesItsTakeAndEachCheckShowsWhatItWasSeenBy) {
  stage().showPage(0);
  MatchWork& work = stage().work();
  work.watch(demoFilesIn(EDGE_SMALL_DEMO).clips / "corvane35-log-500");
  ASSERT_TRUE(waitFor([&] { return work.checksOf("Corvane 35 log 500 +3") && !work.busy(); }, 60000));
  settle(300);
  // The mislabelled take stands first; what fails stands first in its checks, with the light by patch.
  stage().choose(0);
  settle(100);
  auto& checks = stage().panel().checks();
  ASSERT_GT(checks.count(), 10);
  EXPECT_TRUE(checks.item(0)->text().startsWith("fails")) << qPrintable(checks.item(0)->text());
  EXPECT_GE(stage().panel().curve().graphCount(), 1);
  bool far = false;
  for (const auto& mark : stage().ruler().data().rows[0].marks)
    far |= mark.selected && mark.planned == 3.0 && std::abs(mark.at - 2.07) < 0.05;
  EXPECT_TRUE(far) << "on the ruler: measured +2, planned +3";
  EXPECT_TRUE(stage().panel().curve().isVisible());
  for (int i = 0; i < checks.count(); ++i)
    if (checks.item(i)->text().contains("fine contrast")) stage().panel().choose(i);
  ASSERT_TRUE(waitFor([&] { return !stage().panel().busy(); }, 20000));
  settle(50);
  int pictures = 0;
  for (auto* v : stage().panel().findChildren<PictureView*>()) pictures += v->isVisible() && v->hasPicture();
  EXPECT_EQ(pictures, 3) << "the clip, and the place in base and take";
  // One clip dropped on another: both change, in one step.
  LinkModel& model = stage().model();
  const auto takeOf = [&](size_t clip) { return work.match().links[clip].take; };
  const size_t a = model.link(5)->clip, b = model.link(6)->clip;
  const auto ta = takeOf(a), tb = takeOf(b);
  const std::unique_ptr<QMimeData> data(model.mimeData({model.index(5, 0)}));
  (void)model.dropMimeData(data.get(), Qt::MoveAction, -1, -1, model.index(6, 0));
  settle(100);
  EXPECT_EQ(takeOf(a), tb);
  EXPECT_EQ(takeOf(b), ta);
  undo();
  settle(100);
  EXPECT_EQ(takeOf(a), ta);
  EXPECT_EQ(takeOf(b), tb);
  // What is no row of ours is refused.
  QMimeData text;
  text.setText("3");
  EXPECT_FALSE(model.dropMimeData(&text, Qt::MoveAction, -1, -1, model.index(6, 0)));
  EXPECT_EQ(LinkModel::rowOf(&text), -1);
  ASSERT_TRUE(waitFor([&] { return !work.busy(); }, 60000));
}

}  // namespace
}  // namespace edge::app
